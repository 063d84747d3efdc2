"""How long the fundamental of one stroke rings: T60, and how much the reading can be trusted.

Conventions
-----------
T60 is from the slope of the tracked amplitude until the next stroke of any drum, or until it comes
near the noise. Where a room rings on after the strokes, a decay may be read in three ways: its
first slope, the faster of two slopes (the slower one the room's), and the whole of it. A tom with
a fast start and a long ring of its own also has two slopes. The faster one is therefore used only
where the slower one lasts as long as the room's tail in the treble, and the distance between the
readings is part of the uncertainty (``Decay.doubt``). All weights are continuous, so that a small
change of the level changes the answer little.

Source: the room's tail in ``card.room_tail``; two slopes in ``double_slope``.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.pitch.double_slope import two_slopes
from emblar.core.quantities.card import Track

Array = NDArray[np.float64]
NOISE_MARGIN_DB = 8.0
"""A partial is lost when it is no more than this over the noise, dB."""
FIRST_SLOPE_DB = 22.0
"""How far down a decay is read where a room rings on, dB."""
WHOLE_DB = 30.0
"""How far down a decay is read where no room rings on, dB."""
LEAST_FALL_DB = 6.0
"""A decay is measured only if it falls by this much, dB."""
FEWEST_ON_SLOPE = 3
"""Windows that a slope needs."""
ENOUGH_ON_SLOPE = 5
"""With this many windows the attack is left out."""
ATTACK_S = 0.03
"""How long the attack lasts, s."""
WELL_BELOW_DB = 9.0
"""A fall this far below the peak is the drum's own, dB."""
STEEP_DB_PER_S = 150.0
"""A fall this steep is the drum's own, dB/s."""
AGAIN_DB = 2.5
"""What rises by this much after such a fall belongs to something else, dB ..."""
AGAIN_WITHIN = 5
"""... within this many windows ..."""
BEATING_DB = 6.0
"""... unless it comes as near the peak as a beating pair does, dB."""
TWO_SLOPES_LEFT = (0.25, 0.55)
"""Share of one slope's misfit that two slopes leave: below the first two explain the decay much
better, above the second they do not (chosen on the lone strokes of 16 sampled kits)."""
SAME_ROOM = (0.5, 1.0)
"""How far the slower slope may last from the room's tail, as a natural logarithm: below the first
it is the room's, above the second it is not. A room rings longer in the bass than in the treble."""
BASS_RATIO = 1.3
"""How many times as long a room rings near a drum's note as above 2 kHz (assumption)."""
AGREE = math.log(1.3)
"""Readings this close, as a natural logarithm, count as one."""


@dataclass(frozen=True, slots=True)
class RoomTail:
    """Whether a room rings on after a drum, and for how long above 2 kHz, where that is known."""

    present: bool
    t60_s: float | None = None


UNKNOWN_ROOM = RoomTail(True)
"""A room may ring on, and its T60 is not known."""


@dataclass(frozen=True, slots=True)
class Decay:
    """T60 in s, None where it cannot be read, and its uncertainty as a natural logarithm."""

    t60_s: float | None
    doubt: float


def fit_decay(track: Track, noise_amplitude: float, *, room: RoomTail) -> Decay | None:
    """Return T60 of the tracked fundamental, or None where less than 6 dB is seen to fall.

    Parameters
    ----------
    track
        The tracked partial.
    noise_amplitude
        Amplitude of the noise, in which the partial is lost.
    room
        Whether a room may ring on after the drum.
    """
    audible = _until_lost(track.amplitude, 10.0 ** (NOISE_MARGIN_DB / 20.0) * noise_amplitude)
    time, level = track.time_s[audible], 20.0 * np.log10(track.amplitude[audible] + 1e-20)
    if len(time) < FEWEST_ON_SLOPE:
        return None
    whole = _slope_t60_s(time, level, WHOLE_DB)
    if not room.present:
        return None if whole is None else Decay(whole, 0.0)
    first = _slope_t60_s(time, level, FIRST_SLOPE_DB)
    if first is None or whole is None:
        known = first or whole
        return None if known is None else Decay(known, 0.0)
    return _weigh(time, level, math.log(first), math.log(whole), room)


def _weigh(time: Array, level: Array, first: float, whole: float, room: RoomTail) -> Decay:
    """Return T60 from the logarithms of the first slope and of the whole, and from two slopes."""
    peak = _peak_at(level)
    two = two_slopes(time[peak:], level[peak:])
    readings, value = [first, whole], first
    if two is not None and two.left < TWO_SLOPES_LEFT[1]:
        fast, weight = math.log(two.fast_s), _ramp(two.left, TWO_SLOPES_LEFT)
        off = 0.0 if room.t60_s is None else abs(math.log(two.slow_s / (BASS_RATIO * room.t60_s)))
        is_room = _ramp(off, SAME_ROOM)
        value += weight * (is_room * fast + (1.0 - is_room) * whole - first)
        readings.append(first + weight * (fast - first))
    apart = max(abs(reading - value) for reading in readings)
    return Decay(math.exp(value), 0.5 * max(apart, 0.0) if apart > AGREE else 0.0)


def _ramp(value: float, limits: tuple[float, float]) -> float:
    """Return 1 up to the first limit, 0 from the second on, and a straight line between them."""
    low, high = limits
    return float(np.clip((high - value) / (high - low), 0.0, 1.0))


def _slope_t60_s(time: Array, level: Array, down_db: float) -> float | None:
    """Return T60 in s of a straight line through a decay as far as ``down_db`` under its peak."""
    stop = _first_slope(time, level, down_db)
    time, level = time[:stop], level[:stop]
    # The first windows hold the attack, too; of a short drum they are all there is.
    late = time > ATTACK_S
    if np.count_nonzero(late) >= ENOUGH_ON_SLOPE:
        time, level = time[late], level[late]
    if len(time) < FEWEST_ON_SLOPE:
        return None
    # Robust line: fit, drop what lies far off (beats, a neighbour's tail), fit again.
    for _ in range(3):
        slope, offset = np.polyfit(time, level, 1)
        residual = level - (slope * time + offset)
        keep = np.abs(residual) <= max(2.0 * float(np.std(residual)), 0.3)
        if keep.all() or np.count_nonzero(keep) < ENOUGH_ON_SLOPE:
            break
        time, level = time[keep], level[keep]
    seen = -slope * (time[-1] - time[0])
    return float(-60.0 / slope) if slope < 0 and seen >= LEAST_FALL_DB else None


def _until_lost(amplitude: Array, least: float) -> NDArray[np.bool_]:
    """Return where a partial is heard: what comes up again after it was lost is the room's."""
    detected = np.asarray(amplitude > least)
    if detected.any():
        half = max(len(amplitude) // 2, 1)
        peak = int(np.argmax(np.where(detected, amplitude, 0.0)[:half]))
        lost = np.flatnonzero(~detected[peak:])
        if len(lost) and lost[0] >= FEWEST_ON_SLOPE:
            detected[peak + lost[0] :] = False
    return detected


def _peak_at(level_db: Array) -> int:
    """Return where a partial is loudest, in the first half: what comes later is another's."""
    return int(np.argmax(level_db[: max(len(level_db) // 2, 1)]))


def _first_slope(time_s: Array, level_db: Array, down_db: float) -> int:
    """Return how many windows there are before the room, or a neighbour, takes over.

    That is ``down_db`` down, or where a steep fall well below the peak turns round without coming
    near it again as a beating pair would.
    """
    peak = _peak_at(level_db)
    fallen, since = level_db[peak] - level_db, time_s - time_s[peak]
    under = np.nonzero(fallen[peak:] > down_db)[0]
    stop = peak + int(under[0]) if len(under) else len(level_db)
    for i in range(peak + 1, stop):
        steep = fallen[i] > max(WELL_BELOW_DB, STEEP_DB_PER_S * since[i])
        after = fallen[i + 1 : i + 1 + AGAIN_WITHIN]
        again = len(after) > 0 and after.min() < fallen[i] - AGAIN_DB
        if steep and again and fallen[i:].min() > BEATING_DB:
            return i + 1
    return stop
