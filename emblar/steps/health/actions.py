"""Whether Emblar is well: database, worker, and what waits."""

from dataclasses import dataclass

from emblar.core.errors import ServiceError
from emblar.platform.database import transaction
from emblar.steps.health import queries as store

WORKER_FRESH_S = 30.0
"""A worker gives a sign of life every few seconds; this long without one it is gone."""


@dataclass(frozen=True, slots=True)
class Health:
    """Whether the database answers, and with it how many workers and what waits."""

    database: bool
    workers: int = 0
    worker_s: float | None = None
    waiting: int = 0
    running: int = 0
    failed: int = 0
    revision: str = ""
    says: str = ""

    @property
    def well(self) -> bool:
        """Whether everything is there that work needs."""
        return self.database and self.workers > 0


def health() -> Health:
    """Return how Emblar is; a database that does not answer is told, not raised."""
    try:
        with transaction() as db:
            result = store.signs(db, WORKER_FRESH_S)
    except ServiceError as error:
        return Health(False, says=str(error))
    return Health(
        True,
        result.workers,
        result.worker_s,
        result.jobs.get("todo", 0),
        result.jobs.get("doing", 0),
        result.jobs.get("failed", 0),
        result.revision,
        "" if result.workers else "No worker is at work: recordings wait until one is started.",
    )
