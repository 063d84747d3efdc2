"""``emblar doctor``: what this machine has, what is missing, and what to do about it."""

import os
import shutil
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from emblar.core.errors import ServiceError
from emblar.platform.postgres import OwnPostgres, binaries
from emblar.platform.settings import settings
from emblar.service.address import check_port
from emblar.steps.health.actions import Health, health

State = Literal["well", "note", "fault"]
LEAST_FREE_BYTES = 2 * 2**30
LEAST_PYTHON = (3, 11)


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that was looked at, how it is, and what to do where it is not well."""

    what: str
    state: State
    says: str


def run_checks() -> list[Check]:
    """Look at everything Emblar needs; nothing is changed or started."""
    return [finding for look in LOOKS for finding in look()]


def _python() -> Iterator[Check]:
    known = ".".join(str(part) for part in sys.version_info[:3])
    if sys.version_info < LEAST_PYTHON:
        yield Check("Python", "fault", f"{known} is too old: 3.11 or newer is needed.")
    else:
        yield Check("Python", "well", known)


def _home() -> Iterator[Check]:
    home = settings().home.resolve()
    available = home
    while not available.exists():
        available = available.parent
    if not os.access(available, os.W_OK):
        yield Check(
            "home folder",
            "fault",
            f"{home} cannot be written: give this user the folder, or set EMBLAR_HOME to another.",
        )
        return
    free = shutil.disk_usage(available).free
    state: State = "well" if free >= LEAST_FREE_BYTES else "note"
    more = "" if state == "well" else " That is little for recordings: make room."
    yield Check("home folder", state, f"{home}, {free / 2**30:.1f} GB free.{more}")


def _postgres() -> Iterator[Check]:
    if settings().database_url:
        yield Check("PostgreSQL", "well", "one of your own, by EMBLAR_DATABASE_URL")
        return
    try:
        yield Check("PostgreSQL", "well", str(binaries()))
    except ServiceError as error:
        yield Check("PostgreSQL", "fault", str(error))


def _running() -> Iterator[Check]:
    url = settings().database_url or OwnPostgres(settings().home).running_url()
    if url is None:
        yield Check("Emblar", "note", "is not running on this home: start it with emblar serve")
        yield from _port()
        return
    os.environ["EMBLAR_DATABASE_URL"] = url
    settings.cache_clear()
    current = health()
    yield Check("database", "well" if current.database else "fault", current.says or "answers")
    if current.database:
        yield from _work(current)


def _work(present: Health) -> Iterator[Check]:
    if present.workers:
        age = (
            f"the last sign of life {present.worker_s:.0f} s ago"
            if present.worker_s is not None
            else ""
        )
        yield Check("worker", "well", age)
    else:
        yield Check("worker", "fault", present.says)
    yield Check("queue", "well", f"{present.waiting} waiting, {present.running} running")
    if present.failed:
        yield Check(
            "queue",
            "note",
            f"{present.failed} jobs failed for good: the recordings say why; try them again there.",
        )
    yield Check("database", "well", f"revision {present.revision}")


def _port() -> Iterator[Check]:
    host, port = settings().host, settings().port
    try:
        check_port(host, port)
        yield Check("address", "well", f"{host}:{port} is free")
    except ServiceError as error:
        yield Check("address", "fault", str(error))


def _paper() -> Iterator[Check]:
    try:
        import weasyprint  # noqa: PLC0415

        yield Check("sheets as PDF", "well", f"weasyprint {weasyprint.__version__}")
    except (ImportError, OSError) as error:
        yield Check(
            "sheets as PDF",
            "note",
            f"cannot be made ({error}): install libpango-1.0-0 and libpangoft2-1.0-0.",
        )


def _backups() -> Iterator[Check]:
    folder = settings().home / "backups"
    result = (
        sorted(folder.glob("*.backup"), key=lambda f: f.stat().st_mtime) if folder.is_dir() else []
    )
    if not settings().backups:
        yield Check("backups", "note", "none are made: EMBLAR_BACKUPS is 0")
    elif not result:
        yield Check("backups", "note", "none yet; the first is made a minute after the start")
    else:
        yield Check("backups", "well", f"{len(result)}, the last {_size(result[-1])}")


def _size(file: Path) -> str:
    return f"{file.name}, {file.stat().st_size / 2**20:.1f} MB"


LOOKS: tuple[Callable[[], Iterator[Check]], ...] = (
    _python,
    _home,
    _postgres,
    _running,
    _paper,
    _backups,
)


def format_checks(findings: list[Check]) -> str:
    """Return findings as lines of text."""
    marks: dict[State, str] = {"well": "  ", "note": "? ", "fault": "! "}
    return "\n".join(f"{marks[f.state]}{f.what}: {f.says}" for f in findings)
