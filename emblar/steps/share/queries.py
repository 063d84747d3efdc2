"""Links to show a session by, and what is said through them."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.tables import CommentRow, KitSlotRow, SessionRow, ShareRow


@dataclass(frozen=True, slots=True)
class ShareInfo:
    """A link: for whom, what it shows, until when, and how often it was opened."""

    id: int
    studio_id: int
    session_id: int
    name: str
    parts: tuple[str, ...]
    expires_at: datetime
    revoked_at: datetime | None
    opened: int


@dataclass(frozen=True, slots=True)
class CommentInfo:
    """What was said of a drum: by whom, in words, and which quantity by how many steps."""

    id: int
    share_id: int | None
    slot_id: int
    author: str
    text: str
    quantity: str | None
    steps: float | None
    state: str
    created_at: datetime


def _info(row: ShareRow, studio_id: int) -> ShareInfo:
    return ShareInfo(
        row.id,
        studio_id,
        row.session_id,
        row.name,
        tuple(str(part) for part in row.parts),
        row.expires_at,
        row.revoked_at,
        row.opened,
    )


def add(
    db: Session,
    session_id: int,
    token_sha256: str,
    name: str,
    parts: tuple[str, ...],
    expires_at: datetime,
) -> int:
    """Keep a link; return its id."""
    row = ShareRow(
        session_id=session_id,
        token_sha256=token_sha256,
        name=name,
        parts=list(parts),
        expires_at=expires_at,
    )
    db.add(row)
    db.flush()
    return row.id


def listing(db: Session, session_id: int) -> list[ShareInfo]:
    """Return a session's links, the newest first."""
    query = select(ShareRow, SessionRow.studio_id).join(SessionRow)
    query = query.where(ShareRow.session_id == session_id).order_by(ShareRow.id.desc())
    return [_info(row, studio_id) for row, studio_id in db.execute(query)]


def by_token(db: Session, token_sha256: str) -> ShareInfo | None:
    """Return the link of a token whose session is there, or None."""
    query = select(ShareRow, SessionRow.studio_id).join(SessionRow)
    query = query.where(ShareRow.token_sha256 == token_sha256, SessionRow.deleted_at.is_(None))
    result = db.execute(query).one_or_none()
    return _info(result[0], result[1]) if result is not None else None


def count_opened(db: Session, share_id: int) -> None:
    """Count that a link was opened."""
    change = update(ShareRow).where(ShareRow.id == share_id)
    db.execute(change.values(opened=ShareRow.opened + 1, updated_at=ShareRow.updated_at))


def revoke(db: Session, session_id: int, share_id: int, time: datetime) -> None:
    """End a link."""
    row = db.get(ShareRow, share_id)
    if row is None or row.session_id != session_id:
        raise NotFoundError("That link is not here any more.")
    row.revoked_at = row.revoked_at or time


def add_comment(
    db: Session,
    share_id: int | None,
    slot_id: int,
    author: str,
    words: str,
    quantity: str | None,
    steps: float | None,
) -> None:
    """Keep what was said."""
    db.add(
        CommentRow(
            share_id=share_id,
            slot_id=slot_id,
            who=author,
            said=words,
            quantity=quantity,
            steps=steps,
        )
    )


def count_comments(db: Session, session_id: int, share_id: int | None) -> int:
    """Return how much was said of a session through a link, or without any."""
    query = select(func.count()).select_from(CommentRow).join(KitSlotRow)
    query = query.where(KitSlotRow.session_id == session_id, CommentRow.share_id == share_id)
    return db.execute(query).scalar_one()


def _comment(row: CommentRow) -> CommentInfo:
    return CommentInfo(
        row.id,
        row.share_id,
        row.slot_id,
        row.who,
        row.said,
        row.quantity,
        row.steps,
        row.state,
        row.created_at,
    )


def comments(db: Session, session_id: int, *, share_id: int | None = None) -> list[CommentInfo]:
    """Return what was said of a session, or through one link of it, the oldest first."""
    query = select(CommentRow).join(KitSlotRow).where(KitSlotRow.session_id == session_id)
    if share_id is not None:
        query = query.where(CommentRow.share_id == share_id)
    return [_comment(row) for row in db.execute(query.order_by(CommentRow.id)).scalars()]


def set_state(db: Session, session_id: int, comment_id: int, state: str) -> CommentInfo:
    """Keep what became of something that was said; only what is new can become anything."""
    query = select(CommentRow).join(KitSlotRow).with_for_update(of=CommentRow)
    query = query.where(CommentRow.id == comment_id, KitSlotRow.session_id == session_id)
    row = db.execute(query).scalar_one_or_none()
    if row is None:
        raise NotFoundError("That is not here any more.")
    info = _comment(row)
    row.state = state
    return info
