"""Taps beside the rods, the other head silenced: when, how high, how sure, or why not.

Conventions
-----------
Mono samples of shape (n,), any rate from 8 kHz; times in s from the start. The lug pitch is that
of mode (1,1); the tapped head's other modes lie at known ratios to it (``tapped_modes``), and a
reading counts only where they are found there and where little else sounds. A reading that cannot
be trusted is none: its reason says why.

Source: ESPRIT as in ``analysis.partials``; ratios of a head's modes from ``acoustics.one_head``.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.head import lug_pitch_from_tension, tension_from_lug_pitch
from emblar.core.acoustics.limits import stress_limits_pa
from emblar.core.acoustics.one_head import tapped_modes
from emblar.core.analysis.pitch.esprit import DampedSinusoid, fit_damped_sinusoids
from emblar.core.errors import BadAudioError
from emblar.core.tuning.parameters import parameter

Samples = NDArray[np.float64]
WhyNot = Literal[
    "clipped",
    "double tap",
    "something else sounds",
    "other head",
    "wrong mode",
    "cut off",
    "cannot tell",
]
LOWEST_RATE_HZ = 8000
FRAME_S = 0.010
HOP_S = 0.0025
LOOK_BACK_S = 0.12
BRIGHT_BACK_S = 0.05
BRIGHT_HZ = 1500.0
"""A low head's modes beat within a tenth of a second; the click of a stick is gone much sooner."""
MODES = 9


@dataclass(frozen=True, slots=True)
class Tap:
    """One tap: when, s; its lug pitch and uncertainty, Hz; or why there is none."""

    time_s: float
    hz: float | None
    sd_hz: float | None
    why_not: WhyNot | None = None

    @property
    def told(self) -> bool:
        """Whether the tap told a pitch."""
        return self.hz is not None


@dataclass(frozen=True, slots=True)
class TappedHead:
    """What a tap on one head may sound like.

    Parameters
    ----------
    ratios, levels_db
        Its modes over the lug pitch, and their levels beside a rod, dB re the loudest.
    low_hz, high_hz
        Between which its lug pitch can lie.
    """

    ratios: tuple[float, ...]
    levels_db: tuple[float, ...]
    low_hz: float
    high_hz: float


@lru_cache(maxsize=64)
def tapped_head(
    drum: Drum, side: Side, about_hz: float | None = None, within_semitones: float = 36.0
) -> TappedHead:
    """Return what taps on one head of a drum may sound like.

    Parameters
    ----------
    drum, side
        The drum and which of its heads is tapped.
    about_hz, within_semitones
        Where its lug pitch is thought to be and how well that is known; anywhere that the head
        bears if left out.

    Raises
    ------
    BadAudioError
        There is no such head.
    """
    k = prior_coefficients()
    film = drum.film(side)
    if film is None:
        raise BadAudioError(f"This drum has no {side} head to tap.")
    stop = 1.15 * stress_limits_pa(drum.kind, side, k)[1] * film.thickness_m
    high = lug_pitch_from_tension(drum, side, stop, k)
    low = lug_pitch_from_tension(drum, side, 0.5 * k["slack_stop"], k)
    middle = about_hz or math.sqrt(low * high)
    if about_hz is not None:
        apart = 2.0 ** (within_semitones / 12.0)
        low, high = max(low, about_hz / apart), min(high, about_hz * apart)
    tension = tension_from_lug_pitch(drum, side, middle, k)
    # A little unevenness lets both halves of every pair sound.
    rods = tension * (1.0 + 1e-6 * np.cos(np.arange(drum.rods)))
    result = sorted(tapped_modes(drum, side, rods.tolist(), 0, k), key=lambda mode: -mode.level_db)
    rows: dict[float, float] = {}
    for mode in result:
        rows.setdefault(round(mode.frequency_hz / middle, 3), mode.level_db)
    kept = list(rows.items())[:MODES]
    return TappedHead(
        tuple(r for r, _ in kept),
        tuple(v for _, v in kept),
        low,
        high,
    )


def read_taps(samples: Samples, rate_hz: int, head: TappedHead) -> tuple[Tap, ...]:
    """Return the taps in a recording, in order.

    Parameters
    ----------
    samples
        Mono, shape (n,), full scale 1.0.
    rate_hz
        Samples per second, 8000 or more.
    head
        What is tapped.

    Raises
    ------
    BadAudioError
        The rate is too low, or there is no sound at all.
    """
    if rate_hz < LOWEST_RATE_HZ:
        raise BadAudioError(
            f"{rate_hz} samples a second are too few to find taps; record with {LOWEST_RATE_HZ} "
            "or more."
        )
    samples = np.asarray(samples, np.float64)
    if len(samples) < rate_hz * 0.1 or not np.any(samples):
        raise BadAudioError("There is no sound in this clip. Check the microphone and tap again.")
    onsets = find_taps(samples, rate_hz)
    taps = []
    for i, at in enumerate(onsets):
        until = onsets[i + 1] if i + 1 < len(onsets) else len(samples) / rate_hz
        taps.append(_read(samples, rate_hz, at, until, head, i + 1 < len(onsets)))
    return tuple(taps)


def find_taps(samples: Samples, rate_hz: int) -> list[float]:
    """Return when something is struck, s: where the sound rises quickly and far."""
    bright = sosfilt(butter(4, BRIGHT_HZ, "highpass", fs=rate_hz, output="sos"), samples)
    level = _levels_db(samples, rate_hz)
    loud = float(level.max()) - parameter("tap_range")
    heard = [
        t
        for t in _rises(bright, rate_hz, BRIGHT_BACK_S)
        if level[min(round(t / HOP_S), len(level) - 1)] > loud
    ]
    result = sorted({*_rises(samples, rate_hz, LOOK_BACK_S), *heard})
    apart = parameter("tap_apart")
    return [t for i, t in enumerate(result) if i == 0 or t - result[i - 1] > apart]


def _rises(samples: Samples, rate_hz: int, back_s: float) -> list[float]:
    """Return when the level rises over the loudest of the time before, s."""
    level = _levels_db(samples, rate_hz)
    back, near = round(back_s / HOP_S), round(FRAME_S / HOP_S) + 1
    floor = float(np.percentile(level, 10))
    least = max(floor + parameter("tap_over_floor"), float(level.max()) - parameter("tap_range"))
    result: list[float] = []
    i = 0
    while i < len(level):
        before = level[max(i - back, 0) : max(i - near, 0)]
        rise = level[i] - (float(before.max()) if len(before) else floor)
        if level[i] >= least and rise >= parameter("tap_rise"):
            top = i + int(np.argmax(level[i : i + 2 * near]))
            result.append((i + 1) * HOP_S)
            i = max(top, i + round(parameter("tap_apart") / HOP_S))
        else:
            i += 1
    return result


def _levels_db(samples: Samples, rate_hz: int) -> Samples:
    size, hop = round(FRAME_S * rate_hz), round(HOP_S * rate_hz)
    energy = np.concatenate([[0.0], np.cumsum(samples**2)])
    starts = np.arange(0, max(len(samples) - size, 1), hop)
    power = (energy[np.minimum(starts + size, len(samples))] - energy[starts]) / size
    return np.asarray(10.0 * np.log10(power + 1e-12))


def _read(
    samples: Samples, rate_hz: int, at: float, until: float, head: TappedHead, followed: bool
) -> Tap:
    def none(why: WhyNot) -> Tap:
        return Tap(at, None, None, why)

    needed = max(parameter("least_span"), parameter("least_periods") / head.low_hz)
    start = at + parameter("skip_click")
    stop = min(until - 0.005, start + max(parameter("most_span"), 2.0 * needed))
    if stop - start < min(needed, parameter("least_span")):
        return none("double tap" if followed else "cut off")
    whole = samples[round(at * rate_hz) : round(stop * rate_hz)]
    if _clipped(whole):
        return none("clipped")
    low_rate = float(np.clip(head.high_hz * 8.0, 800.0, 8000.0))
    first = max(round((at - parameter("listen_before")) * rate_hz), 0)
    band = _decimated(samples[first : round(stop * rate_hz)], rate_hz, low_rate)
    begin = round((start - first / rate_hz) * low_rate)
    piece = band[begin:]
    if len(piece) < 32:
        return none("cut off")
    before = band[: max(round((at - first / rate_hz - 0.01) * low_rate), 0)]
    return _told(at, piece, before, low_rate, head) or none("cannot tell")


def _clipped(whole: Samples) -> bool:
    top = float(np.abs(whole).max())
    return top > 0.5 and float((np.abs(whole) > 0.997 * top).mean()) > parameter("clipped_share")


def _decimated(samples: Samples, rate_hz: int, low_rate: float) -> Samples:
    return np.asarray(soxr.resample(samples, rate_hz, low_rate, quality="HQ"), np.float64)


def _told(at: float, piece: Samples, before: Samples, rate: float, head: TappedHead) -> Tap | None:
    """Return what a tap tells, or a tap with the reason why it does not."""
    result = _sinusoids(piece, rate)
    if not result:
        return None
    best, second = _best_two(result, head)
    if best is None:
        return None
    hz, share = best
    if _present(result, hz, head) < parameter("least_present"):
        # The drum struck whole has other modes than one head tapped.
        return Tap(at, None, None, "other head")
    if share < parameter("least_explained"):
        hum = _hums(before, piece)
        why: WhyNot = "something else sounds" if hum else "cannot tell"
        return Tap(at, None, None, why)
    if second is not None and second[1] > share - parameter("clear_by"):
        return Tap(at, None, None, "wrong mode")
    own = _own_hz(result, hz)
    if own is None or not _is_loud(result, own):
        return Tap(at, None, None, "wrong mode")
    if _sounded_before(before, piece, rate, own):
        return Tap(at, None, None, "something else sounds")
    apart = _apart_cents(piece, rate, own)
    if apart is None or apart > parameter("agree_within"):
        return Tap(at, None, None, "cannot tell")
    sd = math.hypot(parameter("reading_sd"), 0.5 * apart)
    return Tap(at, own, own * (2.0 ** (sd / 1200.0) - 1.0))


def _sinusoids(piece: Samples, rate: float, count: int = 8) -> list[DampedSinusoid]:
    """Return what rings in a piece and dies away as drums do, the strongest first."""
    longest = round(parameter("fit_samples"))
    fit = piece[:longest]
    result = fit_damped_sinusoids(fit, rate, count=min(count, len(fit) // 8))
    top = max((s.energy for s in result), default=0.0)
    return [
        s
        for s in result
        if s.energy > top * 10.0 ** (-parameter("partial_range") / 10.0)
        and s.frequency_hz < 0.45 * rate
        and -1.0 < s.decay_rate < parameter("fastest_decay")
    ]


def _best_two(
    found: Sequence[DampedSinusoid], head: TappedHead
) -> tuple[tuple[float, float] | None, tuple[float, float] | None]:
    """Return the lug pitch that explains most of what rings, and the next other one.

    Each as (Hz, share explained). A candidate's modes have to be where the loud partials are, and
    a loud mode that is missing counts against it.
    """
    hz = np.array([s.frequency_hz for s in found])
    power = np.array([s.energy for s in found])
    power = np.sqrt(power / power.sum())
    power /= power.sum()
    ratios, weight = np.array(head.ratios), _weights(head)
    rows: list[tuple[float, float]] = []
    near = parameter("mode_near")
    for candidate in {float(f / r) for f in hz for r in head.ratios[:4]}:
        if not head.low_hz <= candidate <= head.high_hz:
            continue
        off = np.abs(np.log2(hz[:, None] / (candidate * ratios[None, :]))) * 12.0
        explained = float(power[off.min(axis=1) < near].sum())
        present = float(weight[off.min(axis=0) < near].sum())
        if off[:, np.argmin(np.abs(ratios - 1.0))].min() < near:
            rows.append((candidate, explained * (0.5 + 0.5 * present)))
    if not rows:
        return None, None
    rows.sort(key=lambda row: -row[1])
    best = rows[0]
    others = [r for r in rows[1:] if abs(math.log2(r[0] / best[0])) * 12.0 > 1.2]
    return best, (others[0] if others else None)


def _weights(head: TappedHead) -> Samples:
    weight = 10.0 ** (np.array(head.levels_db) / 40.0)
    return np.asarray(weight / weight.sum())


def _present(found: Sequence[DampedSinusoid], hz: float, head: TappedHead) -> float:
    """Return how much of what a tap at this pitch would let sound is there, 0 to 1."""
    places = np.array([s.frequency_hz for s in found])
    off = np.abs(np.log2(places[:, None] / (hz * np.array(head.ratios)[None, :]))) * 12.0
    return float(_weights(head)[off.min(axis=0) < parameter("mode_near")].sum())


def _own_hz(found: Sequence[DampedSinusoid], about_hz: float) -> float | None:
    """Return mode (1,1): both halves of its pair, weighted by how loud each is."""
    near = parameter("mode_near")
    pair = [s for s in found if abs(math.log2(s.frequency_hz / about_hz)) * 12.0 < near]
    if not pair:
        return None
    loud = max(s.amplitude for s in pair)
    pair = [s for s in pair if s.amplitude > 0.1 * loud]
    total = sum(s.amplitude for s in pair)
    return sum(s.frequency_hz * s.amplitude for s in pair) / total


def _is_loud(found: Sequence[DampedSinusoid], hz: float) -> bool:
    """Whether (1,1) is about the loudest, as it is beside a rod."""
    near = parameter("mode_near")
    own = sum(s.energy for s in found if abs(math.log2(s.frequency_hz / hz)) * 12.0 < near)
    top = max(s.energy for s in found)
    return bool(own >= top * 10.0 ** (-parameter("own_within") / 10.0))


def _level(piece: Samples, rate: float, hz: float) -> float:
    """Return the mean power near a frequency, by projecting on it."""
    if len(piece) < 16:
        return 0.0
    shape = np.hanning(len(piece))
    time = np.arange(len(piece)) / rate
    wave = np.exp(-2j * np.pi * hz * time) * shape
    return float(np.abs((piece * wave).sum() / shape.sum()) ** 2)


def _sounded_before(before: Samples, piece: Samples, rate: float, hz: float) -> bool:
    """Whether the same pitch sounded before the tap, another drum's or a note's."""
    length = min(len(before), len(piece))
    if length < 24:
        return False
    was = _level(before[-length:], rate, hz)
    current = _level(piece[:length], rate, hz)
    return bool(was > current * 10.0 ** (-parameter("before_under") / 10.0))


def _hums(before: Samples, piece: Samples) -> bool:
    if len(before) < 24:
        return False
    was, current = float(np.mean(before**2)), float(np.mean(piece[: len(before)] ** 2))
    return bool(was > current * 10.0 ** (-parameter("before_under") / 10.0))


def _apart_cents(piece: Samples, rate: float, hz: float) -> float | None:
    """Return how far apart the pitch lies in two overlapping parts of the tap, cents."""
    longest = min(round(parameter("fit_samples")), len(piece))
    size = max(round(0.7 * longest), 24)
    told = []
    for part in (piece[:size], piece[longest - size : longest]):
        own = _own_hz(_sinusoids(part, rate), hz)
        if own is None:
            return None
        told.append(own)
    return abs(1200.0 * math.log2(told[0] / told[1]))
