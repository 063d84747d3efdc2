"""Home: every session with its kit, how far each drum is, and what is next."""

from dataclasses import dataclass
from typing import Literal

from emblar.actions.scope import Scope
from emblar.store import kit as kit_store
from emblar.store import plans, sessions
from emblar.store.database import transaction
from emblar.store.sessions import SessionInfo

Next = Literal["record", "kit", "plan", "tune"]
How = Literal["nothing", "target", "planned"]


@dataclass(frozen=True, slots=True)
class DrumState:
    """A drum of a session's kit and how far it is."""

    name: str
    diameter_in: float
    how: How


@dataclass(frozen=True, slots=True)
class SessionState:
    """A session, how far each drum of its kit is, and what is next."""

    session: SessionInfo
    drums: tuple[DrumState, ...]
    next: Next


def home(scope: Scope) -> list[SessionState]:
    """Return every session, newest first."""
    with transaction() as db:
        listed = sessions.listing(db, scope.studio_id)
        ids = [s.id for s in listed]
        kits, planned = kit_store.listings(db, ids), plans.planned(db, ids)
    rows = []
    for session in listed:
        done = planned.get(session.id, set())
        drums = tuple(
            DrumState(
                d.owned.name,
                d.owned.diameter_in,
                "planned" if d.id in done else "target" if d.voice else "nothing",
            )
            for d in kits.get(session.id, [])
        )
        rows.append(SessionState(session, drums, _next(session, drums)))
    return rows


def _next(session: SessionInfo, drums: tuple[DrumState, ...]) -> Next:
    if not session.recordings:
        return "record"
    if not any(d.how != "nothing" for d in drums):
        return "kit"
    return "tune" if any(d.how == "planned" for d in drums) else "plan"


def next_step(scope: Scope, session_id: int) -> Next:
    """Return what is next in one session."""
    with transaction() as db:
        sessions.get(db, scope.studio_id, session_id)
    return next(row.next for row in home(scope) if row.session.id == session_id)
