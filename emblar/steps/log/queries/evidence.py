"""What people say of the record's drums: values and gear, with how far they are trusted."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.database import read_once
from emblar.platform.tables import EvidenceRow


@dataclass(frozen=True, slots=True)
class EvidenceInfo:
    """One piece: a quantity's value, or gear in words if ``quantity`` is None."""

    id: int
    session_id: int
    voice: str
    quantity: str | None
    value: float | None
    sd: float | None
    confidence: float
    source: str


def _info(row: EvidenceRow) -> EvidenceInfo:
    return EvidenceInfo(
        row.id,
        row.session_id,
        row.voice,
        row.quantity,
        row.value,
        row.sd,
        row.confidence,
        row.source,
    )


def add(
    db: Session,
    session_id: int,
    voice: str,
    *,
    quantity: str | None,
    value: float | None,
    sd: float | None,
    confidence: float,
    source: str,
) -> EvidenceInfo:
    """Keep a piece of evidence."""
    row = EvidenceRow(
        session_id=session_id,
        voice=voice,
        quantity=quantity,
        value=value,
        sd=sd,
        confidence=confidence,
        source=source,
    )
    db.add(row)
    db.flush()
    return _info(row)


@read_once
def listing(db: Session, session_id: int) -> list[EvidenceInfo]:
    """Return a session's evidence in the order it was given."""
    query = select(EvidenceRow).where(
        EvidenceRow.session_id == session_id, EvidenceRow.deleted_at.is_(None)
    )
    return [_info(row) for row in db.execute(query.order_by(EvidenceRow.id)).scalars()]


def take_away(db: Session, session_id: int, evidence_id: int) -> EvidenceInfo:
    """Take a piece away; it can be brought back for 30 days."""
    row = _any(db, session_id, evidence_id)
    row.deleted_at = datetime.now(UTC)
    return _info(row)


def before(db: Session, session_id: int, evidence_id: int) -> EvidenceInfo | None:
    """Return the piece of the same kind that was given before one, deleted or not."""
    row = _any(db, session_id, evidence_id)
    query = select(EvidenceRow).where(
        EvidenceRow.session_id == session_id,
        EvidenceRow.voice == row.voice,
        EvidenceRow.quantity == row.quantity,
        EvidenceRow.source == row.source,
        EvidenceRow.id < evidence_id,
    )
    result = db.execute(query.order_by(EvidenceRow.id.desc()).limit(1)).scalar_one_or_none()
    return _info(result) if result else None


def bring_back(db: Session, session_id: int, evidence_id: int) -> EvidenceInfo:
    """Bring a piece back that was taken away."""
    row = _any(db, session_id, evidence_id)
    row.deleted_at = None
    return _info(row)


def _any(db: Session, session_id: int, evidence_id: int) -> EvidenceRow:
    row = db.get(EvidenceRow, evidence_id)
    if row is None or row.session_id != session_id:
        raise NotFoundError("That is not here any more.")
    return row
