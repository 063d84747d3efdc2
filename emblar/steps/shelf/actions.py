"""Shelf: loose heads that plans may use, and parts of one's own in the catalogue."""

import hashlib
import re
from collections.abc import Collection, Sequence
from typing import Any

from emblar.core.catalogue import SNARE_SIDE_MOST_MIL, row_of
from emblar.core.errors import InputError
from emblar.core.planning.brief import Condition, OwnedHead
from emblar.core.planning.kit import check_range
from emblar.core.tuning.muffling import LearnedDamper
from emblar.platform.own_parts import OwnPart, learned_dampers, readable_parts
from emblar.platform.studio import Studio
from emblar.steps.kit.queries import heads as head_store
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.heads import ShelfHead
from emblar.steps.shelf import queries as store

CONDITIONS: tuple[Condition, ...] = ("fresh", "used", "worn")
MOST = 99
MOST_LETTERS = 80
MOST_PLIES = 3
LEAST_FOR_FLUID = 2
PLY_MIL = (1.5, 20.0)
MADE = ("coated", "fluid", "ring", "dot", "vented", "woven")
"""What can be true of a head besides its plies."""
LIMITS = {
    "radius": (0.0, 1.0),
    "resistance": (0.0, 200.0),
    "mass_kg": (0.0, 1.0),
    "minutes": (0.0, 240.0),
}
CALLED = {
    "radius": ("Place", 1.0, ""),
    "resistance": ("Takes", 1.0, " N s/m"),
    "mass_kg": ("Moves with the film", 1000.0, " g"),
    "minutes": ("Time to put on", 1.0, " min"),
}
"""What a person calls a damper's numbers, and what is typed over what is kept."""


def dampers_learned(studio: Studio) -> dict[str, LearnedDamper]:
    """Return what the studio's own strokes tell of each damper, by id."""
    with studio.work() as db:
        return learned_dampers(db, studio.studio_id)


def loose_heads(studio: Studio) -> list[ShelfHead]:
    """Return the loose heads on the shelf."""
    with studio.work() as db:
        return head_store.loose(db, studio.studio_id)


def own_parts(studio: Studio) -> list[OwnPart]:
    """Return what users added to the catalogue, as far as it can be read."""
    with studio.work() as db:
        return [part for part, _ in readable_parts(db, studio.studio_id)]


def add_head(
    studio: Studio, construction_id: str, diameter_in: float, count: int, condition: str
) -> ShelfHead:
    """Put loose heads on the shelf.

    Raises
    ------
    InputError
        There is no such head, or a number is outside its range.
    """
    studio.catalogue().construction(construction_id)
    check_range("diameter_in", diameter_in)
    if not 1 <= count <= MOST:
        raise InputError(f"Count: {count} is outside 1 to {MOST}.", field="count")
    known = next((c for c in CONDITIONS if c == condition), None)
    if known is None:
        raise InputError(
            f"condition: “{condition}” is not possible. Choose {', '.join(CONDITIONS)}."
        )
    with studio.work() as db:
        return head_store.add_loose(
            db, studio.studio_id, OwnedHead(construction_id, diameter_in, count, known)
        )


def add_damper(
    studio: Studio, name: str, kind: str, side: str, numbers: dict[str, float]
) -> OwnPart:
    """Add a damper of one's own to the catalogue.

    Raises
    ------
    InputError
        It has no name, or a number is outside its range; the message names it.
    """
    title = _title(studio, name, "damper", "damper")
    for field, (low, high) in LIMITS.items():
        if not low <= numbers[field] <= high:
            called, scale, unit = CALLED[field]
            raise InputError(
                f"{called}: {scale * numbers[field]:g} is outside {scale * low:g} to "
                f"{scale * high:g}{unit}.",
                field=field.removesuffix("_kg"),
            )
    row: dict[str, Any] = {"id": _id(title, numbers), "name": title, **numbers}
    return _added(studio, "damper", row | {"kinds": [kind], "side": side})


def add_construction(
    studio: Studio,
    name: str,
    kinds: Sequence[str],
    sides: Sequence[str],
    plies: str,
    made: Collection[str],
) -> OwnPart:
    """Add a head of one's own to the catalogue.

    Parameters
    ----------
    name
        As shown.
    kinds, sides
        Which drums it is used on, and on which side.
    plies
        Thickness of each ply in mil, for example ``"7 + 7"``.
    made
        What else is true of it, of ``MADE``.

    Raises
    ------
    InputError
        Something is missing or outside its range; the message names it.
    """
    title = _title(studio, name, "construction", "head")
    if not kinds or not sides:
        raise InputError(
            "Say on which drums and which side this head is used.",
            field="sides" if kinds else "kinds",
        )
    thick = _plies(plies, made, snare_side=tuple(kinds) == ("snare",) and tuple(sides) == ("reso",))
    truths = _truths(made)
    numbers = {f"ply{i}": ply for i, ply in enumerate(thick)} | dict.fromkeys(sorted(truths), 1.0)
    row: dict[str, Any] = {"id": _id(title, numbers), "name": title, "plies_mil": thick}
    row |= {"kinds": list(kinds), "sides": list(sides), **truths}
    return _added(studio, "construction", row)


def _truths(made: Collection[str]) -> dict[str, bool]:
    """Return what is true of a head, as the catalogue's fields."""
    hard = {"may_crack_collar": False} if "hard_collar" in made else {}
    return {field: True for field in MADE if field in made} | hard


def _plies(plies: str, made: Collection[str], *, snare_side: bool) -> list[float]:
    """Return the thickness of each ply in mil, checked for what the head is to be."""
    thick = [_ply(text) for text in re.split(r"[+/ ]+", plies.strip()) if text]
    if not 1 <= len(thick) <= MOST_PLIES:
        raise InputError(
            f"Plies: {len(thick)} is outside 1 to {MOST_PLIES}, in mil, as in “7 + 7”.",
            field="plies",
        )
    if "fluid" in made and len(thick) < LEAST_FOR_FLUID:
        raise InputError("Fluid lies between two plies; give both, as in “7 + 7”.", field="plies")
    if snare_side and sum(thick) > SNARE_SIDE_MOST_MIL:
        raise InputError(
            f"A snare side is {SNARE_SIDE_MOST_MIL:g} mil at most; wires do not answer on a "
            "heavier film.",
            field="plies",
        )
    return thick


def _ply(text: str) -> float:
    try:
        ply = float(text.replace(",", "."))
    except ValueError as error:
        raise InputError(
            f"“{text[:40]}” is not a number. Nothing was added.", field="plies"
        ) from error
    low, high = PLY_MIL
    if not low <= ply <= high:
        raise InputError(f"Plies: {ply:g} is outside {low:g} to {high:g} mil.", field="plies")
    return ply


def _title(studio: Studio, name: str, table: str, what: str) -> str:
    title = name.strip()
    if not title or len(title) > MOST_LETTERS:
        raise InputError(
            f"Give the {what} a name of up to {MOST_LETTERS} characters.", field="name"
        )
    if title in {part.row["name"] for part in own_parts(studio) if part.part == table}:
        raise InputError(
            f"There is already a {what} “{title}” of your own. Choose another name.", field="name"
        )
    return title


def _id(title: str, numbers: dict[str, float]) -> str:
    slug = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "part"
    return f"own-{slug}-{_mark(numbers)}"


def _added(studio: Studio, table: str, row: dict[str, Any]) -> OwnPart:
    row_of(table, row)
    with studio.work() as db:
        return store.add_part(db, studio.studio_id, table, row)


def _mark(numbers: dict[str, float]) -> str:
    """Return a few letters of the numbers: another damper of the same name is another part."""
    return hashlib.sha256(repr(sorted(numbers.items())).encode()).hexdigest()[:6]


def take_off_shelf(studio: Studio, what: str, row_id: int) -> None:
    """Take heads or a part off the shelf; they can be brought back.

    Plans that use an own part say so and ask to be planned again.

    Raises
    ------
    InputError
        It is a head that is on a drum or loose on the shelf.
    """
    if what == "part":
        _check_free(studio, row_id)
    with studio.work() as db:
        if what == "head":
            head_store.delete_loose(db, studio.studio_id, row_id)
        else:
            store.delete_part(db, studio.studio_id, row_id)


def _check_free(studio: Studio, part_id: int) -> None:
    part = next((p for p in own_parts(studio) if p.id == part_id), None)
    if part is None or part.part != "construction":
        return
    head = part.row["id"]
    with studio.work() as db:
        on = kit_store.wearing(db, studio.studio_id, head)
        on += [
            "the shelf"
            for h in head_store.loose(db, studio.studio_id)
            if h.owned.construction == head
        ]
    if on:
        raise InputError(
            f"“{part.row['name']}” is on {', '.join(dict.fromkeys(on))}. Change that first; it "
            "stays in the catalogue."
        )


def put_back(studio: Studio, what: str, row_id: int) -> None:
    """Bring back what was taken off the shelf."""
    with studio.work() as db:
        if what == "head":
            head_store.restore_loose(db, studio.studio_id, row_id)
        else:
            store.restore_part(db, studio.studio_id, row_id)
