"""Signs of life that the database holds: the worker's heartbeat, and what waits on the queue."""

from dataclasses import dataclass

from sqlalchemy import text
from sqlalchemy.orm import Session


@dataclass(frozen=True, slots=True)
class Signs:
    """When a worker was last heard of, s ago, and jobs by what became of them."""

    worker_s: float | None
    workers: int
    jobs: dict[str, int]
    revision: str


def signs(db: Session, fresh_s: float) -> Signs:
    """Return the signs of life; workers heard of within ``fresh_s`` count as there."""
    ages = [
        float(row[0])
        for row in db.execute(
            text("select extract(epoch from now() - last_heartbeat) from procrastinate_workers")
        )
    ]
    jobs = {
        str(status): int(count)
        for status, count in db.execute(
            text("select status, count(*) from procrastinate_jobs group by status")
        )
    }
    revision = str(db.execute(text("select version_num from alembic_version")).scalar_one())
    return Signs(min(ages, default=None), sum(age < fresh_s for age in ages), jobs, revision)
