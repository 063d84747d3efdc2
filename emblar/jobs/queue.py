"""Put work on the queue, inside the caller's own transaction.

The job row is written on the caller's connection, in the same transaction as the row it is about:
either both are there or neither.
"""

from functools import lru_cache

import procrastinate
from sqlalchemy.orm import Session

ANALYSE, MEASURE, RENEW = "analyse_recording", "measure_recording", "renew_recording"
QUEUE = "emblar"


@lru_cache(maxsize=1)
def _deferring() -> procrastinate.App:
    """Return the queue as those see it who only put work on it, each on its own connection."""
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def _defer(db: Session, task: str, recording_id: int, *, priority: int, lock: str) -> None:
    job = _deferring().configure_task(
        task, queue=QUEUE, priority=priority, lock=lock,
        connection=db.connection().connection.driver_connection,
    )  # fmt: skip
    job.defer(recording_id=recording_id)


def defer_analysis(db: Session, recording_id: int) -> None:
    """Have a recording analysed once this transaction is committed."""
    # One analysis at a time; what is quick need not wait for it.
    _defer(db, ANALYSE, recording_id, priority=0, lock=ANALYSE)


def defer_measuring(db: Session, recording_id: int) -> None:
    """Have a recording's corrected drums measured once this transaction is committed."""
    _defer(db, MEASURE, recording_id, priority=10, lock=f"{MEASURE}-{recording_id}")


def defer_renewal(db: Session, recording_id: int) -> None:
    """Have a recording analysed again by this Emblar, after everything that is more urgent."""
    _defer(db, RENEW, recording_id, priority=-10, lock=ANALYSE)
