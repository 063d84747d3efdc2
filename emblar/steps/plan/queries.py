"""Plans: versions kept, the newest shown."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import case, func, literal, select
from sqlalchemy.dialects.postgresql import JSONB, distinct_on
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.database import read_once
from emblar.platform.tables import PlanRow


@dataclass(frozen=True, slots=True)
class PlanInfo:
    """One version of a plan.

    ``says`` is what changed, ``restores`` the version it brings back, ``inputs`` marks of what it
    was planned from, by name.
    """

    session_id: int
    version: int
    created_at: datetime
    document: dict[str, Any]
    says: str = ""
    restores: int | None = None
    inputs: dict[str, str] = field(default_factory=dict)


def _info(row: PlanRow) -> PlanInfo:
    return PlanInfo(
        row.session_id,
        row.version,
        row.created_at,
        row.document,
        row.says,
        row.restores,
        dict(row.inputs or {}),
    )


def add(
    db: Session,
    session_id: int,
    document: dict[str, Any],
    *,
    says: str = "",
    restores: int | None = None,
    inputs: dict[str, str] | None = None,
) -> PlanInfo:
    """Keep a new version and return it."""
    newest = db.execute(
        select(func.max(PlanRow.version)).where(PlanRow.session_id == session_id)
    ).scalar_one()
    row = PlanRow(
        session_id=session_id,
        version=(newest or 0) + 1,
        document=document,
        says=says,
        restores=restores,
        inputs=inputs or {},
    )
    db.add(row)
    db.flush()
    db.refresh(row)
    return _info(row)


def set_inputs(db: Session, session_id: int, version: int, inputs: dict[str, str]) -> None:
    """Keep what a version was planned from, where planning again changed nothing."""
    _row(db, session_id, version).inputs = inputs
    db.flush()


def get(db: Session, session_id: int, version: int) -> PlanInfo:
    """Return one version, or raise ``NotFoundError``."""
    return _info(_row(db, session_id, version))


def _row(db: Session, session_id: int, version: int) -> PlanRow:
    row = db.execute(
        select(PlanRow).where(PlanRow.session_id == session_id, PlanRow.version == version)
    ).scalar_one_or_none()
    if row is None:
        raise NotFoundError(f"There is no plan {version} in this session.")
    return row


def listing(db: Session, session_id: int) -> list[PlanInfo]:
    """Return every version, the newest first, without what it plans."""
    columns = (
        PlanRow.session_id,
        PlanRow.version,
        PlanRow.created_at,
        PlanRow.says,
        PlanRow.restores,
    )
    query = select(*columns).where(PlanRow.session_id == session_id)
    rows = db.execute(query.order_by(PlanRow.version.desc()))
    return [PlanInfo(s, v, position, {}, says, restores) for s, v, position, says, restores in rows]


def planned(db: Session, session_ids: Sequence[int]) -> dict[int, set[int]]:
    """Return which drums the newest plan of each session plans, by session."""
    newest = (
        select(PlanRow.session_id, PlanRow.document)
        .where(PlanRow.session_id.in_(session_ids))
        .ext(distinct_on(PlanRow.session_id))
        .order_by(PlanRow.session_id, PlanRow.version.desc())
        .subquery()
    )
    drums = newest.c.document["drums"]
    # A document that another Emblar kept, or that came from elsewhere, need not have any.
    known = case((func.jsonb_typeof(drums) == "object", drums), else_=literal({}, JSONB))
    keys = func.jsonb_object_keys(known).label("drum")
    result: dict[int, set[int]] = {}
    for session_id, drum in db.execute(select(newest.c.session_id, keys)):
        if drum.isdecimal():
            result.setdefault(session_id, set()).add(int(drum))
    return result


@read_once
def latest(db: Session, session_id: int) -> PlanInfo | None:
    """Return the newest version, or None without a plan."""
    row = db.execute(
        select(PlanRow)
        .where(PlanRow.session_id == session_id)
        .order_by(PlanRow.version.desc())
        .limit(1)
    ).scalar_one_or_none()
    return _info(row) if row else None
