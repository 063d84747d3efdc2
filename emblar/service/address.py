"""Addresses and ports that Emblar may be served at."""

import socket
from ipaddress import ip_address

from emblar.core.errors import ServiceError
from emblar.settings import settings


def check_host(host: str) -> None:
    """Check that only this machine is served, unless it is asked for otherwise.

    Raises
    ------
    ServiceError
        The address is one that others reach.
    """
    try:
        own = ip_address(host).is_loopback
    except ValueError:
        own = host == "localhost"
    if not own and not settings().open_to_network:
        raise ServiceError(
            f"Emblar has no accounts yet, so it serves this machine alone and not {host}: leave "
            "EMBLAR_HOST out. If everybody on that network may read and change everything, set "
            "EMBLAR_OPEN_TO_NETWORK=1 as well."
        )


def check_port(host: str, port: int) -> None:
    """Check that the web port is free.

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
                "“make demo EMBLAR_PORT=8001”."
            ) from error
        except OSError as error:
            raise ServiceError(
                f"Port {port} is taken by another program: stop it, or use another port, as in "
                f"“make demo EMBLAR_PORT={port + 1}”."
            ) from error
