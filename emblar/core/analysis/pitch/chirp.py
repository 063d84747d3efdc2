"""The mean pitch of a chirping partial, by how fast its phase turns.

Conventions
-----------
Works on the low band at a given rate. A kick falls by half an octave while half its energy leaves:
a window long enough to fit partials in says what is left of it at the window's end, not the
energy-weighted mean that *settled* and *onset* pitch are (``tracking``). The band around the
partial, moved to 0 Hz, turns by 2π times how far its pitch is from there, moment by moment.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Span = tuple[float, float]
PERIODS = 3.0
"""How many of its periods the band's window holds: it parts what lies half its pitch away."""
FEWEST = 8
"""Fewer samples tell no pitch."""
FARTHEST_OCTAVES = 0.27
"""A drum's pitch stays this close to where its spectrum has its mode."""
AGREEING_CENTS = (15.0, 45.0)
"""So far apart tracked partial and phase agree, and from here the phase alone has a say."""


@dataclass(frozen=True, slots=True)
class Near:
    """A stroke in a low band: its time and how long it is undisturbed, s, and about its pitch."""

    low: Array
    rate_hz: float
    time_s: float
    available_s: float
    pitch_hz: float


def mean_pitch_hz(stroke: Near, span_s: Span) -> float | None:
    """Return the energy-weighted mean of a partial's pitch in Hz; None where there is none.

    ``span_s`` is from when to when after the stroke; what sounded before the stroke is left out.
    """
    rate, near = stroke.rate_hz, stroke.pitch_hz
    stop = min(span_s[1], stroke.available_s)
    first, count = max(round(stroke.time_s * rate), 0), round(stop * rate)
    window = np.hanning(round(PERIODS / near * rate) + 2)[1:-1]
    piece = stroke.low[first : first + count + len(window) // 2]
    if len(piece) < len(window):
        return None
    turned = piece * np.exp(-2j * np.pi * near / rate * np.arange(len(piece)))
    inside = np.convolve(turned, window, "same")[round(span_s[0] * rate) : count + 1]
    weight = np.abs(inside[1:]) ** 2
    if len(inside) < FEWEST or weight.sum() <= 0.0:
        return None
    turns = np.angle(inside[1:] * inside[:-1].conj()) / (2.0 * np.pi)
    return near + float(np.average(turns, weights=weight)) * rate


def chirp_share(turning_hz: float | None, tracked_hz: float) -> float:
    """Return how much the phase has a say in a short drum's pitch, from 0 to 1.

    Where tracked partial and phase are near each other the partial is the finer; far apart, the
    drum chirps, and the phase follows.
    """
    if turning_hz is None:
        return 0.0
    near_ct, far_ct = AGREEING_CENTS
    apart = abs(1200.0 * float(np.log2(turning_hz / tracked_hz)))
    return float(np.clip((apart - near_ct) / (far_ct - near_ct), 0.0, 1.0))


def chirped(
    stroke: Near,
    settled_hz: float | None,
    onset_hz: float | None,
    spans_s: tuple[Span, Span],
    least: float = 0.0,
) -> tuple[float | None, float | None]:
    """Return settled and onset pitch of a short drum, by partial or phase (``chirp_share``).

    What is None stays so: no partial was tracked there. ``spans_s`` are those of both, ``least`` is
    how much the phase has a say at least. Whether a drum chirps is told by its settled span; both
    pitches are then read alike, or the bend between them would be that of two methods.

    Parameters
    ----------
    stroke
        The stroke near its partial (``Near``).
    settled_hz
        Where the partial settles by its track, Hz, if told.
    onset_hz
        Where it begins by its track, Hz, if told.
    spans_s
        Settled and onset span after the stroke, s.
    least
        The least share that the phase has.
    """
    turning = [by_phase_hz(stroke, span) for span in spans_s]
    share = max(chirp_share(turning[0], settled_hz), least) if settled_hz is not None else 0.0
    settled, onset = (
        None if tracked is None else between(tracked, by_phase, share)
        for tracked, by_phase in zip((settled_hz, onset_hz), turning, strict=True)
    )
    return settled, onset


def between(tracked_hz: float, by_phase_hz: float | None, share: float) -> float:
    """Return a pitch of which the phase says so much of it, all of it the track if none is told.

    Parameters
    ----------
    tracked_hz
        By the track, Hz.
    by_phase_hz
        By the phase, Hz, if told.
    share
        How much the phase counts, from 0 to 1.
    """
    return tracked_hz if by_phase_hz is None else tracked_hz * (by_phase_hz / tracked_hz) ** share


def by_phase_hz(stroke: Near, span_s: Span) -> float | None:
    """Return ``mean_pitch_hz`` where it is near enough to the mode to be the drum's, else None."""
    result = mean_pitch_hz(stroke, span_s)
    if result is None or result <= 0.0:
        return None
    return result if abs(np.log2(result / stroke.pitch_hz)) <= FARTHEST_OCTAVES else None
