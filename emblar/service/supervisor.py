"""Start everything, serve, stop everything."""

import contextlib
import signal
import sys

from emblar.platform.backup import Backups
from emblar.platform.children import Kept
from emblar.platform.running_database import database, only_one
from emblar.platform.settings import settings
from emblar.service.address import check_accounts, check_port
from emblar.service.doors import OpenDoors
from emblar.service.web import serve_web


def serve(*, demo: bool, year: bool = False, web_only: bool = False) -> None:
    """Serve until Ctrl-C: PostgreSQL, worker and web.

    Parameters
    ----------
    demo
        Put the demo session in, if it is not there.
    year
        The same for a made-up year of log.
    web_only
        Start no worker: one runs elsewhere, against the same database.
    """
    host, port = settings().host, settings().port
    check_port(host, port)
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    with contextlib.suppress(KeyboardInterrupt), only_one(settings().home), database():
        check_accounts()
        if demo:
            from emblar.service.demo import ensure_demo  # noqa: PLC0415

            ensure_demo(print)
        if year:
            from emblar.service.year import ensure_year  # noqa: PLC0415

            ensure_year(print)
        worker = Kept([sys.executable, "-m", "emblar.service.worker"])
        doors, backups = OpenDoors(), Backups(settings().home)
        if not web_only:
            worker.start()
        doors.start()
        backups.start()
        try:
            serve_web(host, port)
        finally:
            backups.stop()
            doors.stop()
            # A job it was at is taken up at the next start.
            worker.stop(signal.SIGTERM, patience_s=1.0)
    print("Emblar has stopped; everything is saved.")
