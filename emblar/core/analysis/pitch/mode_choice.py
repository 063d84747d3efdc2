"""Which mode of a drum is its fundamental.

Conventions
-----------
The mode is chosen on the voice's own spectrum: what its strokes add, each scaled to unit energy,
the median over strokes. Toms and kicks: the strongest peak in range; snares: the lowest within
``SNARE_WITHIN_DB`` of it, since a higher one is often the louder. Spectra are power at ``grid_hz``.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks

from emblar.core.analysis.signal.low_band import (
    StrokeSpan,
    grid_hz,
    power_in,
    settle_span,
)

Array = NDArray[np.float64]
RANGES_HZ = {"kick": (31.0, 135.0), "snare": (125.0, 340.0), "tom": (48.0, 260.0)}
"""Where fundamentals of drums as they are tuned lie, Hz."""
MOST_BED = {"kick": 0.3, "snare": 0.3, "tom": 1.0}
"""Share of what was there before from which a range counts as another's, too; toms ring on."""
LOWEST_WITHIN_DB = {"snare": 9.0, "tom": 4.0}
"""The lowest peak this close to the strongest is the fundamental, dB."""
SECOND_OVER_FIRST = (1.45, 2.0)
UNDER_WITHIN_DB = 10.0
NAMED_WITHIN_DB = 5.0
"""Where a tom's (1,1) lies over its (0,1), between two heads and air; least level of the (0,1) …
… and, where only toms are put in order by it, less is dared."""
HEADS_OVER_FIRST = (2.0, 2.4)
HEADS_WITHIN_DB = 15.0
"""The same of the mode in which the heads move against each other."""
PEAK_FLOOR_DB = -12.0
EARLY_FLOOR_DB = -18.0
"""Fainter peaks re the strongest are none: once settled, and right after the stroke, dB."""
HIGHEST_PUNCH_HZ = 105.0
PUNCH_WITHIN_DB = 3.0
KICK_SECOND_OVER_FIRST = (1.8, 2.7)
"""Above this a kick is not tuned: what is nearly as loud below it is its fundamental, or else what
lies where its first mode of m = 0 would under the loudest as its second."""
HIGHEST_SNARE_HZ = 250.0
SNARE_SECOND_OVER_FIRST = (1.25, 1.9)
SNARE_WITHIN_DB = 14.0
"""Above this few snares are tuned; where the mode lies that is often louder than the first."""
OFFERED_DB = -9.0
OFFERED_OVER_HZ = 72.0
OFFERED_FLOOR_DB = -24.0
"""Above this a kick's loudest mode may be an overtone of a note that is gone at once."""
SAME_PEAK = 0.04
EARLY_S = (0.015, 0.120)
"""Peaks this near each other are one; span right after the stroke, s."""
TOM_OVER_BED_S = (0.030, 0.200)
"""Span of a tom's strokes in which they are compared under others, s."""
FEWEST_OVER_BED = 3
LEAST_COMMON = 0.2
LEAST_AGREEING = 0.4
LEAST_CONCENTRATED = 0.4
"""Strokes that must be there, share of what they add that they must have in common, share of kicks
that must be strongest there, share of a snare's that must lie near its pitch."""
SHORTEST_SPAN_S = 0.06
"""Shorter spans part no two modes, s."""
BEFORE_S = 0.20
BEFORE_SHARE = 0.35
LEAST_LEFT = 0.1
LEAST_ADDED = 1e-3
"""How long before a stroke is listened to, s; how much of it is taken off; how much of what sounds
now stays at least, alone and over others."""


def added_spectrum(
    low: Array,
    stroke: StrokeSpan,
    kind: str,
    span_s: tuple[float, float] | None = None,
    before_share: float = BEFORE_SHARE,
) -> Array | None:
    """Return what a stroke adds in its settled span, power; None if it is cut off before.

    ``before_share`` of what sounded before it is taken off: all of it if that is 1, else never so
    much that less than ``LEAST_LEFT`` of what sounds now stays.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    stroke
        The stroke, with the time until the next one.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    span_s
        From when to when after the stroke, s; the kind's settled span if left out.
    before_share
        How much of what sounded before is taken off.
    """
    start, stop = span_s or settle_span(kind)
    stop = min(stop, stroke.available_s)
    if stop - start < SHORTEST_SPAN_S:
        start = max(stop - SHORTEST_SPAN_S, 0.015)
    if stop - start < SHORTEST_SPAN_S * 0.8:
        return None
    before = power_in(low, stroke.time_s - BEFORE_S, stroke.time_s - 0.008)
    after = power_in(low, stroke.time_s + start, stroke.time_s + stop)
    # A drum struck again goes on with the note it had: not all of that is another's, and what was
    # louder before than now may be its own all the same.
    least = LEAST_LEFT if before_share < 1.0 else 0.0
    return np.asarray(np.maximum(after - before_share * before, least * after))


def voice_spectrum(
    low: Array,
    strokes: Sequence[StrokeSpan],
    kind: str,
    span_s: tuple[float, float] | None = None,
    before_share: float = BEFORE_SHARE,
) -> Array | None:
    """Return the median over strokes of what each adds, scaled to unit energy in range.

    Read in the settled span of the kind if no other is given. None where the strokes have nothing
    in common there.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    strokes
        Strokes with the time until the next one.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    span_s
        From when to when after each stroke, s; the kind's settled span if left out.
    before_share
        How much of what sounded before is taken off.
    """
    low_hz, high_hz = RANGES_HZ[kind]
    grid = grid_hz()
    inside = (grid >= low_hz) & (grid <= high_hz)
    rows = []
    for stroke in strokes:
        added = added_spectrum(low, stroke, kind, span_s, before_share)
        if added is not None and added[inside].sum() > 0.0:
            rows.append(added / added[inside].sum())
    common = np.median(rows, axis=0) if rows else None
    return common if common is not None and common[inside].any() else None


def bed_share(low: Array, strokes: Sequence[StrokeSpan], kind: str) -> float:
    """Return how much of what sounds in a kind's range was there before its strokes, the median.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    strokes
        Strokes with the time until the next one.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    """
    low_hz, high_hz = RANGES_HZ[kind]
    inside = (grid_hz() >= low_hz) & (grid_hz() <= high_hz)
    start, stop = settle_span(kind)
    shares = []
    for stroke in strokes:
        before = power_in(low, stroke.time_s - BEFORE_S, stroke.time_s - 0.008)[inside].sum()
        after = power_in(low, stroke.time_s + start, stroke.time_s + stop)[inside].sum()
        shares.append(before / (after + 1e-20))
    return float(np.median(shares)) if shares else 0.0


@dataclass(frozen=True, slots=True)
class OverBed:
    """What a voice's strokes have in common where other instruments sound in its range, too.

    ``spectrum`` is the geometric mean of what each stroke adds, scaled to unit energy in range: a
    line counts that every stroke has. ``common`` is its sum in range, 1 where all add the same;
    ``strongest_hz`` is where each stroke alone is strongest.
    """

    spectrum: Array
    common: float
    strongest_hz: Array

    def supports(self, pitch_hz: float, kind: str) -> bool:
        """Whether enough strokes agree for a pitch to be the drum's and not the bed's."""
        if len(self.strongest_hz) < FEWEST_OVER_BED or self.common < LEAST_COMMON:
            return False
        if kind == "kick":
            agreeing = np.abs(np.log2(self.strongest_hz / pitch_hz)) < 1.0 / 12.0
            return float(agreeing.mean()) >= LEAST_AGREEING
        if kind == "snare":
            if pitch_hz > HIGHEST_SNARE_HZ:
                # Its second mode, the first lost under the others: so it was on all sampled kits.
                return False
            grid, (low_hz, high_hz) = grid_hz(), RANGES_HZ[kind]
            near = np.abs(np.log2(np.maximum(grid, 1.0) / pitch_hz)) < 1.0 / 12.0
            inside = near & (grid >= low_hz) & (grid <= high_hz)
            return float(self.spectrum[inside].sum()) >= LEAST_CONCENTRATED * self.common
        return True


def added_in(low: Array, stroke: StrokeSpan, span_s: tuple[float, float]) -> Array:
    """Return what a stroke adds in a span to what sounds before it, power on ``grid_hz``.

    Nothing is nothing at all: a stroke over a loud note still has its say.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    stroke
        The stroke, with the time until the next one.
    span_s
        From when to when after the stroke, s.
    """
    after = power_in(low, stroke.time_s + span_s[0], stroke.time_s + span_s[1])
    before = power_in(low, stroke.time_s - BEFORE_S, stroke.time_s - 0.008)
    return np.asarray(np.maximum(after - BEFORE_SHARE * before, LEAST_ADDED * after))


def over_bed(low: Array, strokes: Sequence[StrokeSpan], kind: str) -> OverBed | None:
    """Return what strokes over a bed have in common; None if all are cut off before.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    strokes
        Strokes with the time until the next one.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    """
    low_hz, high_hz = RANGES_HZ[kind]
    grid = grid_hz()
    inside = (grid >= low_hz) & (grid <= high_hz)
    start, stop = TOM_OVER_BED_S if kind == "tom" else EARLY_S
    rows = []
    for stroke in strokes:
        end = min(stop, stroke.available_s)
        if end - start < SHORTEST_SPAN_S:
            continue
        added = added_in(low, stroke, (start, end))
        rows.append(added / max(float(added[inside].sum()), 1e-30))
    if not rows:
        return None
    spectrum = np.exp(np.mean(np.log(np.array(rows) + 1e-9), axis=0))
    strongest = grid[inside][np.argmax(np.array(rows)[:, inside], axis=1)]
    return OverBed(spectrum, float(spectrum[inside].sum()), strongest)


def modes_hz(
    spectrum: Array, kind: str, *, over_others: bool = False, early: Array | None = None
) -> list[tuple[float, float]]:
    """Return the peaks in range as (Hz, dB re the strongest), the fundamental first.

    The lowest of the strong peaks is the fundamental, but over others that sound on
    (``bed_share``), whose basses lie there, the strongest is. A tom's may be nearly gone when the
    pitch has settled: ``early`` is its spectrum in ``EARLY_S``.

    Parameters
    ----------
    spectrum
        Power on ``grid_hz``.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    over_others
        Whether others play on, and a low peak may be theirs.
    early
        The same right after the strokes, if it is known.
    """
    rows = _peaks(spectrum, kind)
    chosen = max(rows, key=lambda row: row[1])
    if kind in LOWEST_WITHIN_DB and not over_others:
        within = LOWEST_WITHIN_DB[kind]
        chosen = min((r for r in rows if r[1] >= -within), key=lambda row: row[0])
        if kind == "tom":
            chosen = _mode_under(chosen, rows, SECOND_OVER_FIRST)
            chosen = _early_under(chosen, early) if early is not None else chosen
    if kind == "snare" and chosen[0] > HIGHEST_SNARE_HZ and not over_others:
        faint = _peaks(spectrum, kind, -SNARE_WITHIN_DB)
        chosen = _mode_under(chosen, faint, SNARE_SECOND_OVER_FIRST, SNARE_WITHIN_DB)
    if kind == "kick" and chosen[0] > HIGHEST_PUNCH_HZ:
        tuned = [r for r in rows if r[0] <= HIGHEST_PUNCH_HZ and r[1] >= -PUNCH_WITHIN_DB]
        under = _mode_under(chosen, rows, KICK_SECOND_OVER_FIRST)
        chosen = max(tuned, key=lambda row: row[1], default=under)
    if kind == "kick" and chosen[0] > OFFERED_OVER_HZ and early is not None and not over_others:
        rows = _offered_under(chosen[0], rows, early)
    return [chosen, *_by_level(rows, chosen)]


def _by_level(
    rows: list[tuple[float, float]], chosen: tuple[float, float]
) -> list[tuple[float, float]]:
    return sorted((r for r in rows if r != chosen), key=lambda r: -r[1])


def _offered_under(
    hz: float, rows: list[tuple[float, float]], early: Array
) -> list[tuple[float, float]]:
    """Return a kick's peaks with the note under its loudest, if it was there and is gone at once.

    It is offered, never told: its level is at least that of the faintest reading that a person is
    asked of.
    """
    least = KICK_SECOND_OVER_FIRST[0]
    under = [r for r in _peaks(early, "kick", OFFERED_FLOOR_DB) if hz / r[0] >= least]
    if not under:
        return rows
    note = max(under, key=lambda row: row[1])[0]
    same = [level for f, level in rows if abs(f / note - 1.0) < SAME_PEAK]
    others = [row for row in rows if abs(row[0] / note - 1.0) >= SAME_PEAK]
    return [*others, (note, max([OFFERED_DB, *same]))]


def tuned_hz(hz: float, low: Array, strokes: Sequence[StrokeSpan]) -> float:
    """Return a tom's fundamental where ``hz``, its loudest, may be its second mode, in Hz.

    What rang on from other toms lies just where that is sought: it is taken off whole.

    Parameters
    ----------
    hz
        Its loudest mode, Hz.
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    strokes
        Strokes with the time until the next one.
    """
    early = voice_spectrum(low, strokes, "tom", EARLY_S, before_share=1.0)
    return hz if early is None else _early_under((hz, 0.0), early, NAMED_WITHIN_DB)[0]


def _early_under(
    chosen: tuple[float, float],
    early: Array,
    within_db: float = UNDER_WITHIN_DB,
) -> tuple[float, float]:
    rows = _peaks(early, "tom", EARLY_FLOOR_DB)
    # Measured against the strongest of all: next to a faint mode anything is loud.
    rows = [(chosen[0], 0.0), *rows]
    chosen = _mode_under(chosen, rows, HEADS_OVER_FIRST, HEADS_WITHIN_DB)
    return _mode_under(chosen, rows, SECOND_OVER_FIRST, within_db)


def _peaks(
    spectrum: Array, kind: str, floor_db: float = PEAK_FLOOR_DB
) -> list[tuple[float, float]]:
    """Return the peaks in range less than so much under the strongest, as (Hz, dB)."""
    low_hz, high_hz = RANGES_HZ[kind]
    grid = grid_hz()
    first, last = np.searchsorted(grid, [low_hz, high_hz])
    inside = spectrum[first:last]
    peaks, _ = find_peaks(inside)
    if len(peaks) == 0:
        peaks = np.array([int(np.argmax(inside))])
    level = 10.0 * np.log10(inside[peaks] / inside[peaks].max() + 1e-12)
    return [
        (float(grid[first + p]), float(v))
        for p, v in zip(peaks, level, strict=True)
        if v > floor_db
    ]


def _mode_under(
    chosen: tuple[float, float],
    rows: list[tuple[float, float]],
    ratios: tuple[float, float],
    within_db: float = UNDER_WITHIN_DB,
) -> tuple[float, float]:
    """Return the fundamental under what looks like the second mode, or what was chosen.

    A tom struck off its middle may ring longer and louder in (1,1) than in (0,1), which the air
    takes most from; a kick's second mode may be its loudest. What lies below by the ratio of the
    two and is not lost under it is the fundamental.
    """
    level = max((v for f, v in rows if abs(f / chosen[0] - 1.0) < SAME_PEAK), default=0.0)
    under = [
        row
        for row in rows
        if row[1] >= level - within_db and ratios[0] <= chosen[0] / row[0] <= ratios[1]
    ]
    return max(under, key=lambda row: row[1]) if under else chosen
