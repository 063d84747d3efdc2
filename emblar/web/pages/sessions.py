"""The list of sessions."""

from dataclasses import dataclass
from datetime import datetime

from emblar.store.sessions import SessionInfo
from emblar.web.pages.frame import time_left


@dataclass(frozen=True, slots=True)
class SessionRow:
    """A session as listed."""

    id: int
    name: str
    artist: str
    downbeat: str
    state: str
    made: str


@dataclass(frozen=True, slots=True)
class SessionsPage:
    """Everything the list of sessions shows."""

    rows: tuple[SessionRow, ...]
    undo: int | None


def _state(session: SessionInfo) -> str:
    if session.plan_version is not None:
        return f"{session.drums} drums, plan {session.plan_version}"
    if session.drums:
        return f"{session.drums} drums, no plan yet"
    return "record brought" if session.references else "no record yet"


def sessions_page(sessions: list[SessionInfo], now: datetime, undo: int | None) -> SessionsPage:
    """Return the list, with the session just deleted to offer bringing it back."""
    rows = tuple(
        SessionRow(
            s.id,
            s.name,
            s.artist,
            time_left(s.downbeat_at, now),
            _state(s),
            s.created_at.strftime("%-d %B %Y"),
        )
        for s in sessions
    )
    return SessionsPage(rows, undo)
