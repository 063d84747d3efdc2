"""The database of the Emblar that runs here: started, watched, stopped."""

import contextlib
import fcntl
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from emblar.core.errors import ServiceError
from emblar.platform.postgres import LOG, START_S, OwnPostgres
from emblar.platform.settings import settings

WATCH_S = 0.3
"""How often the database server is looked at, s."""
MAX_RESTARTS = 6
"""More than this within ``RESTARTS_WITHIN_S``: something is wrong that a restart does not mend."""
RESTARTS_WITHIN_S = 120.0
GONE_FOR_GOOD = (
    "PostgreSQL does not stay up, so Emblar has stopped. What was saved is still in its files. "
    "Its last messages are in {log}: check the disk, then start Emblar again, or restore a backup."
)


@contextmanager
def only_one(home: Path) -> Iterator[None]:
    """Hold the home folder for this process; a second Emblar on it is refused."""
    try:
        home.mkdir(parents=True, exist_ok=True)
        lock = (home / "lock").open("w")
    except OSError as error:
        raise ServiceError(
            f"No permission to write {home}: give this user the folder, or set EMBLAR_HOME to "
            f"one it may write ({error.strerror})."
        ) from error
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise ServiceError(f"Another Emblar is running on {home}: stop it first.") from error
        yield


class DatabaseKeeper:
    """Starts our PostgreSQL again should it die, a bounded number of times.

    Parameters
    ----------
    server
        The server, started.
    give_up
        Called once it has died ``MAX_RESTARTS`` times within ``RESTARTS_WITHIN_S``.
    """

    def __init__(self, server: OwnPostgres, give_up: Callable[[], None]) -> None:
        self._server, self._give_up = server, give_up
        self.gave_up = False
        """Whether the server died too often to be started again."""
        self._leaving = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="database-keeper", daemon=True)

    def start(self) -> None:
        """Watch the server from now on."""
        self._thread.start()

    def _keep(self) -> None:
        died: list[float] = []
        while not self._leaving.wait(WATCH_S):
            process = self._server.process
            if process is not None and process.poll() is None:
                continue
            current = time.monotonic()
            died = [died_s for died_s in died if current - died_s < RESTARTS_WITHIN_S] + [current]
            if len(died) > MAX_RESTARTS:
                self.gave_up = True
                self._give_up()
                break
            try:
                self._server.restart()
            except ServiceError as error:
                print(f"{error} Trying again.", file=sys.stderr, flush=True)
            else:
                print("PostgreSQL had died and was started again.", file=sys.stderr, flush=True)
        # The server is told to leave when the thread that started it ends; so this one waits.
        self._leaving.wait()

    def stop(self) -> None:
        """Stop watching the server, then stop it."""
        self._leaving.set()
        self._thread.join(START_S)
        self._server.stop()


@contextmanager
def database() -> Iterator[None]:
    """Have a migrated database: the one that is set, or our own started, kept alive and stopped."""
    keeper = None
    if not settings().database_url:
        server = OwnPostgres(settings().home)
        server.start()
        keeper = DatabaseKeeper(server, lambda: os.kill(os.getpid(), signal.SIGINT))
        keeper.start()
        os.environ["EMBLAR_DATABASE_URL"] = server.url
        settings.cache_clear()
    try:
        # Imported late: the engine reads its URL from the settings just made.
        from emblar.platform.database import engine  # noqa: PLC0415
        from emblar.platform.migrate import migrate  # noqa: PLC0415

        migrate(engine())
        yield
        engine().dispose()
    finally:
        if keeper is not None:
            keeper.stop()
            if keeper.gave_up:
                raise ServiceError(GONE_FOR_GOOD.format(log=settings().home / LOG))


@contextmanager
def database_at_hand() -> Iterator[None]:
    """Have the database of the Emblar that is running here, or for this one command our own."""
    home = settings().home
    with contextlib.ExitStack() as held:
        try:
            held.enter_context(only_one(home))
        except ServiceError:
            url = settings().database_url or OwnPostgres(home).running_url()
            if url is None:
                raise
            os.environ["EMBLAR_DATABASE_URL"] = url
            settings.cache_clear()
        held.enter_context(database())
        yield
