"""Backups: everything comes back, also from an earlier version; a bad file touches nothing."""

import json
import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from psycopg import sql
from sqlalchemy import create_engine, make_url

from emblar.core.errors import InputError, ServiceError
from emblar.platform import backup as module
from emblar.platform.backup import Backups, backup, restore
from emblar.platform.migrate import downgrade, migrate
from emblar.platform.settings import settings

NAME = "kept_elsewhere"


@pytest.fixture
def url(postgres_url: str) -> Iterator[str]:
    """A migrated database of its own, with a session in it."""
    own = make_url(postgres_url)
    plain = own.set(drivername="postgresql", database="postgres")
    with psycopg.connect(plain.render_as_string(hide_password=False), autocommit=True) as there:
        there.execute(sql.SQL("create database {}").format(sql.Identifier(NAME)))
        told = own.set(database=NAME).render_as_string(hide_password=False)
        engine = create_engine(told)
        migrate(engine)
        engine.dispose()
        run(told, "insert into session (studio_id, name) values (1, 'Low Ferry')")
        yield told
        there.execute(sql.SQL("drop database {} with (force)").format(sql.Identifier(NAME)))


def run(url: str, query: str) -> list[tuple[object, ...]]:
    plain = make_url(url).set(drivername="postgresql")
    with psycopg.connect(plain.render_as_string(hide_password=False)) as there:
        found = there.execute(query)
        return found.fetchall() if found.description else []


def names(url: str) -> list[str]:
    return [str(name) for (name,) in run(url, "select name from session order by id")]


def test_everything_comes_back_and_what_came_after_is_gone(url: str, tmp_path: Path) -> None:
    file = tmp_path / "b.backup"
    assert backup(url, file) == file.stat().st_size
    run(url, "insert into session (studio_id, name) values (1, 'Salt Road')")
    header = restore(url, file)
    assert header["schema"] == "emblar.backup/1"
    assert names(url) == ["Low Ferry"]
    run(url, "insert into session (studio_id, name) values (1, 'Next')")
    assert run(url, "select max(id) from session") == [(2,)], "counters go on where they stood"


def test_a_backup_of_an_earlier_version_is_brought_up_to_date(url: str, tmp_path: Path) -> None:
    engine = create_engine(url)
    downgrade(engine, "0010")
    file = tmp_path / "old.backup"
    backup(url, file)
    migrate(engine)
    engine.dispose()
    restore(url, file)
    assert names(url) == ["Low Ferry"]
    assert run(url, "select count(*) from share") == [(0,)]


def damaged(file: Path, how: str) -> None:
    data = bytearray(file.read_bytes())
    line = data.index(b"\n")
    if how == "a byte changed":
        data[line + 500] ^= 0xFF
    elif how == "cut off":
        data = data[:-100]
    elif how == "another schema":
        header = json.loads(data[:line])
        data[:line] = json.dumps({**header, "schema": "emblar.backup/9"}).encode()
    elif how == "no header":
        data = data[line + 1 :]
    else:
        data = bytearray()
    file.write_bytes(data)


@pytest.mark.parametrize(
    "how", ["a byte changed", "cut off", "another schema", "no header", "empty"]
)
def test_a_bad_backup_touches_nothing(url: str, tmp_path: Path, how: str) -> None:
    file = tmp_path / "b.backup"
    backup(url, file)
    damaged(file, how)
    run(url, "insert into session (studio_id, name) values (1, 'Salt Road')")
    with pytest.raises(InputError):
        restore(url, file)
    assert names(url) == ["Low Ferry", "Salt Road"]


def test_a_backup_of_a_newer_version_touches_nothing(url: str, tmp_path: Path) -> None:
    file = tmp_path / "newer.backup"
    run(url, "update alembic_version set version_num = '9999'")
    backup(url, file)
    run(url, "update alembic_version set version_num = '0015'")
    run(url, "insert into session (studio_id, name) values (1, 'Salt Road')")
    with pytest.raises(InputError, match="newer Emblar"):
        restore(url, file)
    assert names(url) == ["Low Ferry", "Salt Road"]
    others = run(url, "select datname from pg_database where datname like 'kept_elsewhere_%'")
    assert others == [], "no half restored database is left"


def test_a_backup_that_cannot_be_written_leaves_nothing_behind(url: str, tmp_path: Path) -> None:
    with pytest.raises(ServiceError):
        backup(url, tmp_path / "no" / "folder.backup")
    assert list(tmp_path.iterdir()) == []


def test_the_last_few_are_kept(url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    own = settings().model_copy(update={"database_url": url, "backups": 2})
    monkeypatch.setattr(module, "settings", lambda: own)
    kept = Backups(tmp_path)
    made = []
    for number in range(4):
        file = kept.make()
        # Names are by the second.
        made.append(file.rename(file.with_name(f"emblar-20260101-00000{number}.backup")))
    kept.make()
    left = kept.listed()
    assert len(left) == 2
    assert left[-1].stat().st_mode & 0o077 == 0
    assert not made[0].exists()


def test_one_is_made_at_the_start_unless_the_last_is_fresh(
    url: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own = settings().model_copy(update={"database_url": url, "backups": 3})
    monkeypatch.setattr(module, "settings", lambda: own)

    def started() -> int:
        kept = Backups(tmp_path, 0.0)
        kept.start()
        deadline = time.monotonic() + 10.0
        while not kept.listed() and time.monotonic() < deadline:
            time.sleep(0.05)
        time.sleep(0.3)
        kept.stop()
        return len(kept.listed())

    assert started() == 1
    assert started() == 1
    old = Backups(tmp_path).listed()[0]
    long_ago = time.time() - 30 * 3600
    os.utime(old, (long_ago, long_ago))
    renamed = old.rename(old.with_name("emblar-20260101-000000.backup"))
    assert renamed.exists()
    kept = Backups(tmp_path, 0.0)
    kept.start()
    deadline = time.monotonic() + 10.0
    while len(kept.listed()) < 2 and time.monotonic() < deadline:
        time.sleep(0.05)
    kept.stop()
    assert len(kept.listed()) == 2


def test_a_restore_runs_nothing_that_an_archive_says(url: str, tmp_path: Path) -> None:
    """A view that writes a file when it is filled, as a superuser could; and a table of its own."""
    written = Path(tempfile.mkdtemp())
    written.chmod(0o777)
    file = tmp_path / "all.backup"
    plain = make_url(url).set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(plain, autocommit=True) as there:
        there.execute(
            "create function public.harm() returns int language plpgsql as $$ begin"
            f" copy (select 1) to program 'touch {written}/harm'; return 1; end $$"
        )
        there.execute("create materialized view public.trap as select public.harm() as n")
        there.execute("create table public.theirs as select 1 as n")
    (written / "harm").unlink(missing_ok=True)
    backup(url, file)
    restore(url, file)
    assert not list(written.iterdir())
    with psycopg.connect(plain) as there:
        found = {row[0] for row in there.execute("select relname from pg_class")}
        roles = {row[0] for row in there.execute("select rolname from pg_roles")}
    assert not found & {"trap", "theirs"}
    assert not [role for role in roles if role.startswith("emblar_restore")]


def test_only_its_owner_may_read_a_backup(url: str, tmp_path: Path) -> None:
    file = tmp_path / "all.backup"
    backup(url, file)
    assert file.stat().st_mode & 0o777 == 0o600
