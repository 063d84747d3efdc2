"""What users added to the catalogue."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.own_parts import OwnPart
from emblar.platform.tables import OwnPartRow


def add_part(db: Session, studio_id: int, part: str, row: dict[str, Any]) -> OwnPart:
    """Add a part to the catalogue."""
    made = OwnPartRow(studio_id=studio_id, part=part, row=row)
    db.add(made)
    db.flush()
    return OwnPart(made.id, part, row)


def delete_part(db: Session, studio_id: int, part_id: int) -> None:
    """Remove a part; it can be brought back for 30 days."""
    _any(db, studio_id, part_id).deleted_at = datetime.now(UTC)


def restore_part(db: Session, studio_id: int, part_id: int) -> None:
    """Bring a part back that was removed."""
    _any(db, studio_id, part_id).deleted_at = None


def _any(db: Session, studio_id: int, part_id: int) -> OwnPartRow:
    row = db.get(OwnPartRow, part_id)
    if row is None or row.studio_id != studio_id:
        raise NotFoundError("That is not on the shelf any more.")
    return row
