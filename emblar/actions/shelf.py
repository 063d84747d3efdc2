"""Shelf: loose heads that plans may use, and parts of one's own in the catalogue.

Conventions
-----------
The catalogue is the process's own; ``use_own_parts`` brings it up to date with the database and is
called before anything is planned or shown.
"""

import hashlib
import re
from typing import Any

from emblar.core.catalogue import construction, row_of, use_own
from emblar.core.errors import InputError
from emblar.core.planning.brief import Condition, OwnedHead
from emblar.core.planning.kit import check_range
from emblar.store import shelf as store
from emblar.store.database import transaction
from emblar.store.shelf import OwnPart, ShelfHead

CONDITIONS: tuple[Condition, ...] = ("fresh", "used", "worn")
MOST = 99
LIMITS = {"radius": (0.0, 1.0), "resistance": (0.0, 200.0), "mass_kg": (0.0, 1.0),
          "minutes": (0.0, 240.0)}  # fmt: skip


def use_own_parts() -> None:
    """Bring the catalogue up to date with what users added."""
    with transaction() as db:
        own = store.parts(db)
    use_own((part.part, row_of(part.part, part.row)) for part in own)


def loose_heads() -> list[ShelfHead]:
    """Return the loose heads on the shelf."""
    with transaction() as db:
        return store.heads(db)


def own_parts() -> list[OwnPart]:
    """Return what users added to the catalogue."""
    with transaction() as db:
        return store.parts(db)


def add_head(construction_id: str, diameter_in: float, count: int, condition: str) -> ShelfHead:
    """Put loose heads on the shelf.

    Raises
    ------
    InputError
        There is no such head, or a number is outside its range.
    """
    construction(construction_id)
    check_range("diameter_in", diameter_in)
    if not 1 <= count <= MOST:
        raise InputError(f"count: {count} is outside 1 to {MOST}.")
    known = next((c for c in CONDITIONS if c == condition), None)
    if known is None:
        raise InputError(f"condition: “{condition}” is none of {', '.join(CONDITIONS)}.")
    with transaction() as db:
        return store.add_head(db, OwnedHead(construction_id, diameter_in, count, known))


def add_damper(name: str, kind: str, side: str, numbers: dict[str, float]) -> OwnPart:
    """Add a damper of one's own to the catalogue.

    Raises
    ------
    InputError
        It has no name, or a number is outside its range; the message names it.
    """
    title = name.strip()
    if not title or len(title) > 80:
        raise InputError("Give the damper a name of up to 80 characters.")
    for field, (low, high) in LIMITS.items():
        if not low <= numbers[field] <= high:
            raise InputError(f"{field}: {numbers[field]:g} is outside {low:g} to {high:g}.")
    slug = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "part"
    row: dict[str, Any] = {"id": f"own-{slug}-{_mark(numbers)}", "name": title, **numbers}
    row |= {"kinds": [kind], "side": side}
    if title in {part.row["name"] for part in own_parts()}:
        raise InputError(f"There is already a damper “{title}” of your own. Choose another name.")
    row_of("damper", row)
    with transaction() as db:
        made = store.add_part(db, "damper", row)
    use_own_parts()
    return made


def _mark(numbers: dict[str, float]) -> str:
    """Return a few letters of the numbers: another damper of the same name is another part."""
    return hashlib.sha256(repr(sorted(numbers.items())).encode()).hexdigest()[:6]


def take_off_shelf(what: str, row_id: int) -> None:
    """Take heads or a part off the shelf; they can be brought back.

    Plans that lay an own damper on a drum say so and ask to be planned again.
    """
    with transaction() as db:
        store.take_away(db, what, row_id)
    use_own_parts()


def put_back(what: str, row_id: int) -> None:
    """Bring back what was taken off the shelf."""
    with transaction() as db:
        store.bring_back(db, what, row_id)
    use_own_parts()
