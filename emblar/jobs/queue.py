"""Put work on the queue, inside the caller's own transaction.

The job row is written by the queue's own SQL function in the same transaction as the row it is
about: either both are there or neither.
"""

import json

from sqlalchemy import text
from sqlalchemy.orm import Session

ANALYSE = "analyse_reference"
QUEUE = "emblar"
DEFER = text(
    "select procrastinate_defer_jobs_v1(array[row("
    ":queue, :task, 0, null, null, cast(:args as jsonb), null"
    ")::procrastinate_job_to_defer_v1])"
)


def defer_analysis(db: Session, reference_id: int) -> None:
    """Have a reference analysed once this transaction is committed."""
    args = json.dumps({"reference_id": reference_id})
    db.execute(DEFER, {"queue": QUEUE, "task": ANALYSE, "args": args})
