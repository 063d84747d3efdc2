"""Recipes that worked, by style: what was on the drums that were tuned to their plan."""

from collections.abc import Sequence
from dataclasses import dataclass

from emblar.core.catalogue import Catalogue
from emblar.core.naming import lower_first
from emblar.core.notes import note_text
from emblar.formats.recipes import DrumRecipeFile
from emblar.steps.plan.actions.recipes import Worked


@dataclass(frozen=True, slots=True)
class WorkedSession:
    """One session's recipes, a line a drum."""

    id: int
    name: str
    drums: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class WorkedPage:
    """Sessions by style, and the session the recipes can be used in, if one asks."""

    styles: tuple[tuple[str, tuple[WorkedSession, ...]], ...]
    use: str
    back: str


def worked_page(catalogue: Catalogue, rows: Sequence[Worked], session_id: int | None) -> WorkedPage:
    """Return the page."""
    styles: dict[str, list[WorkedSession]] = {}
    called: dict[str, str] = {}
    for row in rows:
        key = row.style.lower()
        called.setdefault(key, row.style)
        lines = tuple((drum.name, _line(catalogue, drum)) for drum in row.recipes.drums)
        session = WorkedSession(row.session_id, row.recipes.session, lines)
        styles.setdefault(key, []).append(session)
    base = f"/sessions/{session_id}/plan" if session_id is not None else ""
    return WorkedPage(
        tuple((called[key], tuple(members)) for key, members in sorted(styles.items())),
        f"{base}/recipes/from" if base else "",
        base or "/log",
    )


def _line(catalogue: Catalogue, drum: DrumRecipeFile) -> str:
    recipe = drum.recipe
    heads = [catalogue.construction(recipe.batter).name]
    if recipe.reso is not None:
        heads.append(catalogue.construction(recipe.reso).name)
    lugs = f"{recipe.batter_hz:.0f} Hz"
    if recipe.reso_hz is not None:
        lugs += f" and {recipe.reso_hz:.0f} Hz"
    parts = [
        f"{drum.drum_pitch_hz:.0f} Hz, {note_text(drum.drum_pitch_hz)}",
        f"{' over '.join(lower_first(name) for name in heads)} at {lugs}",
    ]
    if recipe.dampers:
        parts.append(", ".join(lower_first(catalogue.damper(d).name) for d in recipe.dampers))
    if drum.kind == "snare":
        parts.append(lower_first(catalogue.wire_settings[recipe.wires].name))
    return " · ".join(parts)
