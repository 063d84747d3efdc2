"""One engine a process, and transactions on it."""

import functools
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import Concatenate, ParamSpec, TypeVar

import psycopg
from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import DataError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from emblar.core.errors import InputError, ServiceError
from emblar.platform.settings import settings

P = ParamSpec("P")
T = TypeVar("T")
READ = "read"
"""Where a session that only reads keeps what was read."""
POOL_WAIT_S = 10.0
BUSY = "Too much is being asked of Emblar at once. Nothing was saved; try again in a moment."
PLANNED_NOW = (
    "This kit is being planned already, perhaps from another window. Nothing was changed; look "
    "again in a moment."
)


@lru_cache(maxsize=1)
def engine() -> Engine:
    """Return this process's engine."""
    return create_engine(
        settings().database_url,
        pool_pre_ping=True,
        pool_size=10,
        max_overflow=20,
        pool_timeout=POOL_WAIT_S,
    )


@contextmanager
def transaction(*, read_only: bool = False) -> Iterator[Session]:
    """Open a session; commit at the end, roll back on any error.

    Parameters
    ----------
    read_only
        Whether writing is refused. Queries marked ``read_once`` are then asked only once.

    Raises
    ------
    ServiceError
        The disk is full, the database is busy or not reachable; nothing was saved. Where it went
        away in the very moment of saving, it is said that nobody knows.
    InputError
        Something cannot be kept as it is, as text with a NUL in it; nothing was saved.
    """
    committing = False
    try:
        bind = engine().execution_options(postgresql_readonly=True) if read_only else engine()
        with Session(bind, expire_on_commit=False) as session, session.begin():
            if read_only:
                session.info[READ] = {}
            yield session
            session.flush()
            committing = not read_only
    except (OperationalError, InterfaceError) as error:
        raise service_error(error.orig, unsure=committing) from error
    except PoolTimeout as error:
        raise ServiceError(BUSY) from error
    except DataError as error:
        raise InputError(
            "There is a character or a number in this that cannot be kept. Nothing was saved; "
            "type it again by hand."
        ) from error


def read_once(
    function: Callable[Concatenate[Session, P], T],
) -> Callable[Concatenate[Session, P], T]:
    """Ask a query only once in a read-only unit of work. Callers must not change its result."""

    @functools.wraps(function)
    def read(db: Session, /, *args: P.args, **named: P.kwargs) -> T:
        kept = db.info.get(READ)
        if kept is None:
            return function(db, *args, **named)
        key = function, repr(args), repr(named)
        if key not in kept:
            kept[key] = function(db, *args, **named)
        result: T = kept[key]
        return result

    return read


def service_error(cause: BaseException | None, *, unsure: bool = False) -> ServiceError:
    """Return what a failing database means for the user; ``unsure`` if it failed while saving."""
    if isinstance(cause, psycopg.errors.LockNotAvailable):
        return ServiceError(PLANNED_NOW)
    if isinstance(cause, psycopg.errors.DiskFull):
        return ServiceError(
            "The disk is full, so this was not saved; everything saved before is still there. "
            "Free some space and try again."
        )
    if unsure:
        return ServiceError(
            "The database went away just as this was being saved: it may be saved or not. Wait a "
            "moment and look before you do it again."
        )
    return ServiceError(
        "The database does not answer, so this was not saved; everything saved before is still "
        "there. Wait a moment and try again."
    )
