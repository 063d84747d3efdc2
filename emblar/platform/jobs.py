"""Put work on the queue, inside the caller's own transaction.

The job row is written on the caller's connection, in the same transaction as the row it is about:
either both are there or neither.
"""

import json
from functools import lru_cache

import procrastinate
import procrastinate.exceptions
from sqlalchemy import text
from sqlalchemy.orm import Session

from emblar.platform.database import service_error

QUEUE = "emblar"
EXAMPLE = "make_example"


@lru_cache(maxsize=1)
def _deferring() -> procrastinate.App:
    """Return the queue as those see it who only put work on it, each on its own connection."""
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def is_pending(db: Session, task: str, **arguments: int) -> bool:
    """True if such a job waits or runs."""
    query = text(
        "select exists (select from procrastinate_jobs where task_name = :task"
        " and status in ('todo', 'doing') and args @> cast(:arguments as jsonb))"
    )
    return bool(db.execute(query, {"task": task, "arguments": json.dumps(arguments)}).scalar_one())


def defer(db: Session, task: str, *, priority: int, lock: str, **arguments: int) -> None:
    """Put a job on the queue.

    Parameters
    ----------
    db
        The caller's transaction.
    task, arguments
        The task's name, and what it is called with.
    priority
        Higher ones come first.
    lock
        Jobs of the same lock run one after another.

    Raises
    ------
    ServiceError
        The database did not take it; nothing of the caller's transaction is saved.
    """
    job = _deferring().configure_task(
        task,
        queue=QUEUE,
        priority=priority,
        lock=lock,
        connection=db.connection().connection.driver_connection,
    )
    try:
        job.defer(**arguments)
    except procrastinate.exceptions.ConnectorException as error:
        raise service_error(error.__cause__) from error
