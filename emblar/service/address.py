"""Addresses and ports that Emblar may be served at."""

import socket

from emblar.core.errors import ServiceError
from emblar.platform.settings import settings
from emblar.steps.accounts.actions import any_account


def check_accounts() -> None:
    """Check that somebody can come in where others reach Emblar; the database is up.

    Raises
    ------
    ServiceError
        There is no owner yet.
    """
    if settings().asks_who and not any_account():
        raise ServiceError(
            f"Others reach {settings().host}, so Emblar asks who comes, and there is no account "
            "yet. Make the first one with “emblar account add NAME --role owner”, or leave "
            "EMBLAR_HOST out to serve this machine alone."
        )


def check_port(host: str, port: int, setting: str = "EMBLAR_PORT") -> None:
    """Check that a port is free.

    Raises
    ------
    ServiceError
        It is taken, or this user may not use it.
    """
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except PermissionError as error:
            raise ServiceError(
                f"No permission to use port {port}: choose one above 1024, as in "
                f"“make demo {setting}=8001”."
            ) from error
        except OSError as error:
            raise ServiceError(
                f"Port {port} is taken by another program: stop it, or use another port, as in "
                f"“make demo {setting}={port + 1}”."
            ) from error
