"""Tuning by ear alone: strokes while the tension is swept, and where the drum sounds best.

Conventions
-----------
No lug is tapped: the drum is struck, cranked a little all round, struck again. Each stroke is a
point: pitch in Hz, T60 in s, level of its loudest overtone re the note in dB. How good a point is
counts in audible steps: the more periods it rings the better (every drum rings longer in seconds
the lower it is), and an overtone louder than ``PURE_DB`` under the note takes away. Points are
smoothed over ``WIDTH_SEMITONES``; the sweet spot is where that is highest.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from annotated_types import Gt
from numpy.typing import NDArray

from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.errors import BadAudioError
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps

Array = NDArray[np.float64]
Verdict = Literal["sweet", "still rising", "still falling", "flat", "too few"]
FEWEST = 4
NARROWEST_SEMITONES = 1.5
WIDTH_SEMITONES = 0.75
GRID_SEMITONES = 0.1
PURE_DB = -12.0
USUAL_PERIODS = 100.0
NEAR_SEMITONES = 3.5
EDGE_SEMITONES = 1.2
LEAST_STEPS = 1.0
BEFORE_S = 0.12
LONGEST_S = 2.5
SHORTEST_S = 0.35
MOST_STROKES = 40


@dataclass(frozen=True, slots=True)
class SweepPoint:
    """One stroke of a sweep: pitch in Hz, T60 in s, loudest overtone re the note in dB."""

    hz: Annotated[float, Gt(0)]
    t60_s: Annotated[float, Gt(0)]
    ring_db: float

    @property
    def goodness(self) -> float:
        """Return how good it sounds in audible steps: length, less what rings over the note."""
        long = steps()["sustain"].apart(self.t60_s * self.hz, USUAL_PERIODS)
        return long - max(self.ring_db - PURE_DB, 0.0) / steps()["ring"].step


@dataclass(frozen=True, slots=True)
class Sweep:
    """What a sweep tells: the verdict, where it is best, and the smoothed curve.

    ``curve`` is (Hz, goodness in steps); ``hz`` is None where no place can be told.
    """

    verdict: Verdict
    hz: float | None
    curve: tuple[tuple[float, float], ...]


def sweep(points: Sequence[SweepPoint]) -> Sweep:
    """Return where a drum sounds best among the strokes of a sweep."""
    if len(points) < FEWEST:
        return Sweep("too few", None, ())
    places = 12.0 * np.log2(np.array([p.hz for p in points]))
    if np.ptp(places) < NARROWEST_SEMITONES:
        return Sweep("too few", None, ())
    good = np.array([p.goodness for p in points])
    grid = np.arange(places.min(), places.max() + 0.5 * GRID_SEMITONES, GRID_SEMITONES)
    weight = np.exp(-0.5 * ((grid[:, None] - places) / WIDTH_SEMITONES) ** 2)
    curve = (weight @ good) / weight.sum(axis=1)
    known = tuple(
        (float(2.0 ** (g / 12.0)), float(value)) for g, value in zip(grid, curve, strict=True)
    )
    top = int(np.argmax(curve))
    if curve[top] - float(np.median(curve)) < LEAST_STEPS and np.ptp(curve) < 2.0 * LEAST_STEPS:
        return Sweep("flat", None, known)
    best = _vertex(places, good, float(grid[top]))
    if max(best, grid[top]) > grid[-1] - EDGE_SEMITONES:
        return Sweep("still rising", None, known)
    if min(best, grid[top]) < grid[0] + EDGE_SEMITONES:
        return Sweep("still falling", None, known)
    return Sweep("sweet", 2.0 ** (best / 12.0), known)


def _vertex(places: Array, good: Array, top: float) -> float:
    """Return where a parabola through the strokes near the top has its vertex, in semitones.

    The smoothed curve leans towards where more strokes are; the parabola does not.
    """
    near = np.abs(places - top) < NEAR_SEMITONES
    if int(near.sum()) < FEWEST:
        return top
    bend, slope, _ = np.polyfit(places[near] - top, good[near], 2)
    vertex = -slope / (2.0 * bend) if bend < 0.0 else 0.0
    return top + float(np.clip(vertex, -WIDTH_SEMITONES * 2.0, WIDTH_SEMITONES * 2.0))


def read_sweep(audio: Audio, voice: str) -> list[SweepPoint]:
    """Return the strokes of a recording of one drum, those whose pitch and length can be told.

    Raises
    ------
    BadAudioError
        No stroke can be read.
    """
    result = analyse(audio, kind="drums", voice=voice)
    times = [hit.time_s for hit in result.hits][:MOST_STROKES]
    rate, points = audio.sample_rate_hz, []
    for time, after in zip(times, [*times[1:], math.inf], strict=True):
        stop = min(time + LONGEST_S, after - 0.03)
        if stop - time < SHORTEST_S:
            continue
        piece = audio.samples[round(max(time - BEFORE_S, 0.0) * rate) : round(stop * rate)]
        point = _point(Audio(piece, rate), voice)
        if point is not None:
            points.append(point)
    if not points:
        raise BadAudioError(
            "No stroke of this can be read. Strike in the middle, let each ring, and silence the "
            "other drums."
        )
    return points


def _point(audio: Audio, voice: str) -> SweepPoint | None:
    try:
        card = analyse(audio, kind="hit", voice=voice).voices[0]
    except (BadAudioError, IndexError):
        return None
    if not isinstance(card["pitch"], Measured) or not isinstance(card["sustain"], Measured):
        return None
    ring = card["ring"].value if isinstance(card["ring"], Measured) else PURE_DB
    return SweepPoint(card["pitch"].value, card["sustain"].value, ring)
