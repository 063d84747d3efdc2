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

from emblar.platform.certificate import certificate
from emblar.platform.children import Kept
from emblar.platform.guard import GuardedProtocol
from emblar.platform.logs import set_up_logs
from emblar.platform.settings import settings
from emblar.service.address import check_port

STOP_TIMEOUT_S = 3.0
"""How long requests being answered may take to finish when Emblar stops, s."""
POLL_S = 1.0
"""How often the process looks whether both servers still run, s."""


class OpenDoors:
    """Keeps the second listener running, if an address is set for it."""

    def __init__(self) -> None:
        self._process: Kept | None = None

    def start(self) -> None:
        """Start the process that answers shared links and paired phones.

        Raises
        ------
        ServiceError
            A port is taken, or there is no certificate for phones.
        """
        current = settings()
        if not current.share_host:
            return
        # Imported late: the engine reads its URL from the settings that the supervisor made.
        from emblar.steps.share.page.links import reached_at  # noqa: PLC0415

        for port in (current.share_port, current.phone_port):
            check_port(current.share_host, port)
        cert, key = certificate(current.home, [reached_at(), "localhost"])
        self._process = Kept([sys.executable, "-m", "emblar.service.doors", str(cert), str(key)])
        self._process.start()
        print(
            f"Shared links are answered at port {current.share_port}, "
            f"phones at {current.phone_port}.",
            flush=True,
        )

    def stop(self) -> None:
        """Stop the process, if it was started."""
        if self._process is not None:
            self._process.stop(signal.SIGTERM, patience_s=STOP_TIMEOUT_S)


def _server(
    app: FastAPI, port: int, cert: Path | None = None, key: Path | None = None
) -> uvicorn.Server:
    config = uvicorn.Config(
        app,
        host=settings().share_host,
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

    cert, key = map(Path, sys.argv[1:])
    set_up_logs()
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    servers = [
        _server(create_share_app(), settings().share_port),
        _server(create_phone_app(), settings().phone_port, cert, key),
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
