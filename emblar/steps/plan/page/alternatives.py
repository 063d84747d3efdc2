"""Other setups for a drum: what they change, what that does, and what players disagree about."""

from dataclasses import dataclass

from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import (
    Catalogue,
)
from emblar.core.drum import Setup
from emblar.core.naming import lower_first
from emblar.core.planning.recipe import relation_of
from emblar.core.planning.sentence import once_long
from emblar.formats.plan import DrumPlanFile, OtherFile
from emblar.frame.words import changed_by, semitones

MOST_ALTERNATIVES = 3
SAME_SEMITONES = 0.05


@dataclass(frozen=True, slots=True)
class SchoolRow:
    """One side of a disagreement on this drum."""

    name: str
    text: str
    chosen: bool
    favoured: bool


@dataclass(frozen=True, slots=True)
class SchoolTable:
    """A disagreement of the trade with its sides."""

    about: str
    rows: tuple[SchoolRow, ...]


@dataclass(frozen=True, slots=True)
class OtherRow:
    """An alternative plan for the drum, and the form values that select it."""

    name: str
    says: str
    text: str
    score: str
    fields: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class AlternativeLine:
    """Another setup in one line: what changes, what that does, what to send to use it."""

    changes: str
    effect: str
    cost: str
    fields: tuple[tuple[str, str], ...]


def school_tables(file: DrumPlanFile) -> tuple[SchoolTable, ...]:
    """Return what players disagree about for this drum, with the choices for each."""
    tables: dict[str, list[SchoolRow]] = {}
    for school in file.schools:
        row = SchoolRow(school.name, school.text, school.chosen, school.favoured)
        tables.setdefault(school.about, []).append(row)
    return tuple(SchoolTable(about, tuple(rows)) for about, rows in tables.items())


def other_rows(catalogue: Catalogue, file: DrumPlanFile) -> tuple[OtherRow, ...]:
    """Return all alternatives with other heads or tuning."""
    rows = []
    for other in file.others:
        made = catalogue.construction(other.recipe.batter).name
        what = ", ".join([made, *_worn(catalogue, other)])
        cost = _cost(other.score - file.score, other.minutes, len(other.bought))
        rows.append(_other_row(file, other, what, cost))
    return tuple(rows)


def sound_rows(catalogue: Catalogue, file: DrumPlanFile) -> tuple[OtherRow, ...]:
    """Return the other sounds of the same tuning."""
    return tuple(
        _other_row(file, sound, " and ".join(_worn(catalogue, sound)), "No key needed")
        for sound in file.sounds
    )


def best_alternatives(catalogue: Catalogue, file: DrumPlanFile) -> tuple[AlternativeLine, ...]:
    """Return the best other setups that differ from the plan and from each other, in one line."""
    rows: dict[str, AlternativeLine] = {}
    for other in sorted((*file.others, *file.sounds), key=lambda one: one.score):
        changes = _changes(catalogue, file, other.recipe)
        if changes and changes not in rows:
            row = _other_row(file, other, "", "")
            bought = f" · {len(other.bought)} to buy" if other.bought else ""
            cost = f"{other.minutes:.0f} min{bought}" if other.minutes >= 1.0 else "no key needed"
            rows[changes] = AlternativeLine(changes, row.text.removeprefix(": "), cost, row.fields)
    return tuple(rows.values())[:MOST_ALTERNATIVES]


def _changes(catalogue: Catalogue, file: DrumPlanFile, recipe: Setup) -> str:
    """Return what a setup has other than the plan, or nothing where it is the same."""
    changes, reso = [], head_name(file.kind, "reso")
    if recipe.batter != file.batter:
        changes.append(f"batter {lower_first(catalogue.construction(recipe.batter).name)}")
    if recipe.reso and recipe.reso != file.reso:
        made = lower_first(catalogue.construction(recipe.reso).name).removeprefix(f"{reso}, ")
        changes.append(f"{reso} {made}")
    if tuple(recipe.dampers) != tuple(file.dampers):
        names = [lower_first(catalogue.damper(d).name) for d in recipe.dampers]
        changes.append(" and ".join(names) or "no muffling")
    if abs(recipe.semitones - file.semitones) > SAME_SEMITONES:
        changes.append(semitones(recipe.semitones))
    if recipe.striker != file.striker:
        changes.append(lower_first(catalogue.strikers[recipe.striker].name))
    if file.kind == "snare" and recipe.wires != file.wires:
        changes.append(lower_first(catalogue.wire_settings[recipe.wires].name))
    text = "; ".join(changes)
    return text[:1].upper() + text[1:]


def _worn(catalogue: Catalogue, other: OtherFile) -> list[str]:
    return [catalogue.damper(d).name for d in other.recipe.dampers] or ["nothing on it"]


def _other_row(file: DrumPlanFile, other: OtherFile, what: str, cost: str) -> OtherRow:
    recipe = other.recipe
    moves = once_long(other.moves)
    words = [changed_by(n, moves[n]) for n in sorted(moves, key=lambda n: -abs(moves[n]))[:3]]
    return OtherRow(
        other.name,
        other.says,
        f"{what}: {', '.join(words) or 'sounds alike'}",
        cost,
        (
            ("relation", relation_of(recipe.semitones)),
            ("semitones", f"{recipe.semitones:g}"),
            ("was", relation_of(recipe.semitones)),
            ("batter", recipe.batter),
            ("reso", recipe.reso or ""),
            ("damper", ",".join(recipe.dampers) or "none"),
            ("striker", recipe.striker),
            ("wires", recipe.wires if file.kind == "snare" else ""),
        ),
    )


def _cost(worse: float, minutes: float, buys: int) -> str:
    """Return what another way costs against this plan, its work and purchases weighed in."""
    weighed = f"{abs(worse):.1f} steps {'worse' if worse >= 0.0 else 'better'} with its work"
    bought = f" and {buys} to buy" if buys else ""
    return f"{weighed}{bought} weighed in; {minutes:.0f} min"
