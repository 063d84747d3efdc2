"""Backups of the whole database: one file, checksummed, restored into this or a newer version.

Conventions
-----------
A backup begins with one line of JSON (``emblar.backup/1``: version, shape of the database, length
and SHA-256 of what follows); the rest is PostgreSQL's own archive. It is written beside its name
and put there once it is whole. A restore goes into a new database that takes the old one's place
when it has been checked and migrated: until then nothing is touched.
"""

import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import threading
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any

import psycopg
from psycopg import sql
from sqlalchemy import create_engine, make_url

from emblar import __version__
from emblar.core.errors import InputError, ServiceError
from emblar.service.postgres import DATABASE, binaries
from emblar.settings import settings
from emblar.store.migrate import migrate

SCHEMA = "emblar.backup/1"
LONGEST_HEADER, PIECE = 4096, 1 << 20
EVERY_H, FIRST_AFTER_S, FOLDER = 24.0, 60.0, "backups"
NAME = re.compile(r"emblar-\d{8}-\d{6}\.backup")
NO_BACKUP = "This is no backup of Emblar's: choose a file that “emblar backup” wrote."


def backup(url: str, file: Path) -> int:
    """Write the whole database to a file; return its size in bytes.

    Raises
    ------
    ServiceError
        PostgreSQL cannot be reached, or the file cannot be written.
    """
    part, dump = (file.with_name(file.name + end) for end in (".part", ".dump"))
    try:
        _run("pg_dump", url, ["--format=custom", "--no-owner", f"--file={dump}"])
        size, digest = _measured(dump)
        header = {
            "schema": SCHEMA, "version": __version__, "database": _revision(url), "bytes": size,
            "sha256": digest, "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
        }  # fmt: skip
        with part.open("wb") as out, dump.open("rb") as held:
            out.write(json.dumps(header).encode() + b"\n")
            shutil.copyfileobj(held, out, PIECE)
            out.flush()
            os.fsync(out.fileno())
        part.replace(file)
    except OSError as error:
        raise ServiceError(f"{file} cannot be written: {error.strerror}.") from error
    finally:
        for gone in (part, dump):
            gone.unlink(missing_ok=True)
    return file.stat().st_size


def restore(url: str, file: Path) -> dict[str, Any]:
    """Put a backup in the place of everything that is there; return what it says of itself.

    Raises
    ------
    InputError
        It is no backup, damaged, or made by a newer Emblar. Nothing was touched.
    ServiceError
        The database cannot be reached or made.
    """
    dump = file.with_name(file.name + ".restoring")
    try:
        with file.open("rb") as held:
            header = _header(held)
            with dump.open("wb") as out:
                shutil.copyfileobj(held, out, PIECE)
        if _measured(dump) != (header["bytes"], header["sha256"]):
            raise InputError(
                "This backup is damaged: its checksum is another. Nothing was touched."
            )
        _replaced(url, dump)
    except OSError as error:
        raise InputError(f"{file} cannot be read: {error.strerror}.") from error
    finally:
        dump.unlink(missing_ok=True)
    return header


def _header(held: IO[bytes]) -> dict[str, Any]:
    line = held.readline(LONGEST_HEADER)
    try:
        header = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise InputError(NO_BACKUP) from error
    if not isinstance(header, dict) or header.get("schema") != SCHEMA:
        raise InputError(NO_BACKUP)
    if not {"bytes", "sha256", "database"} <= set(header):
        raise InputError(NO_BACKUP)
    return header


def _measured(file: Path) -> tuple[int, str]:
    digest = hashlib.sha256()
    with file.open("rb") as held:
        while piece := held.read(PIECE):
            digest.update(piece)
    return file.stat().st_size, digest.hexdigest()


def _replaced(url: str, dump: Path) -> None:
    """Restore into a new database, bring it up to date, and let it take the old one's place."""
    own = make_url(url)
    name = own.database or DATABASE
    stamp = datetime.now(UTC).strftime("%Y%m%d%H%M%S%f")
    new, old = f"{name}_new_{stamp}", f"{name}_old_{stamp}"
    with _connect(url) as connection:
        connection.execute(sql.SQL("create database {}").format(sql.Identifier(new)))
        try:
            there = own.set(database=new).render_as_string(hide_password=False)
            _run("pg_restore", there, ["--no-owner", "--exit-on-error", str(dump)])
            engine = create_engine(there)
            try:
                migrate(engine)
            finally:
                engine.dispose()
        except Exception as error:
            connection.execute(sql.SQL("drop database {} with (force)").format(sql.Identifier(new)))
            raise InputError(
                "This backup cannot be restored here; it may be of a newer Emblar. Nothing was "
                f"touched. ({str(error).partition(chr(10))[0][:200]})"
            ) from error
        connection.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity"
            " where datname = %s and pid <> pg_backend_pid()",
            [name],
        )
        for was, becomes in ((name, old), (new, name)):
            connection.execute(
                sql.SQL("alter database {} rename to {}").format(
                    sql.Identifier(was), sql.Identifier(becomes)
                )
            )
        connection.execute(sql.SQL("drop database {} with (force)").format(sql.Identifier(old)))


def _connect(url: str) -> "psycopg.Connection[tuple[object, ...]]":
    own = make_url(url)
    return psycopg.connect(
        host=own.host, port=own.port, user=own.username, password=own.password,
        dbname="postgres", autocommit=True, connect_timeout=5,
    )  # fmt: skip


def _revision(url: str) -> str:
    own = make_url(url).set(drivername="postgresql")
    with psycopg.connect(own.render_as_string(hide_password=False), connect_timeout=5) as there:
        row = there.execute("select version_num from alembic_version").fetchone()
    return str(row[0]) if row else ""


def _run(program: str, url: str, arguments: list[str]) -> None:
    own = make_url(url)
    command = [
        str(binaries() / program), f"--host={own.host}", f"--port={own.port}",
        f"--username={own.username}", f"--dbname={own.database}", *arguments,
    ]  # fmt: skip
    environment = {**os.environ, "PGPASSWORD": own.password or ""}
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        last = [line for line in done.stderr.splitlines() if line.strip()][-1:] or ["no message"]
        raise ServiceError(f"{program}: {last[0]}")


class Backups:
    """Backs the database up every day while Emblar runs, and keeps the last few.

    Parameters
    ----------
    home
        They are kept in its folder ``backups``.
    first_after_s
        How long the first one waits: while Emblar starts there is better to do.
    """

    def __init__(self, home: Path, first_after_s: float = FIRST_AFTER_S) -> None:
        self.folder, self._first_after_s = home / FOLDER, first_after_s
        self._leaving = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="backups", daemon=True)

    def start(self) -> None:
        """Make one soon if the last is a day old, and one every day from then on."""
        if settings().backups > 0:
            self._thread.start()

    def _keep(self) -> None:
        if self._leaving.wait(self._first_after_s):
            return
        while True:
            due = EVERY_H - self._age_h()
            if due <= 0.0:
                try:
                    self.make()
                except ServiceError as error:
                    print(f"No backup was made: {error}", file=sys.stderr, flush=True)
                due = EVERY_H
            if self._leaving.wait(3600.0 * due):
                return

    def _age_h(self) -> float:
        newest = max((f.stat().st_mtime for f in self.listed()), default=0.0)
        return (datetime.now(UTC).timestamp() - newest) / 3600.0

    def listed(self) -> list[Path]:
        """Return the backups that are kept, the oldest first."""
        if not self.folder.is_dir():
            return []
        return sorted(f for f in self.folder.iterdir() if NAME.fullmatch(f.name))

    def make(self) -> Path:
        """Make one, and let the oldest go.

        Raises
        ------
        ServiceError
            It could not be made; those that were there are kept.
        """
        try:
            self.folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        except OSError as error:
            raise ServiceError(f"{self.folder} cannot be made: {error.strerror}.") from error
        file = self.folder / f"emblar-{datetime.now(UTC):%Y%m%d-%H%M%S}.backup"
        backup(settings().database_url, file)
        file.chmod(0o600)
        for gone in self.listed()[: -settings().backups]:
            with suppress(OSError):
                gone.unlink()
        return file

    def stop(self) -> None:
        """Make no more."""
        self._leaving.set()
        if self._thread.is_alive():
            self._thread.join(5.0)
