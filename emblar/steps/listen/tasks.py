"""The worker's tasks, and how jobs of a worker that died are taken up again.

Every task is idempotent: run twice, the result is the same. A worker sends a heartbeat; jobs of one
that stopped sending are put back on the queue when a worker starts and every half minute after.
"""

import asyncio

import procrastinate

from emblar.core.errors import ServiceError
from emblar.platform.jobs import QUEUE
from emblar.platform.settings import settings
from emblar.steps.listen.actions.measuring import run_measuring
from emblar.steps.listen.actions.recordings import renew_analysis, run_analysis, take_up_lost
from emblar.steps.listen.queue import ANALYSE, MEASURE, RENEW

HEARTBEAT_S = 2.0
STALLED_AFTER_S = 10.0
QUIET_S = 1.5
"""A drum is measured anew once nobody has corrected strokes for so long."""

app = procrastinate.App(
    connector=procrastinate.PsycopgConnector(
        conninfo=settings().database_url.replace("postgresql+psycopg://", "postgresql://")
    ),
    worker_defaults={
        "update_heartbeat_interval": HEARTBEAT_S,
        "stalled_worker_timeout": STALLED_AFTER_S,
    },
)


@app.task(
    name=ANALYSE,
    queue=QUEUE,
    # Only a lost database is worth another try at once; how often is counted with the recording.
    retry=procrastinate.RetryStrategy(max_attempts=8, wait=3, retry_exceptions={ServiceError}),
)
def analyse_recording(recording_id: int) -> None:
    """Analyse one recording; runs in a thread."""
    run_analysis(recording_id)


@app.task(
    name=MEASURE,
    queue=QUEUE,
    retry=procrastinate.RetryStrategy(max_attempts=8, wait=3, retry_exceptions={ServiceError}),
)
def measure_recording(recording_id: int) -> None:
    """Measure the corrected drums of one recording; runs in a thread."""
    run_measuring(recording_id, quiet_s=QUIET_S)


@app.task(name=RENEW, queue=QUEUE)
def renew_recording(recording_id: int) -> None:
    """Analyse again what an earlier Emblar analysed; runs in a thread."""
    renew_analysis(recording_id)


async def take_up_stalled() -> int:
    """Put jobs of workers that died back on the queue, and analyses that lost their job.

    Returns
    -------
    int
        How many.
    """
    stalled = await app.job_manager.get_stalled_jobs(
        seconds_since_heartbeat=STALLED_AFTER_S, queue=QUEUE
    )
    for job in stalled:
        await app.job_manager.retry_job(job)
    return len(list(stalled)) + await asyncio.to_thread(take_up_lost)
