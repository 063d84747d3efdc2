"""The shelf: loose heads, and what users added to the catalogue."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.core.planning.brief import OwnedHead
from emblar.store.tables import OwnPartRow, ShelfHeadRow


@dataclass(frozen=True, slots=True)
class ShelfHead:
    """Loose heads on the shelf."""

    id: int
    owned: OwnedHead


@dataclass(frozen=True, slots=True)
class OwnPart:
    """A user's own part: which table of the catalogue, and the row."""

    id: int
    part: str
    row: dict[str, Any]


def _head(row: ShelfHeadRow) -> ShelfHead:
    owned = OwnedHead(row.construction, row.diameter_in, row.count, row.condition)  # type: ignore[arg-type]
    return ShelfHead(row.id, owned)


def heads(db: Session) -> list[ShelfHead]:
    """Return loose heads, smallest first."""
    query = select(ShelfHeadRow).where(ShelfHeadRow.deleted_at.is_(None))
    query = query.order_by(ShelfHeadRow.diameter_in, ShelfHeadRow.construction, ShelfHeadRow.id)
    return [_head(row) for row in db.execute(query).scalars()]


def add_head(db: Session, owned: OwnedHead) -> ShelfHead:
    """Put heads on the shelf."""
    row = ShelfHeadRow(
        construction=owned.construction, diameter_in=owned.diameter_in, count=owned.count,
        condition=owned.condition,
    )  # fmt: skip
    db.add(row)
    db.flush()
    return _head(row)


def parts(db: Session) -> list[OwnPart]:
    """Return what users added, in the order they added it."""
    query = select(OwnPartRow).where(OwnPartRow.deleted_at.is_(None)).order_by(OwnPartRow.id)
    return [OwnPart(row.id, row.part, dict(row.row)) for row in db.execute(query).scalars()]


def add_part(db: Session, part: str, row: dict[str, Any]) -> OwnPart:
    """Add a part to the catalogue."""
    made = OwnPartRow(part=part, row=row)
    db.add(made)
    db.flush()
    return OwnPart(made.id, part, row)


def take_away(db: Session, what: str, row_id: int) -> None:
    """Take heads (``"head"``) or a part (``"part"``) away; they can be brought back."""
    _any(db, what, row_id).deleted_at = datetime.now(UTC)


def bring_back(db: Session, what: str, row_id: int) -> None:
    """Bring back what was taken away."""
    _any(db, what, row_id).deleted_at = None


def _any(db: Session, what: str, row_id: int) -> ShelfHeadRow | OwnPartRow:
    row: ShelfHeadRow | OwnPartRow | None
    row = db.get(ShelfHeadRow, row_id) if what == "head" else db.get(OwnPartRow, row_id)
    if row is None:
        raise NotFoundError("That is not on the shelf any more.")
    return row
