"""Backups of the whole database: one file, checksummed, restored into this or a newer version.

Conventions
-----------
A backup begins with one line of JSON (``emblar.backup/1``: version, shape of the database, length
and SHA-256 of what follows); the rest is PostgreSQL's own archive. It is written next to its name
and renamed once it is whole.

An archive holds SQL, so a restore trusts nothing in it: our own migrations make the tables in a
new database, and a role without any privilege but to fill them loads the rows of our tables and
nothing else. The new database takes the old one's place when that has worked: until then nothing
is touched.
"""

import hashlib
import json
import os
import re
import secrets
import shutil
import subprocess
import sys
import threading
from collections.abc import Sequence
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any

import psycopg
from psycopg import sql
from sqlalchemy import URL, create_engine, make_url

from emblar import __version__
from emblar.core.errors import InputError, ServiceError
from emblar.platform.migrate import migrate
from emblar.platform.postgres import DATABASE, binaries
from emblar.platform.settings import settings

SCHEMA = "emblar.backup/1"
LONGEST_HEADER = 4096
PIECE = 1 << 20
EVERY_H = 24.0
FIRST_AFTER_S = 60.0
FOLDER = "backups"
NAME = re.compile(r"emblar-\d{8}-\d{6}\.backup")
CONTENTS = re.compile(r"\d+; \d+ \d+ (?P<what>TABLE DATA|SEQUENCE SET) public (?P<name>\w+) ")
"""A line of an archive's contents that holds rows, or where a counter stands."""
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
        _private(dump).close()
        _run("pg_dump", url, ["--format=custom", "--no-owner", f"--file={dump}"])
        size, digest = _measured(dump)
        header = {
            "schema": SCHEMA,
            "version": __version__,
            "database": _revision(url),
            "bytes": size,
            "sha256": digest,
            "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
        }
        with _private(part) as out, dump.open("rb") as held:
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


def _private(file: Path) -> IO[bytes]:
    """Open a file for writing that only its owner may read: a backup holds everything."""
    file.unlink(missing_ok=True)
    return os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb")


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
            with _private(dump) as out:
                shutil.copyfileobj(held, out, PIECE)
        if _measured(dump) != (header["bytes"], header["sha256"]):
            raise InputError(
                "This backup is damaged: its checksum is another. Nothing was touched."
            )
        _replaced(url, dump, str(header["database"]))
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


def _fill(url: str, dump: Path) -> None:
    """Load the rows of our tables as a role that may do nothing else."""
    address = make_url(url)
    role, password = f"emblar_restore_{secrets.token_hex(8)}", secrets.token_urlsafe(24)
    name = sql.Identifier(role)
    with psycopg.connect(
        address.set(drivername="postgresql").render_as_string(hide_password=False), autocommit=True
    ) as admin:
        tables = [
            str(row[0])
            for row in admin.execute("select tablename from pg_tables where schemaname = 'public'")
        ]
        keys = admin.execute(
            "select conrelid::regclass::text, conname, pg_get_constraintdef(oid)"
            " from pg_constraint where contype = 'f' and connamespace = 'public'::regnamespace"
        ).fetchall()
        admin.execute(
            sql.SQL("create role {} login nosuperuser password {}").format(
                name, sql.Literal(password)
            )
        )
        try:
            for table, key, _ in keys:
                # The order of the rows is the archive's: references are checked at the end.
                drop = sql.SQL("alter table {} drop constraint {}")
                admin.execute(drop.format(sql.SQL(str(table)), sql.Identifier(str(key))))
            for table in tables:
                admin.execute(sql.SQL("truncate {} cascade").format(sql.Identifier(table)))
                admin.execute(
                    sql.SQL("alter table {} disable trigger user").format(sql.Identifier(table))
                )
            for grant in (
                "grant select, insert, update on all tables in schema public to {}",
                "grant usage, update on all sequences in schema public to {}",
            ):
                admin.execute(sql.SQL(grant).format(name))
            _load(address.set(username=role, password=password), dump, tables)
            for table in tables:
                admin.execute(
                    sql.SQL("alter table {} enable trigger user").format(sql.Identifier(table))
                )
            for table, key, definition in keys:
                add = sql.SQL("alter table {} add constraint {} {}").format(
                    sql.SQL(str(table)), sql.Identifier(str(key)), sql.SQL(str(definition))
                )
                admin.execute(add)
        finally:
            admin.execute(sql.SQL("drop owned by {}").format(name))
            admin.execute(sql.SQL("drop role {}").format(name))


def _load(address: URL, dump: Path, tables: Sequence[str]) -> None:
    """Load what an archive's own list calls rows of our tables, and where counters stand."""
    listed = _run(
        "pg_restore",
        address.render_as_string(hide_password=False),
        ["--list", str(dump)],
        connect=False,
    )
    wanted = [line for line in listed.splitlines() if _is_ours(line, tables)]
    contents = dump.with_name(dump.name + ".list")
    try:
        contents.write_text("\n".join(wanted) + "\n", encoding="utf-8")
        _run(
            "pg_restore",
            address.render_as_string(hide_password=False),
            ["--data-only", "--no-owner", "--exit-on-error", f"--use-list={contents}", str(dump)],
        )
    finally:
        contents.unlink(missing_ok=True)


def _is_ours(line: str, tables: Sequence[str]) -> bool:
    """Whether a line of an archive's contents is rows of one of our tables, or a counter."""
    result = CONTENTS.match(line)
    if result is None:
        return False
    return result["what"] == "SEQUENCE SET" or result["name"] in tables


def _replaced(url: str, dump: Path, revision: str) -> None:
    """Restore into a new database, bring it up to date, and let it take the old one's place."""
    address = make_url(url)
    name = address.database or DATABASE
    stamp = datetime.now(UTC).strftime("%Y%m%d%H%M%S%f")
    new, old = f"{name}_new_{stamp}", f"{name}_old_{stamp}"
    with _connect(url) as connection:
        connection.execute(sql.SQL("create database {}").format(sql.Identifier(new)))
        try:
            available = address.set(database=new).render_as_string(hide_password=False)
            engine = create_engine(available)
            try:
                migrate(engine, revision)
                _fill(available, dump)
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
    address = make_url(url)
    return psycopg.connect(
        host=address.host,
        port=address.port,
        user=address.username,
        password=address.password,
        dbname="postgres",
        autocommit=True,
        connect_timeout=5,
    )


def _revision(url: str) -> str:
    address = make_url(url).set(drivername="postgresql")
    with psycopg.connect(
        address.render_as_string(hide_password=False), connect_timeout=5
    ) as available:
        row = available.execute("select version_num from alembic_version").fetchone()
    return str(row[0]) if row else ""


def _run(program: str, url: str, arguments: list[str], *, connect: bool = True) -> str:
    """Run one of PostgreSQL's programs; return what it prints."""
    address = make_url(url)
    where = [
        f"--host={address.host}",
        f"--port={address.port}",
        f"--username={address.username}",
        f"--dbname={address.database}",
    ]
    command = [str(binaries() / program), *(where if connect else ()), *arguments]
    environment = {**os.environ, "PGPASSWORD": address.password or ""}
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        last = [line for line in done.stderr.splitlines() if line.strip()][-1:] or ["no message"]
        raise ServiceError(f"{program}: {last[0]}")
    return done.stdout


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
