"""The studio that an action works on, the first argument of every action."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace

from sqlalchemy import text
from sqlalchemy.orm import Session

from emblar.core.catalogue import Catalogue
from emblar.core.errors import ServiceError
from emblar.platform import sessions as store
from emblar.platform.database import PLANNED_NOW, READ, transaction
from emblar.platform.own_parts import catalogue_of

PLANNING = 7041
"""First half of the advisory locks under which sessions are planned."""
LONGEST_WAIT_S = 12.0
"""Longer than planning many drums takes."""
_turns = [threading.RLock() for _ in range(64)]


@dataclass(frozen=True, slots=True)
class Studio:
    """A studio, its user, and the open unit of work.

    Sessions, drums, heads, parts and sounds are looked up within the studio. Those of another
    studio are not found.

    Parameters
    ----------
    studio_id
        The studio's id.
    user
        Name of the user.
    db
        Database session of the open unit of work. Without one, each action opens its own.
    """

    studio_id: int
    user: str = "owner"
    db: Session | None = None

    @contextmanager
    def work(self) -> Iterator[Session]:
        """Yield the database session of the open unit of work, or of a new one."""
        if self.db is not None:
            yield self.db
            return
        with transaction() as db:
            yield db

    @contextmanager
    def together(self, *, read_only: bool = False) -> Iterator["Studio"]:
        """Yield the studio with one unit of work, which is saved as a whole or not at all.

        Parameters
        ----------
        read_only
            Whether writing is refused. Queries marked ``read_once`` are then asked only once.
        """
        if self.db is not None:
            yield self
            return
        with transaction(read_only=read_only) as db:
            yield replace(self, db=db)

    def catalogue(self) -> Catalogue:
        """Return the shipped catalogue with the studio's own parts and learned damper strengths."""
        with self.work() as db:
            return catalogue_of(db, self.studio_id)

    def apart(self) -> "Studio":
        """Return the studio outside a read-only unit of work, so that it can write.

        The unit's cached reads are dropped. A unit that can write stays as it is.
        """
        if self.db is None or READ not in self.db.info:
            return self
        self.db.info[READ].clear()
        return replace(self, db=None)


HERE = Studio(studio_id=1)
"""The studio of the person at this machine, where no login is needed."""


def check_session(studio: Studio, session_id: int) -> None:
    """Check that a session belongs to the studio.

    Raises
    ------
    NotFoundError
        The session belongs to another studio, was deleted, or never existed.
    """
    with in_session(studio, session_id):
        pass


@contextmanager
def in_session(studio: Studio, session_id: int) -> Iterator[Session]:
    """Yield a database session after checking that a session belongs to the studio.

    Raises
    ------
    NotFoundError
        The session belongs to another studio, was deleted, or never existed.
    """
    with studio.work() as db:
        store.get(db, studio.studio_id, session_id)
        yield db


@contextmanager
def one_at_a_time(studio: Studio, session_id: int) -> Iterator[Studio]:
    """Plan a session one request at a time, in the order of arrival.

    Yields the studio with one unit of work.

    Raises
    ------
    ServiceError
        Another request is still planning after the longest wait. Nothing was changed.
    """
    turn = _turns[session_id % len(_turns)]
    # Wait here first, so that waiting requests hold no database connection.
    if not turn.acquire(timeout=LONGEST_WAIT_S):
        raise ServiceError(PLANNED_NOW)
    try:
        with studio.together() as unit, unit.work() as db:
            db.execute(text(f"set local lock_timeout = '{LONGEST_WAIT_S:.0f}s'"))
            request = {"space": PLANNING, "key": session_id}
            db.execute(text("select pg_advisory_xact_lock(:space, :key)"), request)
            yield unit
    finally:
        turn.release()
