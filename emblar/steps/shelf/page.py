"""Shelf: loose heads, own dampers and own heads, as listed."""

from collections.abc import Sequence
from dataclasses import dataclass

from emblar.core.catalogue import Catalogue, numbers
from emblar.platform.own_parts import OwnPart
from emblar.platform.studio import Studio
from emblar.steps.kit.page import Option
from emblar.steps.shelf.actions import CONDITIONS, loose_heads, own_parts

KINDS = ("tom", "snare", "kick")
MADE_TEXTS = (
    ("coated", "coated"),
    ("fluid", "fluid between"),
    ("ring", "damping ring"),
    ("dot", "centre dot"),
    ("vented", "vents at the edge"),
    ("woven", "woven"),
)
HARD_COLLAR = ("hard_collar", "ruined by cracking its collar")


@dataclass(frozen=True, slots=True)
class ShelfLine:
    """One thing on the shelf."""

    text: str
    detail: str
    take: str


@dataclass(frozen=True, slots=True)
class ShelfPage:
    """Everything the Shelf shows."""

    heads: tuple[ShelfLine, ...]
    dampers: tuple[ShelfLine, ...]
    own_heads: tuple[ShelfLine, ...]
    made: tuple[Option, ...]
    constructions: tuple[Option, ...]
    conditions: tuple[Option, ...]
    kinds: tuple[Option, ...]
    sides: tuple[Option, ...]
    spread: str
    undo: str


def _loose(studio: Studio) -> tuple[ShelfLine, ...]:
    names = studio.catalogue().constructions
    return tuple(
        ShelfLine(
            f"{h.owned.count} × {names[h.owned.construction].name}",
            f"{h.owned.diameter_in:g} in, {h.owned.condition}",
            f"/shelf/head/{h.id}/take",
        )
        for h in loose_heads(studio)
        if h.owned.construction in names
    )


def _own_dampers(parts: Sequence[OwnPart]) -> tuple[ShelfLine, ...]:
    return tuple(
        ShelfLine(
            str(p.row["name"]),
            f"{p.row['kinds'][0]}, {p.row['side']}, {p.row['radius']:g} of the radius, "
            f"{p.row['resistance']:g} N s/m, {1000 * p.row['mass_kg']:g} g",
            f"/shelf/part/{p.id}/take",
        )
        for p in parts
        if p.part == "damper"
    )


def _own_heads(catalogue: Catalogue, parts: Sequence[OwnPart]) -> tuple[ShelfLine, ...]:
    names = catalogue.constructions
    return tuple(
        ShelfLine(
            str(p.row["name"]),
            f"{', '.join(p.row['kinds'])}; {' or '.join(p.row['sides'])}; "
            f"{names[p.row['id']].film_label}"
            + "".join(f", {text}" for field, text in MADE_TEXTS if p.row.get(field)),
            f"/shelf/part/{p.id}/take",
        )
        for p in parts
        if p.part == "construction"
    )


def shelf_page(studio: Studio, undo: str) -> ShelfPage:
    """Return the Shelf; ``undo`` is what was just taken off, as ``head-3``."""
    catalogue = studio.catalogue()
    parts = own_parts(studio)
    what, _, row_id = undo.partition("-")
    known = what in ("head", "part") and row_id.isdigit()
    return ShelfPage(
        _loose(studio),
        _own_dampers(parts),
        _own_heads(catalogue, parts),
        tuple(Option(field, text, False) for field, text in (*MADE_TEXTS, HARD_COLLAR)),
        tuple(Option(c.id, c.name, False) for c in catalogue.constructions.values()),
        tuple(Option(c, c, c == "fresh") for c in CONDITIONS),
        tuple(Option(k, k, k == "tom") for k in KINDS),
        (Option("batter", "batter", True), Option("reso", "reso", False)),
        f"±{100 * numbers('damper')['resistance'].sd_share:.0f} %",
        f"/shelf/{what}/{row_id}/back" if known else "",
    )
