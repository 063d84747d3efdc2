"""Which strokes are fit for measuring, and how long each stays undisturbed.

Conventions
-----------
Times in s. A stroke is clean if no other drum starts with it or within its measuring span, and it
is within 15 dB of its voice's loudest. Hats and cymbals do not disturb the low notes of drums,
drums disturb everything. A clipped stroke is clean: its note is not moved by it (``clipping``).
"""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from annotated_types import Interval
from numpy.typing import NDArray

from emblar.core.analysis.card.measure import CleanStroke
from emblar.core.analysis.signal.low_band import StrokeSpan
from emblar.core.voices import VoiceName

Array = NDArray[np.float64]
WITHIN_LOUDEST_DB = 15.0
"""Softer strokes than this under their voice's loudest are not measured: what sounds on covers
them."""
CLEAN_S = {"tom": 0.30, "hat": 0.06, "cymbal": 0.06}
"""How long no drum may be struck after it, s: as long as its shortest reading takes."""
CLEAN_SHORT_S = 0.16
"""The same of kick and snare, s."""
WITH_METAL_S = 0.015
"""A hat or cymbal this near colours the first moment of a drum, s."""
TIDY_S = 0.004
"""Strokes nearer than this are struck together, s."""
LEAD_S = 0.008
"""A stroke's rise begins a little before its onset time."""
HIGH_VOICES = ("hat", "cymbal")


@dataclass(frozen=True, slots=True)
class AnalysedHit:
    """A stroke as kept: time in s, voice, level in dBFS, confidence 0 to 1, fit for measuring.

    ``manner`` says how it was played where that can be told (``card.articulation``).
    """

    time_s: float
    voice: str
    level_db: float
    confidence: Annotated[float, Interval(ge=0, le=1)]
    clean: bool
    manner: str = ""


def _next(times: Array, after_s: float, end_s: float) -> float:
    index = int(np.searchsorted(times, after_s + TIDY_S, side="right"))
    return float(times[index]) if index < len(times) else end_s


def _drum_times(hits: Sequence[AnalysedHit]) -> Array:
    return np.array(sorted({h.time_s for h in hits if h.voice not in HIGH_VOICES}))


def mark_clean(
    hits: Sequence[AnalysedHit],
    duration_s: float,
    regions_s: Sequence[tuple[float, float]] = (),
) -> tuple[AnalysedHit, ...]:
    """Return the hits with ``clean`` told anew.

    With ``regions_s`` (start, stop) only strokes inside one of them are fit for measuring.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    duration_s
        Length of the recording, s.
    regions_s
        If given, only strokes inside one of these stretches (start, stop) are clean.
    """
    loudest: dict[str, float] = {}
    for hit in hits:
        loudest[hit.voice] = max(loudest.get(hit.voice, -200.0), hit.level_db)
    drums = _drum_times(hits)
    together = Counter(h.time_s for h in hits if h.voice not in HIGH_VOICES)
    marked = []
    for hit in hits:
        needed = CLEAN_S.get(VoiceName(hit.voice).kind, CLEAN_SHORT_S)
        clean = (
            _next(drums, hit.time_s, duration_s) - hit.time_s >= needed
            and together[hit.time_s] <= (0 if hit.voice in HIGH_VOICES else 1)
            and hit.level_db >= loudest[hit.voice] - WITHIN_LOUDEST_DB
            and (not regions_s or any(a <= hit.time_s < b for a, b in regions_s))
        )
        marked.append(replace(hit, clean=clean))
    return tuple(marked)


def clean_strokes(hits: Sequence[AnalysedHit], voice: str, duration_s: float) -> list[CleanStroke]:
    """Return the clean strokes of a voice, those that stay undisturbed longest first.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    voice
        Name of the voice: ``kick``, ``tom-1``, …
    duration_s
        Length of the recording, s.
    """
    drums, every = _drum_times(hits), np.array(sorted({h.time_s for h in hits}))
    metal = np.array([h.time_s for h in hits if h.voice in HIGH_VOICES])
    metal = metal[:0] if voice in HIGH_VOICES else metal
    strokes = [
        CleanStroke(
            hit.time_s,
            hit.level_db,
            _next(drums, hit.time_s, duration_s) - hit.time_s - LEAD_S,
            _next(every, hit.time_s, duration_s) - hit.time_s - LEAD_S,
            bool(np.any(np.abs(metal - hit.time_s) < WITH_METAL_S)),
        )
        for hit in hits
        if hit.voice == voice and hit.clean
    ]
    return sorted(strokes, key=lambda s: -s.drum_gap_s)


def spans_of(hits: Sequence[AnalysedHit], voice: str, duration_s: float) -> list[StrokeSpan]:
    """Return all strokes of a voice with the time until the next one on any drum, s.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    voice
        Name of the voice: ``kick``, ``tom-1``, …
    duration_s
        Length of the recording, s.
    """
    drums = _drum_times(hits)
    return [
        StrokeSpan(hit.time_s, _next(drums, hit.time_s, duration_s) - hit.time_s - LEAD_S)
        for hit in hits
        if hit.voice == voice
    ]


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of the recording, s, and how many clean strokes of a voice it holds."""

    start_s: float
    stop_s: float
    clean: int


def clean_stretches(
    hits: Sequence[AnalysedHit],
    voice: str,
    *,
    duration_s: float = math.inf,
    length_s: float = 8.0,
    most: int = 3,
) -> list[Stretch]:
    """Return the stretches in which a voice is heard most cleanly, best first, none overlapping.

    Parameters
    ----------
    hits
        The strokes of the recording, ascending.
    voice
        Name of the voice: ``kick``, ``tom-1``, …
    duration_s
        How long the recording is, s: no stretch passes its end.
    length_s
        How long each is at most, s.
    most
        How many at most.
    """
    times = np.array(sorted(h.time_s for h in hits if h.voice == voice and h.clean))
    result: list[Stretch] = []
    left = times
    while len(left) and len(result) < most:
        counts = np.searchsorted(left, left + length_s, side="right") - np.arange(len(left))
        best = int(np.argmax(counts))
        start = max(float(left[best]) - 0.5, 0.0)
        result.append(Stretch(start, min(start + length_s, duration_s), int(counts[best])))
        left = left[(left < start - length_s) | (left >= start + length_s)]
    return result
