"""One engine a process, and transactions on it."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import lru_cache

import psycopg
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from emblar.core.errors import ServiceError
from emblar.settings import settings

PLANNING = 7041
"""First half of the advisory locks under which sessions are planned."""


_shared: ContextVar[Session | None] = ContextVar("shared", default=None)
"""The session of ``together`` that is open here."""


@lru_cache(maxsize=1)
def engine() -> Engine:
    """Return this process's engine."""
    return create_engine(settings().database_url, pool_pre_ping=True, pool_size=10)


@contextmanager
def transaction() -> Iterator[Session]:
    """Open a session; commit at the end, roll back on any error.

    Inside of ``together`` it is the one that is open, and ends with it.

    Raises
    ------
    ServiceError
        The disk is full or the database is not reachable; nothing was saved.
    """
    shared = _shared.get()
    if shared is not None:
        yield shared
        return
    try:
        with Session(engine(), expire_on_commit=False) as session, session.begin():
            yield session
    except OperationalError as error:
        raise service_error(error.orig) from error


@contextmanager
def together() -> Iterator[Session]:
    """Let all transactions inside be one: they are kept all together or not at all."""
    with transaction() as db:
        token = _shared.set(db)
        try:
            yield db
        finally:
            _shared.reset(token)


@contextmanager
def one_at_a_time(session_id: int) -> Iterator[None]:
    """Let whoever plans a session wait for those who began before: the last asked is kept last."""
    with together() as db:
        asked = {"space": PLANNING, "key": session_id}
        db.execute(text("select pg_advisory_xact_lock(:space, :key)"), asked)
        yield


def service_error(cause: BaseException | None) -> ServiceError:
    """Return what a failing database means for the user."""
    if isinstance(cause, psycopg.errors.DiskFull):
        return ServiceError(
            "The disk is full, so this was not saved; everything saved before is still there. "
            "Free some space and try again."
        )
    return ServiceError(
        "The database does not answer, so this was not saved; everything saved before is still "
        "there. Wait a moment and try again."
    )
