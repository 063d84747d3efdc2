"""One tuning, other sounds: what changes if only the muffling does, between two songs.

Conventions
-----------
Heads, relation, stick and wires stay, and so do the lugs: what would move the pitch by more than
``STAYS_CENTS`` is left out. Distances are in audible steps from the planned sound.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from emblar.core.notes import cents
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.weighing import Weighed
from emblar.core.quantities.registry import steps

STAYS_CENTS = 30.0
LEAST_STEPS = 1.0
DRIER_STEPS = 3.0
"""A drier sound is about so many steps shorter than the planned one."""


@dataclass(frozen=True, slots=True)
class SoundAlternative:
    """Another sound of the same tuning: its name, what it is for, and the recipe."""

    name: str
    says: str
    weighed: Weighed


def other_sounds(chosen: Weighed, search: DrumSearch) -> list[SoundAlternative]:
    """Return a more open, a drier and the driest sound of the same tuning, where there are such."""
    setup = chosen.setup
    sets = [one for one in search.single_dampers() if one != setup.dampers]
    setups = [replace(setup, dampers=one) for one in sets]
    rows = [
        row
        for row in search.dressed_alike(setups, chosen.card["pitch"])
        if row is not None and abs(cents(row.setup.batter_hz, setup.batter_hz)) < STAYS_CENTS
    ]
    longer = {row.setup.dampers: _longer(row, chosen) for row in rows}
    result: list[SoundAlternative] = []
    longest = max(rows, key=lambda r: longer[r.setup.dampers], default=None)
    if longest is not None and longer[longest.setup.dampers] >= LEAST_STEPS:
        result.append(SoundAlternative("more open", "for a stage or a large room", longest))
    result += _drier(rows, longer)
    return result


def _drier(rows: Sequence[Weighed], longer: dict[tuple[str, ...], float]) -> list[SoundAlternative]:
    shorter = [r for r in rows if longer[r.setup.dampers] <= -LEAST_STEPS]
    if not shorter:
        return []
    near = min(shorter, key=lambda r: (abs(longer[r.setup.dampers] + DRIER_STEPS), r.total))
    result = [SoundAlternative("drier", "for close microphones", near)]
    least = min(shorter, key=lambda r: longer[r.setup.dampers])
    if longer[least.setup.dampers] < longer[near.setup.dampers] - DRIER_STEPS:
        result.append(SoundAlternative("driest", "a thump, hardly a note", least))
    return result


def _longer(row: Weighed, than: Weighed) -> float:
    return steps()["length"].apart(row.card["length"], than.card["length"])
