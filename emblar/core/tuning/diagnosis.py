"""What one stroke gives away: warble, rattle, a dead head, a note that has moved.

Conventions
-----------
Works on a mono stroke at ``ANALYSIS_RATE_HZ`` and its card; facts only, worded in
``diagnosis.toml``. Causes come ranked, the surest first. What is expected is the model's for the
heads as tapped.
"""

import math
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from emblar.core.acoustics.drum import Kind, Side
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.quantities import Measured
from emblar.core.quantities.card import Card
from emblar.core.tuning.parameters import parameter

Samples = NDArray[np.float64]
FRAME_S = 0.004
BRIGHT_HZ = 3000.0


@dataclass(frozen=True, slots=True)
class Expected:
    """What the model gives for the heads as they are: drum pitch in Hz, sustain in s.

    ``slack`` names a head below the tension where it turns papery, or None; ``uneven`` holds the
    lug pitch in Hz of each head that was tapped round, and how far its rods lie apart, cents;
    ``planned_s`` is the sustain of the plan, ``tighter`` by how many semitones the resonant head
    lies above its plan.
    """

    pitch_hz: float | None = None
    sustain_s: float | None = None
    slack: Side | None = None
    uneven: Mapping[Side, tuple[float, float]] = field(default_factory=dict)
    planned_s: float | None = None
    tighter: float | None = None


@dataclass(frozen=True, slots=True)
class Cause:
    """One thing a stroke gives away: which (``diagnosis.toml``), how sure (0 to 1), its numbers."""

    id: str
    sure: float
    numbers: dict[str, float] = field(default_factory=dict)
    head: Side | None = None


@dataclass(frozen=True, slots=True)
class CauseText:
    """How a cause is told."""

    symptom: str
    mostly: str
    checks: tuple[str, ...]


@lru_cache(maxsize=1)
def cause_texts() -> dict[str, CauseText]:
    """Return every cause's text, by id."""
    text = (resources.files(__package__) / "diagnosis.toml").read_text(encoding="utf-8")
    return {
        name: CauseText(row["heard"], row["mostly"], tuple(row["checks"]))
        for name, row in tomllib.loads(text).items()
    }


def diagnose(
    stroke: Samples, at_s: float, card: Card, kind: Kind, expected: Expected
) -> tuple[Cause, ...]:
    """Return what a stroke gives away, the surest first.

    Parameters
    ----------
    stroke
        Mono, at ``ANALYSIS_RATE_HZ``, shape (n,).
    at_s
        When it is struck, s.
    card
        What the stroke measures.
    kind, expected
        The kind of drum, and what the model gives for it as tapped.
    """
    choked = _choked(card, kind, expected)
    result = [
        _warble(expected),
        _off_note(card, expected),
        choked or _dead(card, expected),
        _rattle(stroke, at_s, kind),
        _slap_back(stroke, at_s),
        _papery(card, expected),
    ]
    return tuple(sorted((c for c in result if c is not None), key=lambda c: -c.sure))


def _pitch(card: Card) -> float | None:
    return card["pitch"].value if isinstance(card["pitch"], Measured) else None


def _warble(expected: Expected) -> Cause | None:
    """Whether one of the heads, as tapped, is uneven enough to beat with itself."""
    worst = max(expected.uneven.items(), key=lambda kv: kv[1][1], default=None)
    if worst is None or worst[1][1] < parameter("warble_least"):
        return None
    side, (hz, cents) = worst
    sure = min(1.0, cents / parameter("warble_sure"))
    beat = hz * (2.0 ** (cents / 1200.0) - 1.0)
    return Cause("warble", 0.4 + 0.4 * sure, {"hz": beat, "ct": cents}, side)


def _off_note(card: Card, expected: Expected) -> Cause | None:
    pitch = _pitch(card)
    if pitch is None or expected.pitch_hz is None:
        return None
    off = 1200.0 * math.log2(pitch / expected.pitch_hz)
    if abs(off) < parameter("off_note"):
        return None
    return Cause("off-note", 0.6, {"ct": off})


def _dead(card: Card, expected: Expected) -> Cause | None:
    if not isinstance(card["sustain"], Measured) or expected.sustain_s is None:
        return None
    share = card["sustain"].value / expected.sustain_s
    if share > parameter("dead_share"):
        return None
    return Cause("dead", 0.8 - share, {"share": share})


def _choked(card: Card, kind: Kind, expected: Expected) -> Cause | None:
    """Whether a drum speaks far shorter than planned under a resonant head above its plan."""
    sustain_s, tighter = card.value("sustain"), expected.tighter
    if kind == "kick" or sustain_s is None or expected.planned_s is None or tighter is None:
        return None
    share = sustain_s / expected.planned_s
    if share > parameter("dead_share") or tighter < parameter("choked_least"):
        return None
    return Cause("choked", 0.85 - 0.5 * share, {"share": share, "semitones": tighter}, "reso")


def _levels_db(samples: Samples) -> Samples:
    size = round(FRAME_S * ANALYSIS_RATE_HZ)
    count = len(samples) // size
    power = (samples[: count * size].reshape(count, size) ** 2).mean(axis=1)
    return np.asarray(10.0 * np.log10(power + 1e-12))


def _rattle(stroke: Samples, at_s: float, kind: Kind) -> Cause | None:
    """Whether something bright goes on for long after a tom's or kick's stick has gone."""
    if kind == "snare":
        return None
    sos = butter(4, BRIGHT_HZ, "highpass", fs=ANALYSIS_RATE_HZ, output="sos")
    level = _levels_db(np.asarray(sosfilt(sos, stroke)))
    start = round(at_s / FRAME_S)
    top = float(level[start : start + round(0.03 / FRAME_S)].max(initial=-120.0))
    later = level[start + round(0.12 / FRAME_S) : start + round(0.35 / FRAME_S)]
    before = level[: max(start - 2, 0)]
    if len(later) == 0 or len(before) < 5:
        return None
    mean, floor = float(later.mean()), float(np.median(before))
    over = mean - floor > parameter("rattle_over_floor")
    if over and mean > top - parameter("rattle_under_stick"):
        return Cause("rattle", 0.55)
    return None


def _slap_back(stroke: Samples, at_s: float) -> Cause | None:
    """Find a second knock in what is bright, 15 to 150 ms after the first."""
    sos = butter(4, 1000.0, "highpass", fs=ANALYSIS_RATE_HZ, output="sos")
    level = _levels_db(np.asarray(sosfilt(sos, stroke)))
    start = round(at_s / FRAME_S)
    first = start + round(0.015 / FRAME_S)
    span = level[first : start + round(0.15 / FRAME_S)]
    if len(span) < 8:
        return None
    rises = span[2:] - np.minimum.accumulate(span)[:-2]
    place = int(np.argmax(rises))
    loud = float(level[start : start + 3].max())
    if rises[place] < parameter("slap_rise") or span[place + 2] < loud - parameter("slap_under"):
        return None
    return Cause("slap-back", 0.5, {"ms": 1000.0 * FRAME_S * (first - start + place + 2)})


def _papery(card: Card, expected: Expected) -> Cause | None:
    ring = card["ring"].value if isinstance(card["ring"], Measured) else None
    if expected.slack is None or ring is None or ring < 0.0:
        return None
    return Cause("papery", 0.6, head=expected.slack)
