"""Rescue: the three changes to a cheap kit that bring most for a budget."""

from collections.abc import Sequence
from dataclasses import dataclass

from emblar.core.catalogue import Catalogue
from emblar.core.naming import counted, lower_first
from emblar.core.planning.rescue import Fix, Rescue
from emblar.steps.kit.queries.slots import KitDrum

LABEL = {
    "muffling": "muffling",
    "batter": "new batter",
    "reso": "new reso",
    "both heads": "both heads",
}


@dataclass(frozen=True, slots=True)
class FixRow:
    """A change in words."""

    slot_id: int
    title: str
    text: str
    gain: str
    cost: str


@dataclass(frozen=True, slots=True)
class RescuePage:
    """Everything the Rescue page shows."""

    budget: str
    head: str
    problem: str
    sentence: str
    rows: tuple[FixRow, ...]
    before: tuple[str, ...]
    base: str


def rescue_page(
    catalogue: Catalogue,
    session_id: int,
    budget: str,
    head: str,
    changes: tuple[Rescue, Sequence[KitDrum]] | None,
    problem: str,
) -> RescuePage:
    """Return the page; ``changes`` is the rescue and the drum of each change."""
    base = f"/sessions/{session_id}/plan/rescue"
    if changes is None:
        return RescuePage(budget, head, problem, "", (), (), base)
    known, drums = changes
    rows = tuple(_row(catalogue, fix, drum) for fix, drum in zip(known.fixes, drums, strict=True))
    before = tuple(
        f"{name.rpartition(' (')[0]} {off:.1f}"
        for name, off in sorted(known.before.items(), key=lambda kv: -kv[1])
    )
    return RescuePage(budget, head, problem, _sentence(known), rows, before, base)


def _sentence(changes: Rescue) -> str:
    if not changes.fixes:
        return (
            "No change within this budget brings half a step on any drum: tune it, and leave the "
            "money."
        )
    gain = sum(fix.gain for fix in changes.fixes)
    price = f"for {changes.price:.0f}" if changes.price >= 0.5 else "for nothing"
    return (
        f"{counted(len(changes.fixes), 'change')} {price}: {gain:.1f} audible steps nearer in all."
    )


def _row(catalogue: Catalogue, fix: Fix, drum: KitDrum) -> FixRow:
    recipe = fix.recipe
    parts = []
    if fix.what in ("batter", "both heads") and recipe.batter != drum.owned.batter:
        parts.append(f"batter: {lower_first(catalogue.construction(recipe.batter).name)}")
    if recipe.reso is not None and recipe.reso != drum.owned.reso:
        parts.append(f"reso: {lower_first(catalogue.construction(recipe.reso).name)}")
    parts += [lower_first(catalogue.damper(d).name) for d in fix.lays_on]
    cost = f"costs {fix.price:.0f}, " if fix.price >= 0.5 else "nothing to buy, "
    return FixRow(
        drum.id,
        f"{drum.owned.name}: {LABEL[fix.what]}",
        "; ".join(parts) or "nothing on it",
        f"{fix.gain:.1f} steps nearer",
        f"{cost}{fix.minutes:.0f} min",
    )
