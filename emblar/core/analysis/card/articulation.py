"""How a stroke was played: flam, ghost note, rimshot, cross-stick, where it can be told.

Conventions
-----------
A *manner* is told against the other strokes of the same voice in the same recording, never against
a general sound: what is a rimshot on one snare is the plain stroke of another. Levels in dB. The
empty manner is a plain stroke, or one of which it cannot be told.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples

Array = NDArray[np.float64]
FLAM = "flam"
GHOST = "ghost"
RIMSHOT = "rimshot"
CROSS_STICK = "cross-stick"
FLAM_GAP_S = (0.010, 0.052)
"""Closer than this is one stroke; wider apart are two strokes."""
GRACE_BELOW_DB = 1.0
"""A flam's first stroke is at least this much softer: two equal ones are a fast figure."""
GHOST_BELOW_DB = 12.0
"""A ghost note is at least this much under the middle of the louder half of the strokes, dB."""
BODY_HZ = (90.0, 350.0)
MIDDLE_HZ = (450.0, 2200.0)
WIRES_HZ = (4000.0, 12000.0)
"""Bands in which body, middle and wires of a snare are heard."""
EARLY_S = (0.0, 0.060)
WIRES_S = (0.020, 0.120)
"""When after the stroke body and middle are read, and when the wires, s."""
NO_BODY_DB = 8.0
NO_WIRES_DB = 8.0
"""A cross-stick lacks this much of the body and of the wires, against its middle."""
RIM_RING_DB = 5.0
RIM_BELOW_LOUD_DB = 6.0
"""A rimshot has this much more of the middle against the body, and is among the loud strokes."""
LEAST_STROKES = 4
"""Fewer strokes have no usual sound to be held against."""


@dataclass(frozen=True, slots=True)
class _Colours:
    """Levels of one stroke in dB: body, middle, wires."""

    body: float
    middle: float
    wires: float


def with_manners(hits: Sequence[AnalysedHit], mono: Samples) -> tuple[AnalysedHit, ...]:
    """Return the hits with how each was played told anew."""
    manners = dict.fromkeys(range(len(hits)), "")
    for voice in sorted({h.voice for h in hits}):
        voice_hits = [i for i, hit in enumerate(hits) if hit.voice == voice]
        if voice == "snare":
            manners |= _snare_manners([(i, hits[i]) for i in voice_hits], hits, mono)
        if voice not in ("hat", "cymbal"):
            manners |= _flams([(i, hits[i]) for i in voice_hits])
    return tuple(replace(hit, manner=manners[i]) for i, hit in enumerate(hits))


def _flams(strokes: list[tuple[int, AnalysedHit]]) -> dict[int, str]:
    result: dict[int, str] = {}
    for (first, grace), (second, main) in itertools.pairwise(strokes):
        gap = main.time_s - grace.time_s
        softer = main.level_db - grace.level_db
        if FLAM_GAP_S[0] <= gap <= FLAM_GAP_S[1] and softer >= GRACE_BELOW_DB:
            result |= {first: FLAM, second: FLAM}
    return result


def _snare_manners(
    strokes: list[tuple[int, AnalysedHit]], hits: Sequence[AnalysedHit], mono: Samples
) -> dict[int, str]:
    """Return the manner of snare strokes that have one."""
    if len(strokes) < LEAST_STROKES:
        return {}
    together = [h.time_s for h in hits if h.voice not in ("snare", "hat")]
    levels = np.array([hit.level_db for _, hit in strokes])
    loud = float(np.median(levels[levels >= np.median(levels)]))
    colours = [_colours(mono, hit.time_s) for _, hit in strokes]
    body, wires = (
        np.array([getattr(c, name) - c.middle for c in colours]) for name in ("body", "wires")
    )
    usual_body, usual_wires = float(np.median(body)), float(np.median(wires))
    result = {}
    for row, (index, hit) in enumerate(strokes):
        # A kick, tom or cymbal struck with it would be heard as the snare's own colour.
        alone = all(abs(t - hit.time_s) > FLAM_GAP_S[1] for t in together)
        less_body, less_wires = usual_body - body[row], usual_wires - wires[row]
        if alone and less_body >= NO_BODY_DB and less_wires >= NO_WIRES_DB:
            result[index] = CROSS_STICK
        elif hit.level_db <= loud - GHOST_BELOW_DB:
            result[index] = GHOST
        elif alone and less_body >= RIM_RING_DB and hit.level_db >= loud - RIM_BELOW_LOUD_DB:
            result[index] = RIMSHOT
    return result


def _colours(mono: Samples, time_s: float) -> _Colours:
    early, late = _spectrum(mono, time_s, EARLY_S), _spectrum(mono, time_s, WIRES_S)
    return _Colours(_level(early, BODY_HZ), _level(early, MIDDLE_HZ), _level(late, WIRES_HZ))


def _spectrum(mono: Samples, time_s: float, span_s: tuple[float, float]) -> tuple[Array, Array]:
    first, last = (max(round((time_s + s) * ANALYSIS_RATE_HZ), 0) for s in span_s)
    piece = mono[first:last]
    if len(piece) < 64:
        return np.zeros(1), np.zeros(1)
    power = np.abs(np.fft.rfft(piece * np.hanning(len(piece)))) ** 2 / len(piece)
    bins = np.fft.rfftfreq(len(piece), 1.0 / ANALYSIS_RATE_HZ)
    return np.asarray(bins, np.float64), np.asarray(power, np.float64)


def _level(spectrum: tuple[Array, Array], band_hz: tuple[float, float]) -> float:
    bins, power = spectrum
    inside = (bins >= band_hz[0]) & (bins < band_hz[1])
    return 10.0 * float(np.log10(power[inside].sum() + 1e-12))
