"""Plans: versions kept, the newest shown."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from emblar.store.tables import PlanRow


@dataclass(frozen=True, slots=True)
class PlanInfo:
    """One version of a plan."""

    session_id: int
    version: int
    created_at: datetime
    document: dict[str, Any]


def add(db: Session, session_id: int, document: dict[str, Any]) -> PlanInfo:
    """Keep a new version and return it."""
    newest = db.execute(
        select(func.max(PlanRow.version)).where(PlanRow.session_id == session_id)
    ).scalar_one()
    row = PlanRow(session_id=session_id, version=(newest or 0) + 1, document=document)
    db.add(row)
    db.flush()
    db.refresh(row)
    return PlanInfo(row.session_id, row.version, row.created_at, row.document)


def planned(db: Session, session_ids: Sequence[int]) -> dict[int, set[int]]:
    """Return which drums the newest plan of each session plans, by session."""
    newest = (
        select(PlanRow.session_id, PlanRow.document)
        .where(PlanRow.session_id.in_(session_ids))
        .ext(distinct_on(PlanRow.session_id))
        .order_by(PlanRow.session_id, PlanRow.version.desc())
        .subquery()
    )
    keys = func.jsonb_object_keys(newest.c.document["drums"]).label("drum")
    found: dict[int, set[int]] = {}
    for session_id, drum in db.execute(select(newest.c.session_id, keys)):
        found.setdefault(session_id, set()).add(int(drum))
    return found


def latest(db: Session, session_id: int) -> PlanInfo | None:
    """Return the newest version, or None without a plan."""
    row = db.execute(
        select(PlanRow)
        .where(PlanRow.session_id == session_id)
        .order_by(PlanRow.version.desc())
        .limit(1)
    ).scalar_one_or_none()
    return PlanInfo(row.session_id, row.version, row.created_at, row.document) if row else None
