"""Whether others on the network are let in, to shared links and paired phones and nothing else.

Conventions
-----------
A file in Emblar's home says so. The process that serves looks at it (``service/doors.py``), so that
nothing needs to be started again.
"""

import socket
import time
from pathlib import Path

from emblar.core.errors import InputError
from emblar.platform.settings import settings

EVERY_ADDRESS = "0.0.0.0"
ANY = (EVERY_ADDRESS, "::")
WAIT_S = 10.0
"""How long opening and closing may take, s."""
POLL_S = 0.1


def answered_at() -> str:
    """Return the address at which others are answered; empty if they are not let in."""
    return settings().share_host or (EVERY_ADDRESS if _file().exists() else "")


def let_others_in() -> None:
    """Let others on the network in, and wait until they are answered.

    Raises
    ------
    InputError
        A port is taken, or Emblar is not being served.
    """
    if settings().share_host:
        return
    _problem().unlink(missing_ok=True)
    _file().parent.mkdir(parents=True, exist_ok=True)
    _file().touch()
    if not _comes_to(answers=True):
        text = _problem().read_text() if _problem().exists() else ""
        keep_others_out()
        raise InputError(text or "Emblar is not running, or did not answer. Start it again.")


def keep_others_out() -> None:
    """Let nobody else in any more, and wait until nobody is answered.

    Raises
    ------
    InputError
        The settings let them in.
    """
    if settings().share_host:
        raise InputError(
            "EMBLAR_SHARE_HOST lets others in. Start Emblar without it to keep them out."
        )
    _problem().unlink(missing_ok=True)
    _file().unlink(missing_ok=True)
    _comes_to(answers=False)


def listener(*, runs: bool, problem: str = "") -> None:
    """Say whether the second listener runs, and why not: by the process that serves."""
    if problem:
        _problem().write_text(problem)
        _file().unlink(missing_ok=True)
    if runs:
        _running().touch()
    else:
        _running().unlink(missing_ok=True)


def _comes_to(*, answers: bool) -> bool:
    until = time.monotonic() + WAIT_S
    while time.monotonic() < until and not _problem().exists():
        running = _running().exists()
        if not running and not answers:
            return True
        if running and answers and _phones_answered():
            return True
        time.sleep(POLL_S)
    return False


def _phones_answered() -> bool:
    host = settings().share_host
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.settimeout(1.0)
        local = {"": "127.0.0.1", EVERY_ADDRESS: "127.0.0.1", "::": "::1"}
        return probe.connect_ex((local.get(host, host), settings().phone_port)) == 0


def _file() -> Path:
    return settings().home / "others-let-in"


def _running() -> Path:
    return settings().home / "others-answered"


def _problem() -> Path:
    return settings().home / "others-not-let-in"
