"""What a drum's log tells: how far heads drop overnight, and how many sessions they last.

Conventions
-----------
Times are aware datetimes; drifts are in cents a night, negative where the head goes flat. A number
is told with its standard deviation and from how many cases it comes; from fewer than
``least_cases`` it is not told.
"""

import itertools
import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from statistics import fmean, median, stdev

from emblar.core.acoustics.drum import Side
from emblar.core.notes import cents
from emblar.core.tuning.parameters import parameter

PAUSE_TIMES = 4.0
TICKED_SHARE = 0.1
"""A job that took so many times its minutes was left lying; so small a share was not timed."""


@dataclass(frozen=True, slots=True)
class Tapped:
    """A lug pitch in Hz that was read: when, on which setup and head, next to which rod."""

    time: datetime
    setup_id: int
    side: Side
    rod: int
    hz: float


@dataclass(frozen=True, slots=True)
class LearnedValue:
    """A number learned from so many cases, with its standard deviation."""

    value: float
    sd: float
    count: int


@dataclass(frozen=True, slots=True)
class Night:
    """A head left over night: by how many cents it moved, and how long after it was fitted."""

    side: Side
    by_cents: float
    age: timedelta | None


def nights(readings: Iterable[Tapped], fitted: Sequence[tuple[Side, datetime]]) -> list[Night]:
    """Return every night that a head was left untouched and read before and after.

    Parameters
    ----------
    readings
        Lug pitches in the order they were read. Two rounds on one setup with a night between tell
        what the head did by itself.
    fitted
        When which head was fitted, in any order.
    """
    rounds: dict[tuple[int, Side], list[dict[int, Tapped]]] = defaultdict(list)
    apart = timedelta(hours=parameter("night_from"))
    for row in readings:
        sittings = rounds[row.setup_id, row.side]
        if sittings and row.time - max(r.time for r in sittings[-1].values()) < apart:
            sittings[-1][row.rod] = row
        else:
            sittings.append({row.rod: row})
    result = []
    longest = timedelta(hours=parameter("night_to"))
    for (_, side), sittings in rounds.items():
        for before, after in itertools.pairwise(sittings):
            both = sorted(set(before) & set(after))
            began = max(before[r].time for r in both) if both else None
            gap = min(after[r].time for r in both) - began if began is not None else longest * 2
            if began is None or len(both) < 2 or gap > longest:
                continue
            count = max(round(gap / timedelta(days=1)), 1)
            # One rod that slipped is no drift of the head.
            by = median(cents(after[r].hz, before[r].hz) for r in both) / count
            new = [
                began - position
                for side_fitted, position in fitted
                if side_fitted == side and position <= began
            ]
            result.append(Night(side, by, min(new, default=None)))
    return result


def overnight(history: Iterable[Night], *, fresh: bool) -> LearnedValue | None:
    """Return how far heads move a night: fresh ones in their first, or those that have settled."""
    young = timedelta(hours=parameter("fresh_for"))
    members = [n.by_cents for n in history if (n.age is not None and n.age < young) == fresh]
    return _learned(members)


def head_life(sessions: Iterable[int]) -> LearnedValue | None:
    """Return how many sessions heads lasted that were replaced."""
    return _learned([float(n) for n in sessions], of_one=True)


def is_due(sessions: int, life: LearnedValue | None) -> bool:
    """Whether a head that was in so many sessions is likely to be spent in the next."""
    return life is not None and sessions + 1 > life.value - life.sd


def pace(took: Sequence[tuple[str, float]], usual: Mapping[str, float]) -> dict[str, LearnedValue]:
    """Return how long jobs take here, minutes, by name; those with too few cases are left out.

    Parameters
    ----------
    took
        Jobs that were done, by name, and the minutes since the job before on the same drum.
    usual
        The minutes that each is planned with: what took many times as long was a pause, what took
        no time at all was ticked off afterwards, and neither counts.
    """
    result = {}
    for name, planned in usual.items():
        matching = [
            minutes
            for job, minutes in took
            if job == name and PAUSE_TIMES * planned > minutes > TICKED_SHARE * planned
        ]
        known = _learned(matching)
        if known is not None:
            result[name] = LearnedValue(median(matching), known.sd, known.count)
    return result


def _learned(values: Sequence[float], *, of_one: bool = False) -> LearnedValue | None:
    """Return the mean with its own sd, or with that of one more case."""
    if len(values) < parameter("least_cases"):
        return None
    # Heads that happened to last alike will not all.
    spread = max(stdev(values), parameter("least_life_sd")) if of_one else stdev(values)
    return LearnedValue(
        fmean(values), spread if of_one else spread / math.sqrt(len(values)), len(values)
    )
