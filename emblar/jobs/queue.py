"""Put work on the queue, inside the caller's own transaction.

The job row is written by the queue's own SQL function in the same transaction as the row it is
about: either both are there or neither.
"""

import json

from sqlalchemy import text
from sqlalchemy.orm import Session

ANALYSE, MEASURE, RENEW = "analyse_recording", "measure_recording", "renew_recording"
QUEUE = "emblar"
DEFER = text(
    "select procrastinate_defer_jobs_v1(array[row("
    ":queue, :task, :priority, cast(:lock as text), null, cast(:args as jsonb), null"
    ")::procrastinate_job_to_defer_v1])"
)


def defer_analysis(db: Session, recording_id: int) -> None:
    """Have a recording analysed once this transaction is committed."""
    args = json.dumps({"recording_id": recording_id})
    # One analysis at a time; what is quick need not wait for it.
    db.execute(
        DEFER, {"queue": QUEUE, "task": ANALYSE, "args": args, "priority": 0, "lock": ANALYSE}
    )


def defer_measuring(db: Session, recording_id: int) -> None:
    """Have a recording's corrected drums measured once this transaction is committed."""
    args = json.dumps({"recording_id": recording_id})
    lock = f"{MEASURE}-{recording_id}"
    db.execute(DEFER, {"queue": QUEUE, "task": MEASURE, "args": args, "priority": 10, "lock": lock})


def defer_renewal(db: Session, recording_id: int) -> None:
    """Have a recording analysed again by this Emblar, after everything that is more urgent."""
    args = json.dumps({"recording_id": recording_id})
    db.execute(
        DEFER, {"queue": QUEUE, "task": RENEW, "args": args, "priority": -10, "lock": ANALYSE}
    )
