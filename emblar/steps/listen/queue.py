"""Put work on the queue, inside the caller's own transaction.

The job row is written on the caller's connection, in the same transaction as the row it is about:
either both are there or neither.
"""

from functools import lru_cache

import procrastinate
import procrastinate.exceptions
from sqlalchemy.orm import Session

from emblar.platform.database import service_error
from emblar.steps.listen import queries as recordings

ANALYSE = "analyse_recording"
MEASURE = "measure_recording"
RENEW = "renew_recording"
QUEUE = "emblar"
MOST_BEHIND = 100


@lru_cache(maxsize=1)
def _deferring() -> procrastinate.App:
    """Return the queue as those see it who only put work on it, each on its own connection."""
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def _defer(db: Session, task: str, recording_id: int, *, priority: int, lock: str) -> None:
    """Put a job on the queue.

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
        job.defer(recording_id=recording_id)
    except procrastinate.exceptions.ConnectorException as error:
        raise service_error(error.__cause__) from error


def defer_analysis(db: Session, recording_id: int) -> None:
    """Have a recording analysed once this transaction is committed.

    A studio has one analysis at a time, and the more of its recordings wait the later its next one
    comes: one that brings many does not keep the others waiting.
    """
    studio_id, waiting = recordings.waiting_beside(db, recording_id)
    priority = -min(waiting, MOST_BEHIND)
    _defer(db, ANALYSE, recording_id, priority=priority, lock=f"{ANALYSE}-{studio_id}")


def defer_measuring(db: Session, recording_id: int) -> None:
    """Have a recording's corrected drums measured once this transaction is committed."""
    # What is quick comes before every analysis.
    _defer(db, MEASURE, recording_id, priority=10, lock=f"{MEASURE}-{recording_id}")


def defer_renewal(db: Session, recording_id: int) -> None:
    """Have a recording analysed again by this Emblar, after everything that is more urgent."""
    studio_id, _ = recordings.waiting_beside(db, recording_id)
    _defer(db, RENEW, recording_id, priority=-2 * MOST_BEHIND, lock=f"{ANALYSE}-{studio_id}")
