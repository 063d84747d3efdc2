"""The same kind of damper on all toms before a different one on each.

Conventions
-----------
Dampers of one *family* are one kind in different amounts: two cotton balls and eight. Toms that
need none stay bare. Heads stay as they are chosen, so that shelf and budget still do.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.planning.weighing import Weighed
from emblar.core.voices import is_tom

CLEAR_STEP = 1.5
"""A different damper must bring so many audible steps on each tom that it is on (assumption)."""
Weigh = Callable[[str, Sequence[Setup]], Sequence[Weighed | None]]
"""Weighs recipes for the drum that plays a part, by the part's name."""


def family(catalogue: Catalogue, dampers: Sequence[str]) -> frozenset[str]:
    """Return of which kinds some dampers are; empty for none."""
    return frozenset(catalogue.damper(one).family or one for one in dampers)


def alike_toms(
    catalogue: Catalogue, chosen: Mapping[str, Weighed], weigh: Weigh
) -> dict[str, Weighed]:
    """Return the kit's recipes with one kind of damper on its toms, where that costs no clear step.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    chosen
        One recipe a part.
    weigh
        Weighs other recipes for the drum that plays a part.
    """
    toms = {name: row for name, row in chosen.items() if is_tom(row.voice)}
    worn = list(dict.fromkeys(r.setup.dampers for r in toms.values() if r.setup.dampers))
    if len({family(catalogue, row) for row in worn}) < 2:
        return dict(chosen)
    kinds = list(
        dict.fromkeys([*(family(catalogue, row) for row in worn), *_in_several_amounts(catalogue)])
    )
    amounts = {kind: _amounts(catalogue, kind, worn) for kind in kinds}
    every = list(dict.fromkeys([(), *(one for sets in amounts.values() for one in sets)]))
    rows = {name: _weighed(name, row, every, weigh) for name, row in toms.items()}
    whole = [way for sets in amounts.values() if (way := _with(toms, rows, sets)) is not None]
    if not whole:
        return dict(chosen)
    best = min(whole, key=lambda way: sum(row.total for row in way.values()))
    changed = [n for n, row in best.items() if row.setup.dampers != toms[n].setup.dampers]
    worse = sum(row.total for row in best.values()) - sum(row.total for row in toms.values())
    return {**chosen, **best} if worse <= CLEAR_STEP * len(changed) else dict(chosen)


def _in_several_amounts(catalogue: Catalogue) -> list[frozenset[str]]:
    families = [d.family for d in catalogue.dampers_for("tom") if d.family]
    return [frozenset([name]) for name in dict.fromkeys(families) if families.count(name) > 1]


def _amounts(
    catalogue: Catalogue, kind: frozenset[str], worn: Sequence[tuple[str, ...]]
) -> list[tuple[str, ...]]:
    """Return what may be worn of one kind: what is, and every single damper of it."""
    single = [
        (d.id,)
        for d in catalogue.dampers_for("tom")
        if kind == family(catalogue, (d.id,)) and not d.only_if_asked
    ]
    return list(dict.fromkeys([*(row for row in worn if family(catalogue, row) == kind), *single]))


def _weighed(
    name: str, row: Weighed, sets: Sequence[tuple[str, ...]], weigh: Weigh
) -> dict[tuple[str, ...], Weighed]:
    """Return a tom's recipe with other dampers, those that its heads bear; itself as it is."""
    if not row.setup.dampers:
        return {(): row}
    setups = [replace(row.setup, dampers=one) for one in sets if one != row.setup.dampers]
    result = {w.setup.dampers: w for w in weigh(name, setups) if w is not None}
    known = {one: replace(w, short_cents=row.short_cents) for one, w in result.items()}
    return {**known, row.setup.dampers: row}


def _with(
    toms: Mapping[str, Weighed],
    rows: Mapping[str, Mapping[tuple[str, ...], Weighed]],
    sets: Sequence[tuple[str, ...]],
) -> dict[str, Weighed] | None:
    """Return every tom with the best of some dampers, or none; None where one does not bear it."""
    out: dict[str, Weighed] = {}
    for name, row in toms.items():
        if row.setup.dampers in sets or not row.setup.dampers:
            out[name] = row
            continue
        members = [rows[name][one] for one in (*sets, ()) if one in rows[name]]
        if not members:
            return None
        out[name] = min(members, key=lambda w: w.total)
    return out
