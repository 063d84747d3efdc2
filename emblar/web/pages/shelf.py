"""Shelf: loose heads and own dampers, as listed."""

from dataclasses import dataclass

from emblar.actions.shelf import CONDITIONS, loose_heads, own_parts
from emblar.core.catalogue import constructions, numbers
from emblar.web.pages.kit import Option

KINDS = ("tom", "snare", "kick")


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
    constructions: tuple[Option, ...]
    conditions: tuple[Option, ...]
    kinds: tuple[Option, ...]
    sides: tuple[Option, ...]
    spread: str
    undo: str


def shelf_page(undo: str) -> ShelfPage:
    """Return the Shelf; ``undo`` is what was just taken off, as ``head-3``."""
    names = constructions()
    heads = [
        ShelfLine(
            f"{h.owned.count} × {names[h.owned.construction].name}",
            f"{h.owned.diameter_in:g} in, {h.owned.condition}",
            f"/shelf/head/{h.id}/take",
        )
        for h in loose_heads()
        if h.owned.construction in names
    ]
    dampers = [
        ShelfLine(
            str(p.row["name"]),
            f"{p.row['kinds'][0]}, {p.row['side']}, {p.row['radius']:g} of the radius, "
            f"{p.row['resistance']:g} N s/m, {1000 * p.row['mass_kg']:g} g",
            f"/shelf/part/{p.id}/take",
        )
        for p in own_parts()
    ]
    what, _, row_id = undo.partition("-")
    known = what in ("head", "part") and row_id.isdigit()
    return ShelfPage(
        tuple(heads),
        tuple(dampers),
        tuple(Option(c.id, c.name, False) for c in names.values()),
        tuple(Option(c, c, c == "fresh") for c in CONDITIONS),
        tuple(Option(k, k, k == "tom") for k in KINDS),
        (Option("batter", "batter", True), Option("reso", "reso", False)),
        f"±{100 * numbers('damper')['resistance'].sd_share:.0f} %",
        f"/shelf/{what}/{row_id}/back" if known else "",
    )
