"""The doors that others on the network may use: shared links, and paired phones."""

import threading
from pathlib import Path

import uvicorn
from fastapi import FastAPI

from emblar.service.address import check_port
from emblar.service.certificate import certificate
from emblar.service.guard import GuardedProtocol
from emblar.settings import settings

STOPS_WITHIN_S = 3.0


class OpenDoors:
    """Answers shared links and paired phones at an address of their own, if one is set."""

    def __init__(self) -> None:
        self._servers: list[uvicorn.Server] = []
        self._threads: list[threading.Thread] = []

    def start(self) -> None:
        """Answer from now on.

        Raises
        ------
        ServiceError
            A port is taken, or there is no certificate for phones.
        """
        own = settings()
        if not own.share_host:
            return
        # Imported late: the engine reads its URL from the settings that the supervisor made.
        from emblar.web.pages.share import reached_at  # noqa: PLC0415
        from emblar.web.phone_app import create_phone_app  # noqa: PLC0415
        from emblar.web.share_app import create_share_app  # noqa: PLC0415

        for port in (own.share_port, own.phone_port):
            check_port(own.share_host, port)
        cert, key = certificate(own.home, [reached_at(), "localhost"])
        self._open(create_share_app(), own.share_host, own.share_port)
        self._open(create_phone_app(), own.share_host, own.phone_port, cert, key)
        print(
            f"Shared links are answered at port {own.share_port}, phones at {own.phone_port}.",
            flush=True,
        )

    def _open(
        self, app: FastAPI, host: str, port: int, cert: Path | None = None, key: Path | None = None
    ) -> None:
        config = uvicorn.Config(
            app, host=host, port=port, log_level="warning", timeout_graceful_shutdown=1,
            ssl_certfile=cert, ssl_keyfile=key, http=GuardedProtocol, proxy_headers=False,
        )  # fmt: skip
        server = uvicorn.Server(config)
        thread = threading.Thread(target=server.run, name=f"door-{port}", daemon=True)
        self._servers.append(server)
        self._threads.append(thread)
        thread.start()

    def stop(self) -> None:
        """Answer no more."""
        for server in self._servers:
            server.should_exit = True
        for thread in self._threads:
            thread.join(STOPS_WITHIN_S)
