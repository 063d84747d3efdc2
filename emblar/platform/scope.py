"""Whose data an action is about: the first argument of every action."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from sqlalchemy.orm import Session

from emblar.platform import sessions as store
from emblar.platform.database import transaction


@dataclass(frozen=True, slots=True)
class Scope:
    """The studio that is asked, and who asks.

    Every session, drum, head, part and sound is looked for inside the studio; what is another's is
    not found.
    """

    studio_id: int
    user: str = "owner"


HERE = Scope(studio_id=1)
"""The studio of whoever works at this machine, where nobody is asked who they are."""


def check_session(scope: Scope, session_id: int) -> None:
    """Check that a session is the scope's, before anything is done for it.

    Raises
    ------
    NotFoundError
        It is another studio's, deleted, or none.
    """
    with in_session(scope, session_id):
        pass


@contextmanager
def in_session(scope: Scope, session_id: int) -> Iterator[Session]:
    """Open a transaction on a session of the scope.

    Raises
    ------
    NotFoundError
        The session is another studio's, deleted, or none.
    """
    with transaction() as db:
        store.get(db, scope.studio_id, session_id)
        yield db
