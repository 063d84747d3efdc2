"""What a rendered stroke measures, worked out instead of rendered: for many drums at once.

Conventions
-----------
Partials are arrays of shape (partials, drums): frequency in Hz, decay rate in 1/s, amplitude at a
medium stroke; they start in phase, as ``stroke`` renders them. Quantities are those of
``quantities.spans`` and the registry, for a stroke that nothing cuts off.
Noises are taken at their expected energy. Tests hold every quantity against rendering and
measuring.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from emblar.core.quantities.spans import (
    AFTER_S,
    ATTACK_S,
    BODY_OCTAVES,
    BODY_S,
    CLICK_FROM_HZ,
    GLIDING_CENTS_PER_S,
    LENGTH_DROP_DB,
    LENGTH_FRAME_S,
    ONSET_S,
    RING_BELOW_HZ,
    RING_FROM_RATIO,
    RING_S,
    SETTLE_LATE_S,
    SETTLE_TOM_S,
    TONAL_HZ,
    WIRES_HZ,
    WIRES_S,
)
from emblar.core.synthesis.stroke import Noise

Array = NDArray[np.floating[Any]]
ATTACK_LENGTH_S = ATTACK_S[1]
BODY_LENGTH_S = BODY_S[1]
ATTACK_POINTS = 32
DROP = 10.0 ** (-LENGTH_DROP_DB / 10.0)
LONGEST_S = 5.9
NEWTON_STEPS = 4
THIRD = 2.0**BODY_OCTAVES
RATE_HZ = 44100.0
SPECTRUM_BINS = 2048


@dataclass(frozen=True, slots=True, eq=False)
class Partials:
    """What sounds of many drums; ``first`` is each drum's fundamental, ``bend`` in cents."""

    hz: Array
    rate: Array
    amplitude: Array
    first: NDArray[np.int64]
    bend: Array

    def of_first(self, rows: Array) -> Array:
        """Return a row's values at the fundamentals, shape (drums,)."""
        return np.asarray(rows[self.first, np.arange(rows.shape[1])])


@dataclass(frozen=True, slots=True, eq=False)
class Noises:
    """The noises of many drums: the sets there are, and which of them each drum has."""

    sets: Sequence[Sequence[Noise]]
    of: NDArray[np.int64]

    def energy(
        self, start_s: float, stop_s: float, *, band_hz: tuple[float, float] | None = None
    ) -> Array:
        """Return the noises' energy over a span, shape (drums,).

        Parameters
        ----------
        start_s
            From when after the stroke, s.
        stop_s
            Until when, s.
        band_hz
            If given, only between these, Hz.
        """
        each = [_noise_energy(one, start_s, stop_s, band_hz=band_hz) for one in self.sets]
        return np.array(each, np.float32)[self.of]

    def falling(self) -> Iterator[tuple[Array, Array]]:
        """Yield power at the stroke and its decay in 1/s of each noise, shape (drums,) each."""
        for slot in range(max(map(len, self.sets))):
            members = [one[slot] if slot < len(one) else None for one in self.sets]
            power = [n.amplitude**2 * float(_spectrum(n)[1].sum()) if n else 0.0 for n in members]
            rate = [6.0 * np.log(10.0) / n.t60_s if n else 1.0 for n in members]
            yield np.array(power, np.float32)[self.of], np.array(rate, np.float32)[self.of]

    def attack(self) -> tuple[Array, Array, Array, Array]:
        """Return ``_noise_attack`` of each drum: frames of shape (2, drums), the rest (drums,)."""
        rows = [_noise_attack(tuple(one)) for one in self.sets]
        frames, *rest = (np.array(column)[self.of] for column in zip(*rows, strict=True))
        energy, bright, moment = rest
        return frames.T, energy, bright, moment


def expected_card(
    partials: Partials, noises: Noises, settle_s: tuple[float, float], *, wires: bool
) -> dict[str, NDArray[np.float64]]:
    """Return every quantity that has a step by its name, each of shape (drums,).

    Parameters
    ----------
    partials
        The drums' partials.
    noises
        The drums' noises.
    settle_s
        Span in which the pitch has settled, s.
    wires
        Whether they have wires.
    """
    # Single precision is a hundred thousand times finer than a step, and twice as fast.
    partials = Partials(
        partials.hz.astype(np.float32, copy=False),
        partials.rate.astype(np.float32, copy=False),
        partials.amplitude.astype(np.float32, copy=False),
        partials.first,
        partials.bend.astype(np.float32),
    )
    hz, rate = partials.of_first(partials.hz), partials.of_first(partials.rate)
    settled = _mean_share(rate, settle_s)
    if settle_s == SETTLE_TOM_S:
        first, last = (np.exp(-2.0 * rate * t) for t in settle_s)
        gliding = partials.bend * (first - last) > GLIDING_CENTS_PER_S * (settle_s[1] - settle_s[0])
        settled = np.where(gliding, _mean_share(rate, SETTLE_LATE_S), settled)
    pitch = hz * 2.0 ** (partials.bend * settled / 1200.0)
    first_frames, attack_energy, click_hz = _attack(partials, noises)
    after = _energy(partials, *AFTER_S).sum(axis=0) + noises.energy(*AFTER_S)
    whole = _energy(partials, *BODY_S)
    near = _in_third(partials, pitch)
    total = whole.sum(axis=0) + noises.energy(*BODY_S)
    card = {
        "pitch": pitch,
        "bend": partials.bend * (_mean_share(rate, ONSET_S) - settled),
        "sustain": 3.0 * np.log(10.0) / rate,
        "length": _length(partials, noises, first_frames),
        "attack": 10.0 * np.log10(attack_energy / after),
        "click": click_hz,
        "body": 10.0 * np.log10((near * whole).sum(axis=0) / total + 1e-12),
        "ring": _ring(partials, hz),
    }
    if wires:
        tonal = (partials.hz > TONAL_HZ[0]) & (partials.hz < TONAL_HZ[1])
        below = np.where(tonal, _energy(partials, *WIRES_S), 0.0).sum(axis=0)
        below += noises.energy(*WIRES_S, band_hz=TONAL_HZ)
        above = noises.energy(*WIRES_S, band_hz=WIRES_HZ)
        card["wires"] = 10.0 * np.log10(above / below)
    return {name: values.astype(np.float64) for name, values in card.items()}


def _in_third(partials: Partials, pitch: Array) -> Array:
    """Return the share of each partial's line that lies within a third octave of the pitch.

    A line that dies in ``1/γ`` is ``γ/2π`` wide on each side, and no narrower than what is looked
    at is long.
    """
    half_width = partials.rate / (2.0 * np.pi) + 0.5 / (np.pi * BODY_LENGTH_S)
    low, high = (np.arctan((pitch * x - partials.hz) / half_width) for x in (1.0 / THIRD, THIRD))
    return np.asarray((high - low) / np.pi)


def _mean_share(rate: Array, span_s: tuple[float, float]) -> Array:
    """Return the energy-weighted mean over a span of the glide exp(−2γt), which is exact."""
    return np.asarray(0.5 * (np.exp(-2.0 * rate * span_s[0]) + np.exp(-2.0 * rate * span_s[1])))


def _energy(partials: Partials, start_s: float, stop_s: float) -> Array:
    """Return each partial's energy over a span much longer than its period."""
    double = 2.0 * partials.rate
    span = (np.exp(-double * start_s) - np.exp(-double * stop_s)) / double
    return np.asarray(0.5 * partials.amplitude**2 * span)


def _noise_energy(
    noises: Sequence[Noise],
    start_s: float,
    stop_s: float,
    *,
    band_hz: tuple[float, float] | None = None,
) -> float:
    total = 0.0
    for noise in noises:
        share = 1.0 if band_hz is None else _in_band(noise, band_hz)
        total += share * _burst_energy(noise, start_s, stop_s)
    return total


@lru_cache(maxsize=4096)
def _burst_energy(noise: Noise, start_s: float, stop_s: float) -> float:
    time = np.linspace(start_s, stop_s, 400)
    envelope = np.exp(-3.0 * np.log(10.0) / noise.t60_s * time)
    if noise.rise_s > 0.0:
        envelope = envelope * (1.0 - np.exp(-time / noise.rise_s))
    power = _spectrum(noise)[1].sum()
    return float(noise.amplitude**2 * power * np.trapezoid(envelope**2, time))


def _spectrum(noise: Noise) -> tuple[Array, Array]:
    return _passed(noise.low_hz, noise.high_hz)


@lru_cache(maxsize=1024)
def _passed(low_hz: float, high_hz: float) -> tuple[Array, Array]:
    """Return frequencies and the power that a unit burst has at each (``stroke._burst``).

    The band of second order in closed form: 1/(1 + Ω⁴) with Ω the bilinear transform's frequency,
    from the middle of the band, over its width (any text on digital Butterworth filters).
    """
    band = np.array([low_hz, min(high_hz, 0.45 * RATE_HZ)])
    bins = _bins()
    low, high = np.tan(np.pi * band / RATE_HZ)
    place = np.maximum(np.tan(np.pi * bins / RATE_HZ), 1e-12)
    passed = 1.0 / (1.0 + ((place**2 - low * high) / (place * (high - low))) ** 4)
    level = 2.0 * (band[1] - band[0]) / RATE_HZ
    return bins, np.asarray(passed / SPECTRUM_BINS / level)


@lru_cache(maxsize=1)
def _bins() -> Array:
    return np.arange(SPECTRUM_BINS) * 0.5 * RATE_HZ / SPECTRUM_BINS


@lru_cache(maxsize=1024)
def _in_band(noise: Noise, band_hz: tuple[float, float]) -> float:
    bins, power = _spectrum(noise)
    inside = (bins >= band_hz[0]) & (bins < band_hz[1])
    return float(power[inside].sum() / power.sum())


@lru_cache(maxsize=1024)
def _noise_attack(noises: tuple[Noise, ...]) -> tuple[Array, float, float, float]:
    """Return noise power of the first two frames, energy, that above the notes and its moment."""
    frames = np.zeros(2)
    energy = bright = moment = 0.0
    time = np.linspace(0.0, ATTACK_LENGTH_S, 400)
    window = np.sin(np.pi * time / ATTACK_LENGTH_S) ** 4
    for noise in noises:
        for i in range(2):
            frames[i] += (
                _burst_energy(noise, i * LENGTH_FRAME_S, (i + 1) * LENGTH_FRAME_S) / LENGTH_FRAME_S
            )
        energy += _burst_energy(noise, 0.0, ATTACK_LENGTH_S)
        envelope = np.exp(-3.0 * np.log(10.0) / noise.t60_s * time)
        if noise.rise_s > 0.0:
            envelope = envelope * (1.0 - np.exp(-time / noise.rise_s))
        bins, power = _spectrum(noise)
        envelope_energy = noise.amplitude**2 * float(np.trapezoid(window * envelope**2, time))
        above = bins >= CLICK_FROM_HZ
        bright += envelope_energy * float(power[above].sum())
        moment += envelope_energy * float((bins * power)[above].sum())
    return frames, energy, bright, moment


def _attack(partials: Partials, noises: Noises) -> tuple[Array, Array, Array]:
    """Return the louder of the first two frames' power, the first 10 ms' energy, and its click.

    The partials' own wave is worked out point by point: within 10 ms they have not yet parted.
    """
    step = ATTACK_LENGTH_S / ATTACK_POINTS
    # The glide's mean over the attack; within 10 ms it hardly changes.
    fallen = 2.0 * partials.of_first(partials.rate) * ATTACK_LENGTH_S
    sharp = 2.0 ** (partials.bend * -np.expm1(-fallen) / fallen / 1200.0)
    half_turn = np.exp((2j * np.pi * partials.hz * sharp - partials.rate) * (0.5 * step))
    turn = (half_turn**2).astype(np.complex64)
    state = (partials.amplitude * half_turn).astype(np.complex64)
    wave = np.empty((ATTACK_POINTS, partials.hz.shape[1]), np.float32)
    for index in range(ATTACK_POINTS):
        wave[index] = state.imag.sum(axis=0)
        state *= turn
    noise_frames, noise_energy, noise_bright, noise_moment = noises.attack()
    half = ATTACK_POINTS // 2
    basis, bins = _window_basis()
    frames = np.stack([(wave[:half] ** 2).mean(axis=0), (wave[half:] ** 2).mean(axis=0)])
    energy = (wave**2).mean(axis=0) * ATTACK_LENGTH_S + noise_energy
    power = (basis.real @ wave) ** 2 + (basis.imag @ wave) ** 2
    above = bins >= CLICK_FROM_HZ
    bright = power[above].sum(axis=0) * ATTACK_LENGTH_S + noise_bright
    moment = (bins[above, None] * power[above]).sum(axis=0) * ATTACK_LENGTH_S + noise_moment
    loudest = (frames + noise_frames).max(axis=0)
    return loudest, energy, moment / bright


@lru_cache(maxsize=1)
def _window_basis() -> tuple[NDArray[np.complex128], Array]:
    """Return a windowed DFT of the attack's points, scaled so that power sums to mean square."""
    place = (np.arange(ATTACK_POINTS) + 0.5) / ATTACK_POINTS
    rows = np.arange(ATTACK_POINTS // 2 + 1)
    window = np.sin(np.pi * place) ** 2
    kernel = np.exp(-2j * np.pi * rows[:, None] * place[None, :]) * window / ATTACK_POINTS
    # The measured centroid counts the bin at 0 Hz like any other.
    return kernel * np.sqrt(2.0), rows / ATTACK_LENGTH_S


def _length(partials: Partials, noises: Noises, loudest: Array) -> Array:
    """Return when the level of a 5 ms frame last is within 20 dB of its highest."""
    # A frame shorter than a period catches the wave's crest.
    turn = 2.0 * np.pi * partials.hz * LENGTH_FRAME_S
    crest = 1.0 + np.abs(np.sin(turn) / turn)
    power = 0.5 * partials.amplitude**2 * crest
    double = -2.0 * partials.rate
    floor = (DROP * loudest).astype(np.float32)
    falling = list(noises.falling())
    # No earlier than the last of them falls alone; from there on Newton's steps in the level's
    # logarithm, which is convex, come nearer and never too far.
    time = (np.log(np.maximum(power / floor, 1.0)) / -double).max(axis=0)
    for noise_power, rate in falling:
        np.maximum(time, np.log(np.maximum(noise_power / floor, 1.0)) / rate, out=time)
    for _ in range(NEWTON_STEPS):
        each = power * np.exp(double * time)
        level, slope = each.sum(axis=0), (each * double).sum(axis=0)
        for noise_power, rate in falling:
            part = noise_power * np.exp(-rate * time)
            level += part
            slope -= rate * part
        time = np.clip(time - np.log(level / floor) * level / slope, 0.0, LONGEST_S)
    return np.asarray(time + 0.5 * LENGTH_FRAME_S, np.float64)


def _ring(partials: Partials, first_hz: Array) -> Array:
    """Return the strongest overtone's energy re the fundamental's in dB."""
    energy = _energy(partials, *RING_S)
    over = (partials.hz > RING_FROM_RATIO * first_hz) & (partials.hz < RING_BELOW_HZ)
    top = np.where(over, energy, 0.0).max(axis=0)
    return np.asarray(10.0 * np.log10(top / (partials.of_first(energy) + 1e-15) + 1e-6))
