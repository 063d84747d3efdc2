"""The second listener, for others on the network: shared links, and paired phones.

Conventions
-----------
It runs in a process of its own, so that whatever strangers send cannot stop the owner's pages.
"""

import signal
import sys
import threading
from pathlib import Path

import uvicorn
from fastapi import FastAPI

from emblar.core.errors import ServiceError
from emblar.platform.certificate import certificate
from emblar.platform.children import Kept
from emblar.platform.guard import GuardedProtocol
from emblar.platform.logs import set_up_logs
from emblar.platform.network import answered_at, listener
from emblar.platform.settings import settings
from emblar.service.address import check_port

STOP_TIMEOUT_S = 3.0
"""How long requests being answered may take to finish when Emblar stops, s."""
POLL_S = 0.5
"""How often both processes look whether they are still to answer, s."""


class OpenDoors:
    """Keeps the second listener running for as long as others are let in."""

    def __init__(self) -> None:
        self._process: Kept | None = None
        self._leaving = threading.Event()
        self._watching = threading.Thread(target=self._watch, name="doors", daemon=True)

    def start(self) -> None:
        """Answer shared links and paired phones whenever others are to be let in.

        Raises
        ------
        ServiceError
            The settings let them in, and a port is taken or there is no certificate for phones.
        """
        listener(runs=False)
        if settings().share_host:
            self._open(settings().share_host)
        self._watching.start()

    def _watch(self) -> None:
        while not self._leaving.wait(POLL_S):
            host = answered_at()
            if host and self._process is None:
                try:
                    self._open(host)
                except (ServiceError, OSError) as error:
                    listener(runs=False, problem=str(error))
            elif self._process is not None and not host:
                self._close()

    def _open(self, host: str) -> None:
        current = settings()
        # Imported late: the engine reads its URL from the settings that the supervisor made.
        from emblar.steps.share.page.links import reached_at  # noqa: PLC0415

        check_port(host, current.share_port, "EMBLAR_SHARE_PORT")
        check_port(host, current.phone_port, "EMBLAR_PHONE_PORT")
        cert, key = certificate(current.home, [reached_at(), "localhost"])
        self._process = Kept(
            [sys.executable, "-m", "emblar.service.doors", host, str(cert), str(key)]
        )
        self._process.start()
        listener(runs=True)
        print(
            f"Shared links are answered at port {current.share_port}, "
            f"phones at {current.phone_port}.",
            flush=True,
        )

    def stop(self) -> None:
        """Stop answering, for good."""
        self._leaving.set()
        if self._watching.is_alive():
            self._watching.join()
        self._close()

    def _close(self) -> None:
        if self._process is not None:
            self._process.stop(signal.SIGTERM, patience_s=STOP_TIMEOUT_S)
            self._process = None
        listener(runs=False)


def _server(
    app: FastAPI, host: str, port: int, cert: Path | None = None, key: Path | None = None
) -> uvicorn.Server:
    config = uvicorn.Config(
        app,
        host=host,
        port=port,
        log_config=None,
        timeout_graceful_shutdown=1,
        ssl_certfile=cert,
        ssl_keyfile=key,
        http=GuardedProtocol,
        proxy_headers=False,
    )
    return uvicorn.Server(config)


def main() -> None:
    """Answer shared links and paired phones until a signal comes or one of the servers ends."""
    # Imported late: they read the settings.
    from emblar.phone_app import create_phone_app  # noqa: PLC0415
    from emblar.share_app import create_share_app  # noqa: PLC0415

    host, cert, key = sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3])
    set_up_logs()
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    servers = [
        _server(create_share_app(), host, settings().share_port),
        _server(create_phone_app(), host, settings().phone_port, cert, key),
    ]
    threads = [threading.Thread(target=server.run, daemon=True) for server in servers]
    for thread in threads:
        thread.start()
    while all(thread.is_alive() for thread in threads) and not stopping.wait(POLL_S):
        pass
    for server in servers:
        server.should_exit = True
    for thread in threads:
        thread.join(STOP_TIMEOUT_S)


if __name__ == "__main__":
    main()
