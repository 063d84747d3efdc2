"""One stroke on one drum or cymbal, as samples.

Conventions
-----------
Mono float64, 1.0 is full scale; time 0 is the moment of the stroke. ``force`` is the stroke's
amplitude over a medium stroke's. A loud stroke stretches the film, so every mode starts sharp by
``bend_cents · force²`` and comes down as the fundamental's energy leaves: exp(−2γt).
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from emblar.core.acoustics.bend import bend_at_force
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import T60_FACTOR
from emblar.core.acoustics.drum import USUAL_STRIKE, USUAL_WIRES, Strike, Wires
from emblar.core.acoustics.forward import Prediction
from emblar.core.quantities.spans import (
    GLIDING_CENTS_PER_S,
    ONSET_S,
    SETTLE_LATE_S,
    SETTLE_SHORT_S,
    SETTLE_TOM_S,
)

Samples = NDArray[np.float64]
QUIET_DB = -66.0
HEARD_T60 = 2.0
"""A partial is rendered until it has died by 120 dB."""


@dataclass(frozen=True, slots=True)
class Partial:
    """A damped sinusoid: Hz, T60 in s, amplitude (1.0 is full scale) at a medium stroke."""

    frequency_hz: float
    t60_s: float
    amplitude: float


@dataclass(frozen=True, slots=True)
class Noise:
    """A burst of filtered noise: band in Hz, amplitude, rise and T60 in s."""

    low_hz: float
    high_hz: float
    amplitude: float
    rise_s: float
    t60_s: float


@dataclass(frozen=True, slots=True)
class Voice:
    """Everything that sounds at a stroke; the first partial is the fundamental."""

    partials: tuple[Partial, ...]
    noises: tuple[Noise, ...]
    bend_cents: float
    settle_s: tuple[float, float] = SETTLE_TOM_S

    @property
    def length_s(self) -> float:
        """Time in s until everything has died away."""
        tails = [p.t60_s for p in self.partials] + [n.t60_s for n in self.noises]
        return max(tails) * -QUIET_DB / 60.0

    def settled_hz(self) -> float:
        """Return the settled fundamental of a medium stroke in Hz.

        The energy-weighted mean of the gliding fundamental over the settled span, as defined for
        measuring (80–350 ms for toms, 150–450 ms while they still glide by more than 30 cents per
        100 ms; 20–150 ms for snare and kick).
        """
        first = self.partials[0]
        span = self.settle_s
        if span == SETTLE_TOM_S:
            rate = T60_FACTOR / first.t60_s
            ends = np.exp(-2.0 * rate * np.array(span))
            if self.bend_cents * (ends[0] - ends[1]) > GLIDING_CENTS_PER_S * (span[1] - span[0]):
                span = SETTLE_LATE_S
        time = np.linspace(*span, 400)
        weight = np.exp(-2.0 * T60_FACTOR / first.t60_s * time)
        return float(np.average(_frequency(first, self.bend_cents, time), weights=weight))

    def measured_bend_cents(self) -> float:
        """Return onset minus settled pitch of a medium stroke as a measurement defines it, cents.

        The pitch at 15–60 ms, energy-weighted, over the settled one; less than ``bend_cents``,
        which is at the very moment of the stroke.
        """
        first = self.partials[0]
        time = np.linspace(*ONSET_S, 100)
        weight = np.exp(-2.0 * T60_FACTOR / first.t60_s * time)
        onset = np.average(_frequency(first, self.bend_cents, time), weights=weight)
        return float(1200.0 * np.log2(onset / self.settled_hz()))


def _frequency(first: Partial, bend_cents: float, time: Samples) -> Samples:
    gamma = T60_FACTOR / first.t60_s
    falling = bend_cents * np.exp(-2.0 * gamma * time)
    return np.asarray(first.frequency_hz * 2.0 ** (falling / 1200.0))


def render_stroke(
    voice: Voice,
    *,
    sample_rate_hz: int,
    force: float,
    rng: np.random.Generator,
    length_s: float | None = None,
) -> Samples:
    """Render one stroke.

    Parameters
    ----------
    voice
        What sounds.
    sample_rate_hz
        Samples per second.
    force
        Stroke amplitude over a medium stroke's, > 0.
    rng
        Source of the noises; the same seed gives the same samples.
    length_s
        Cut after this time; the whole tail if left out.

    Returns
    -------
    samples
        Shape (n,).
    """
    count = int(sample_rate_hz * min(voice.length_s, length_s or math.inf))
    time = np.arange(count) / sample_rate_hz
    out = np.zeros(count)
    if voice.partials:
        glide = _frequency(voice.partials[0], bend_at_force(voice.bend_cents, force), time)
        stretch = np.cumsum(glide / voice.partials[0].frequency_hz) / sample_rate_hz
        for partial in voice.partials:
            if partial.frequency_hz < 0.45 * sample_rate_hz:
                length = min(round(HEARD_T60 * partial.t60_s * sample_rate_hz), count)
                # Whole turns are taken off before: single precision is then 130 dB below.
                turns = partial.frequency_hz * stretch[:length]
                turns -= np.floor(turns)
                wave = np.sin(np.float32(2.0 * np.pi) * turns.astype(np.float32))
                wave *= np.exp((-T60_FACTOR / partial.t60_s * time[:length]).astype(np.float32))
                out[:length] += np.float32(partial.amplitude) * wave
    for noise in voice.noises:
        out += _burst(noise, time, sample_rate_hz, rng)
    return np.asarray(force * out)


def cut_off(stroke: Samples, gap_s: float, rate: int) -> Samples:
    """Return a stroke that the next one on the same head ends after a gap, over 30 ms.

    Parameters
    ----------
    stroke
        Samples, shape (n,).
    gap_s
        When the next one comes, s.
    rate
        Sample rate, Hz.
    """
    start, fade = round(gap_s * rate), round(0.03 * rate)
    if start >= len(stroke):
        return stroke
    kept = stroke[: start + fade].copy()
    tail = kept[start:]
    tail *= 0.5 + 0.5 * np.cos(np.linspace(0.0, np.pi, len(tail)))
    return np.asarray(kept)


def _burst(noise: Noise, time: Samples, rate: int, rng: np.random.Generator) -> Samples:
    length = min(round(HEARD_T60 * noise.t60_s * rate) + 1, len(time))
    out, time = np.zeros(len(time)), time[:length]
    white = rng.standard_normal(length)
    band = (noise.low_hz, min(noise.high_hz, 0.45 * rate))
    shaped = sosfilt(_band_pass(band, rate), white)
    envelope = np.exp(-T60_FACTOR / noise.t60_s * time)
    if noise.rise_s > 0.0:
        envelope *= 1.0 - np.exp(-time / noise.rise_s)
    level = math.sqrt(2.0 * (band[1] - band[0]) / rate)
    out[:length] = noise.amplitude * envelope * shaped / level
    return out


@lru_cache(maxsize=64)
def _band_pass(band_hz: tuple[float, float], rate: int) -> Samples:
    return np.asarray(butter(2, band_hz, btype="bandpass", fs=rate, output="sos"))


def settle_span_s(kind: str) -> tuple[float, float]:
    """Return when a drum's pitch counts as settled, s after the stroke."""
    return SETTLE_TOM_S if kind == "tom" else SETTLE_SHORT_S


def stroke_noises(
    kind: str, level: float, strike: Strike = USUAL_STRIKE, wires: Wires = USUAL_WIRES
) -> tuple[Noise, ...]:
    """Return what sounds besides the modes at a stroke: stick or beater, and wires.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    level
        Amplitude of all modes together at a medium stroke.
    strike, wires
        The stroke as it is on the head; the wires of a snare.
    """
    k = prior_coefficients()
    result = [
        Noise(
            k[f"{kind}_noise_low"] * strike.brightness,
            k[f"{kind}_noise_high"] * strike.brightness,
            k[f"{kind}_noise_level"] * strike.noise * level,
            0.0,
            k[f"{kind}_noise_t60"],
        )
    ]
    if kind == "snare" and wires.level > 0.0:
        result.append(
            Noise(
                k["wires_low"],
                k["wires_high"],
                k["wires_level"] * wires.level * level,
                wires.delay_s,
                k["wires_t60"] * wires.length,
            )
        )
    return tuple(result)


def drum_voice(prediction: Prediction, kind: str, *, level: float = 0.5) -> Voice:
    """Return the voice of a predicted drum.

    Parameters
    ----------
    prediction
        Modes with levels and dampings; the fundamental is the predicted drum pitch.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``: sets stroke noise and wires.
    level
        Amplitude of all partials together at a medium stroke, full scale 1.0.
    """
    modes = [m for m in prediction.modes if m.level_db > -45.0]
    gains = np.array([10.0 ** (m.level_db / 20.0) for m in modes])
    gains *= level / gains.sum()
    partials = [
        Partial(m.frequency_hz, m.t60_s, float(g)) for m, g in zip(modes, gains, strict=True)
    ]
    pitch = prediction.drum_pitch.value
    partials.sort(key=lambda p: abs(p.frequency_hz - pitch))
    settle = settle_span_s(kind)
    noises = stroke_noises(kind, level, prediction.strike, prediction.wires)
    return Voice(tuple(partials), noises, prediction.bend_cents.value, settle)


def cymbal_voice(
    *, low_hz: float, t60_s: float, level: float, partials: int, rng: np.random.Generator
) -> Voice:
    """Return a hat or cymbal: many inharmonic partials over a noise wash.

    Parameters
    ----------
    low_hz
        Lower edge of where it sounds.
    t60_s
        T60 of the wash; the highest partials die in a third of it.
    level
        Amplitude of the wash, full scale 1.0.
    partials
        How many partials.
    rng
        Draws frequencies and amplitudes.
    """
    frequencies = np.sort(low_hz * (14000.0 / low_hz) ** rng.random(partials))
    rows = [
        Partial(
            float(f),
            t60_s * float(1.0 - 0.65 * i / partials),
            float(0.9 * level * rng.rayleigh(0.5) / math.sqrt(partials)),
        )
        for i, f in enumerate(frequencies)
    ]
    wash = Noise(max(low_hz * 1.3, 400.0), 15000.0, 0.8 * level, 0.0, t60_s)
    stick = Noise(4000.0, 14000.0, 0.7 * level, 0.0, min(0.05, t60_s))
    return Voice(tuple(rows), (wash, stick), 0.0)
