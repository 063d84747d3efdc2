"""Sessions: make, list, change, delete and bring back."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

from sqlalchemy import ColumnElement, ScalarSelect, case, func, select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.tables import KitSlotRow, PlanRow, RecordingRow, SessionRow

UNDO_DAYS = 30
Order = Literal["newest", "downbeat", "name"]


@dataclass(frozen=True, slots=True)
class SessionInfo:
    """A session as listed and as shown at the top."""

    id: int
    name: str
    studio: str
    artist: str
    wish: str
    downbeat_at: datetime | None
    created_at: datetime
    recordings: int = 0
    """Recordings that are analysed."""
    drums: int = 0
    plan_version: int | None = None
    brief: dict[str, Any] = field(default_factory=dict)


def _info(row: SessionRow) -> SessionInfo:
    return SessionInfo(
        row.id,
        row.name,
        row.studio,
        row.artist,
        row.wish,
        row.downbeat_at,
        row.created_at,
        brief=dict(row.asked or {}),
    )


def _row(db: Session, studio_id: int, session_id: int) -> SessionRow:
    row = db.get(SessionRow, session_id)
    # Held as long as the transaction is open: else every look at it asks the database again.
    db.info[SessionRow, session_id] = row
    if row is None or row.studio_id != studio_id or row.deleted_at is not None:
        raise NotFoundError(f"There is no session {session_id}. It may have been deleted.")
    return row


def create(
    db: Session,
    studio_id: int,
    *,
    name: str,
    studio: str = "",
    artist: str = "",
    wish: str = "",
    downbeat_at: datetime | None = None,
    wishes: dict[str, Any] | None = None,
) -> SessionInfo:
    """Make a session."""
    row = SessionRow(
        studio_id=studio_id,
        name=name,
        studio=studio,
        artist=artist,
        wish=wish,
        downbeat_at=downbeat_at,
        asked=wishes or {},
    )
    db.add(row)
    db.flush()
    return _info(row)


def get(db: Session, studio_id: int, session_id: int, *, lock: bool = False) -> SessionInfo:
    """Return one session of a studio, or raise ``NotFoundError``.

    With ``lock`` others who change it wait until this transaction has ended.
    """
    row = _row(db, studio_id, session_id)
    if lock:
        db.refresh(row, with_for_update=True)
    return _info(row)


def change(
    db: Session,
    studio_id: int,
    session_id: int,
    *,
    name: str,
    studio: str,
    artist: str,
    wish: str,
    downbeat_at: datetime | None,
    wishes: dict[str, Any],
) -> SessionInfo:
    """Change what a session says of itself."""
    row = _row(db, studio_id, session_id)
    row.name, row.studio, row.artist, row.wish = name, studio, artist, wish
    row.downbeat_at, row.asked = downbeat_at, wishes
    db.flush()
    return _info(row)


def _count(table: type[RecordingRow] | type[KitSlotRow]) -> ScalarSelect[int]:
    """Return how many rows of a table a session has, recordings only of its analysed record."""
    query = select(func.count()).where(
        table.session_id == SessionRow.id, table.deleted_at.is_(None)
    )
    if table is RecordingRow:
        query = query.where(RecordingRow.state == "done", RecordingRow.purpose == "record")
    return query.correlate(SessionRow).scalar_subquery()


def listing(
    db: Session,
    studio_id: int,
    *,
    only: int | None = None,
    find: str = "",
    order: Order = "newest",
    skip: int = 0,
    most: int | None = None,
) -> list[SessionInfo]:
    """Return the sessions of a studio with what is in each.

    Parameters
    ----------
    only
        One session alone.
    find
        Only those with this text in their name or artist.
    order
        Newest first, by name, or by downbeat: those to come first, the nearest at the top.
    skip, most
        How many of them to leave out at the start, and how many to return at most.
    """
    version = select(func.max(PlanRow.version)).where(PlanRow.session_id == SessionRow.id)
    query = select(
        SessionRow,
        _count(RecordingRow),
        _count(KitSlotRow),
        version.correlate(SessionRow).scalar_subquery(),
    ).where(SessionRow.studio_id == studio_id, SessionRow.deleted_at.is_(None))
    if only is not None:
        query = query.where(SessionRow.id == only)
    if find.strip():
        text = SessionRow.name + " " + SessionRow.artist
        query = query.where(text.icontains(find.strip(), autoescape=True))
    rows = db.execute(query.order_by(*_order(order)).offset(skip).limit(most)).all()
    return [
        SessionInfo(
            row.id,
            row.name,
            row.studio,
            row.artist,
            row.wish,
            row.downbeat_at,
            row.created_at,
            recordings,
            drums,
            plan,
            dict(row.asked or {}),
        )
        for row, recordings, drums, plan in rows
    ]


def _order(order: Order) -> tuple[ColumnElement[Any], ...]:
    newest = (SessionRow.created_at.desc(), SessionRow.id.desc())
    if order == "name":
        return (func.lower(SessionRow.name), *newest)
    if order == "downbeat":
        to_come = case((SessionRow.downbeat_at >= datetime.now(UTC), SessionRow.downbeat_at))
        return (to_come.asc().nulls_last(), *newest)
    return newest


def last_with_drums(db: Session, studio_id: int, without: int | None) -> SessionInfo | None:
    """Return the newest session of a studio that has a kit, but for one."""
    drums = select(KitSlotRow.id).where(
        KitSlotRow.session_id == SessionRow.id, KitSlotRow.deleted_at.is_(None)
    )
    query = select(SessionRow).where(
        SessionRow.studio_id == studio_id, SessionRow.deleted_at.is_(None), drums.exists()
    )
    if without is not None:
        query = query.where(SessionRow.id != without)
    newest = query.order_by(SessionRow.created_at.desc(), SessionRow.id.desc()).limit(1)
    row = db.execute(newest).scalar_one_or_none()
    return _info(row) if row else None


def delete(db: Session, studio_id: int, session_id: int) -> None:
    """Delete a session; it can be brought back for 30 days."""
    _row(db, studio_id, session_id).deleted_at = datetime.now(UTC)


def restore(db: Session, studio_id: int, session_id: int) -> SessionInfo:
    """Bring a deleted session back, or raise ``NotFoundError`` after 30 days."""
    row = db.get(SessionRow, session_id)
    oldest = datetime.now(UTC) - timedelta(days=UNDO_DAYS)
    gone = row is None or row.studio_id != studio_id
    if row is None or gone or (row.deleted_at is not None and row.deleted_at < oldest):
        raise NotFoundError("That session was deleted more than 30 days ago.")
    row.deleted_at = None
    return _info(row)
