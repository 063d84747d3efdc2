"""The web: one process, or several that share one socket and die together."""

import os
import secrets
import shutil
import signal
import socket
import sys

import uvicorn

from emblar.platform.certificate import certificate
from emblar.platform.children import Kept
from emblar.platform.guard import GuardedProtocol
from emblar.platform.logs import set_up_logs
from emblar.platform.settings import COUNTS_FOLDER, settings

GRACE_S = 3
BACKLOG = 2048
KEPT_OPEN_S = 75
"""How long a connection waits for the next page: whoever reads one must not meet a closed door."""


def serve_web(host: str, port: int) -> None:
    """Answer the browser until a signal comes."""
    cert = key = None
    if not settings().own_address:
        # Passwords go over the network: they go in HTTPS.
        from emblar.steps.share.page.links import reached_by  # noqa: PLC0415

        cert, key = map(str, certificate(settings().home, [reached_by(host), "localhost"]))
    others = []
    if settings().web_processes > 1:
        _share()
    with socket.create_server((host, port), family=_family(host), backlog=BACKLOG) as listening:
        for _ in range(settings().web_processes - 1):
            command = [sys.executable, "-m", "emblar.service.web", str(listening.fileno())]
            command += [cert, key] if cert and key else []
            others.append(Kept(command, pass_fds=(listening.fileno(),)))
            others[-1].start()
        scheme = "https" if cert else "http"
        print(f"Emblar is at {scheme}://{host}:{port} (Ctrl-C stops it)", flush=True)
        try:
            answer(listening, cert, key)
        finally:
            for other in others:
                other.stop(signal.SIGTERM, patience_s=GRACE_S + 1.0)


def _family(host: str) -> socket.AddressFamily:
    return socket.AF_INET6 if ":" in host else socket.AF_INET


def _share() -> None:
    """Have all processes make the same marks and count together."""
    counts = settings().home / "counts"
    shutil.rmtree(counts, ignore_errors=True)
    counts.mkdir(parents=True)
    os.environ[COUNTS_FOLDER] = str(counts.resolve())
    os.environ["EMBLAR_MARK_KEY"] = secrets.token_hex(16)
    settings.cache_clear()


def answer(listening: socket.socket, cert: str | None, key: str | None) -> None:
    """Answer at a socket until a signal comes."""
    # Imported late: it reads the settings and where counts are kept.
    from emblar.app import create_app  # noqa: PLC0415

    set_up_logs()
    config = uvicorn.Config(
        create_app(),
        log_config=None,
        timeout_graceful_shutdown=GRACE_S,
        timeout_keep_alive=KEPT_OPEN_S,
        ssl_certfile=cert,
        ssl_keyfile=key,
        http=GuardedProtocol,
        proxy_headers=bool(settings().proxy),
        forwarded_allow_ips=settings().proxy or "127.0.0.1",
    )
    uvicorn.Server(config).run(sockets=[listening])


def main() -> None:
    """Answer next to the process that started this one: its socket, certificate and key."""
    fileno, *paths = sys.argv[1:]
    cert, key = paths or (None, None)
    answer(socket.socket(fileno=int(fileno)), cert, key)


if __name__ == "__main__":
    main()
