"""How far the work on a drum is in a session."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from emblar.platform.tables import BenchRow, SessionRow


def get(db: Session, session_id: int, drum_id: int, *, lock: bool = False) -> dict[str, Any]:
    """Return what is kept of the work on a drum, empty if nothing was done.

    With ``lock`` others who change it wait until this transaction has ended.
    """
    query = select(BenchRow).where(BenchRow.session_id == session_id, BenchRow.drum_id == drum_id)
    if lock:
        new = insert(BenchRow).values(session_id=session_id, drum_id=drum_id, document={})
        db.execute(new.on_conflict_do_nothing())
        query = query.with_for_update()
    row = db.execute(query).scalar_one_or_none()
    return dict(row.document) if row is not None else {}


def keep(db: Session, session_id: int, drum_id: int, document: dict[str, Any]) -> None:
    """Keep how far the work is."""
    new = insert(BenchRow).values(session_id=session_id, drum_id=drum_id, document=document)
    db.execute(
        new.on_conflict_do_update(
            index_elements=["session_id", "drum_id"], set_={"document": document}
        )
    )


def tuned(db: Session, session_ids: Sequence[int]) -> dict[int, set[int]]:
    """Return the studio's drums that are tuned, by session.

    All jobs on them are done, and no head was off its goal when it was last measured.
    """
    return {
        session_id: {drum_id for drum_id, left in drums.items() if not left}
        for session_id, drums in finished(db, session_ids).items()
        if not all(drums.values())
    }


def finished(
    db: Session, session_ids: Sequence[int]
) -> dict[int, dict[int, dict[str, dict[str, float]]]]:
    """Return where each drum whose jobs are done was left off its goal, by session and drum.

    Each is kept by head as ``{"hz": …, "off_cents": …}``; empty for a tuned drum.
    """
    last = BenchRow.document["jobs"]["listen"]["state"].astext
    query = select(BenchRow.session_id, BenchRow.drum_id, BenchRow.document["left"]).where(
        BenchRow.session_id.in_(session_ids), last == "done"
    )
    result: dict[int, dict[int, dict[str, dict[str, float]]]] = {}
    for session_id, drum_id, left in db.execute(query):
        result.setdefault(session_id, {})[drum_id] = left if isinstance(left, dict) else {}
    return result


def documents(db: Session, studio_id: int) -> list[dict[str, Any]]:
    """Return the work on every drum in every session of a studio."""
    query = (
        select(BenchRow.document)
        .join(SessionRow, SessionRow.id == BenchRow.session_id)
        .where(SessionRow.studio_id == studio_id)
        .order_by(BenchRow.session_id, BenchRow.drum_id)
    )
    return [dict(row) for row in db.execute(query).scalars()]


def of_drum(db: Session, studio_id: int, drum_id: int) -> list[tuple[str, dict[str, Any]]]:
    """Return the work on one drum in every session, with the session's name, the oldest first."""
    query = (
        select(SessionRow.name, BenchRow.document)
        .join(SessionRow, SessionRow.id == BenchRow.session_id)
        .where(SessionRow.studio_id == studio_id, BenchRow.drum_id == drum_id)
        .order_by(SessionRow.created_at, SessionRow.id)
    )
    return [(name, dict(document)) for name, document in db.execute(query)]
