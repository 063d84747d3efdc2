"""Practice drums and answers to ear exercises."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.tables import PracticeRow


@dataclass(frozen=True, slots=True)
class PracticeInfo:
    """A practice drum (``kind`` "drum") or an answer to an exercise ("ear")."""

    id: int
    kind: str
    document: dict[str, Any]
    created_at: datetime


def _info(row: PracticeRow) -> PracticeInfo:
    return PracticeInfo(row.id, row.kind, dict(row.document), row.created_at)


def add(db: Session, studio_id: int, kind: str, document: dict[str, Any]) -> PracticeInfo:
    """Keep a new one."""
    row = PracticeRow(studio_id=studio_id, kind=kind, document=document)
    db.add(row)
    db.flush()
    db.refresh(row)
    return _info(row)


def get(db: Session, studio_id: int, practice_id: int, *, lock: bool = False) -> PracticeInfo:
    """Return one of a studio's, or raise ``NotFoundError``."""
    query = select(PracticeRow).where(
        PracticeRow.id == practice_id, PracticeRow.studio_id == studio_id
    )
    row = db.execute(query.with_for_update() if lock else query).scalar_one_or_none()
    if row is None:
        raise NotFoundError("That practice drum is not here any more. Begin another.")
    return _info(row)


def keep(db: Session, practice_id: int, document: dict[str, Any]) -> None:
    """Keep how far it is."""
    db.get_one(PracticeRow, practice_id).document = document
    db.flush()


def listing(db: Session, studio_id: int, kind: str, *, most: int) -> list[PracticeInfo]:
    """Return the newest of a kind, the newest first."""
    query = select(PracticeRow).where(PracticeRow.studio_id == studio_id, PracticeRow.kind == kind)
    rows = db.execute(query.order_by(PracticeRow.id.desc()).limit(most)).scalars()
    return [_info(row) for row in rows]
