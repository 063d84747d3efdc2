"""The worker process: ``python -m emblar.service.worker``."""

import asyncio
import contextlib
import logging
import time

import procrastinate.exceptions

from emblar.core.errors import ServiceError
from emblar.platform.jobs import EXAMPLE, QUEUE
from emblar.platform.logs import set_up_logs
from emblar.platform.studio import Studio
from emblar.steps.listen.actions.recordings import renew_outdated
from emblar.steps.listen.tasks import app, take_up_stalled
from emblar.steps.sessions.actions.purge import purge_deleted

CHECK_S = 5.0
PURGE_EVERY_S = 24 * 3600.0
log = logging.getLogger("emblar.worker")


@app.task(name=EXAMPLE, queue=QUEUE)
def make_example(studio_id: int) -> None:
    """Make a studio's example sessions unless it has them; runs in a thread."""
    # Imported late: a worker without this job starts faster.
    from emblar.service.demo import ensure_demo  # noqa: PLC0415

    ensure_demo(log.info, Studio(studio_id))


async def _keep_taking_up() -> None:
    renewed, purge_at = False, 0.0
    while True:
        try:
            taken = await take_up_stalled()
            if not renewed:
                await asyncio.to_thread(renew_outdated)
                renewed = True
            if time.monotonic() >= purge_at:
                await asyncio.to_thread(purge_deleted)
                purge_at = time.monotonic() + PURGE_EVERY_S
        except (ServiceError, procrastinate.exceptions.ConnectorException):
            # The database is away; the next look comes when it is back.
            log.warning("the database does not answer; trying again")
            taken = 0
        if taken:
            log.warning("%d job(s) of a stopped worker taken up again", taken)
        await asyncio.sleep(CHECK_S)


async def work() -> None:
    """Work until told to stop."""
    async with app.open_async():
        keeper = asyncio.create_task(_keep_taking_up())
        try:
            await app.run_worker_async(concurrency=2, install_signal_handlers=True)
        finally:
            keeper.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await keeper


def main() -> None:
    """Run the worker."""
    set_up_logs()
    asyncio.run(work())


if __name__ == "__main__":
    main()
