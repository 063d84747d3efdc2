"""Pads: what is struck next to the planned drums, and their takes."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.tables import PadRow, RecordingRow

GONE = "That pad is not here any more."


@dataclass(frozen=True, slots=True)
class PadInfo:
    """A pad: its name, what it is made of, and the voice of the record it is to sound like."""

    id: int
    name: str
    made_of: str
    part: str | None


def _info(row: PadRow) -> PadInfo:
    return PadInfo(row.id, row.name, row.made_of, row.part)


def _row(db: Session, session_id: int, pad_id: int, *, removed: bool = False) -> PadRow:
    row = db.get(PadRow, pad_id)
    if row is None or row.session_id != session_id or (row.deleted_at is not None) is not removed:
        raise NotFoundError(GONE)
    return row


def listing(db: Session, session_id: int) -> list[PadInfo]:
    """Return a session's pads in the order they were added."""
    query = select(PadRow).where(PadRow.session_id == session_id, PadRow.deleted_at.is_(None))
    return [_info(row) for row in db.execute(query.order_by(PadRow.id)).scalars()]


def get(db: Session, session_id: int, pad_id: int) -> PadInfo:
    """Return one pad of a session, or raise ``NotFoundError``."""
    return _info(_row(db, session_id, pad_id))


def add(db: Session, session_id: int, name: str, made_of: str, part: str | None) -> PadInfo:
    """Keep a new pad."""
    row = PadRow(session_id=session_id, name=name, made_of=made_of, part=part)
    db.add(row)
    db.flush()
    return _info(row)


def change(
    db: Session, session_id: int, pad_id: int, name: str, made_of: str, part: str | None
) -> None:
    """Keep another name, make or part of a pad."""
    row = _row(db, session_id, pad_id)
    row.name, row.made_of, row.part = name, made_of, part
    db.flush()


def take_away(db: Session, session_id: int, pad_id: int) -> None:
    """Remove a pad with its takes; it can be brought back for 30 days."""
    row = _row(db, session_id, pad_id)
    row.deleted_at = datetime.now(UTC)
    change = update(RecordingRow).where(
        RecordingRow.pad_id == pad_id, RecordingRow.deleted_at.is_(None)
    )
    db.execute(change.values(deleted_at=row.deleted_at))
    db.flush()


def bring_back(db: Session, session_id: int, pad_id: int) -> None:
    """Bring a pad back with the takes that it was removed with."""
    row = _row(db, session_id, pad_id, removed=True)
    matching = update(RecordingRow).where(
        RecordingRow.pad_id == pad_id, RecordingRow.deleted_at == row.deleted_at
    )
    db.execute(matching.values(deleted_at=None))
    row.deleted_at = None
    db.flush()
