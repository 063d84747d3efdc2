"""Backup and restore of the big data set: ``python -m bench.restored [--studios N]``.

The data set of ``bench.load`` is backed up with ``emblar backup`` and restored with ``emblar
restore`` into an empty home. Printed: sizes, times, and which tables differ between the two, row by
row: a digest of every row's text in the order of the table's key, and where its counter stands.
"""

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql

from bench.faults import Served
from bench.load import SESSIONS, STUDIOS, enlarge
from emblar.platform.postgres import OwnPostgres

Digests = dict[str, tuple[int, str]]


def connected(home: Path) -> psycopg.Connection[Any]:
    """Return a connection to the database of a home that is served."""
    url = OwnPostgres(home).running_url()
    assert url is not None
    return psycopg.connect(url.replace("postgresql+psycopg", "postgresql"))


def digests(db: psycopg.Connection[Any]) -> Digests:
    """Return, for every table and counter, how many rows it has and a digest of them."""
    result: Digests = {}
    names = db.execute(
        "select c.relname, c.relkind = 'S' from pg_class c join pg_namespace n"
        " on n.oid = c.relnamespace where n.nspname = 'public' and c.relkind in ('r', 'S')"
        " order by 1"
    ).fetchall()
    for name, counter in names:
        query = (
            "select last_value, is_called::text from {}"
            if counter
            else "select count(*), md5(string_agg(d, '' order by d)) from"
            " (select md5(t::text) as d from {} t) as rows"
        )
        row = db.execute(sql.SQL(query).format(sql.Identifier(name))).fetchone()
        assert row is not None
        result[name] = (int(row[0]), str(row[1]))
    return result


def emblar(home: Path, *words: str) -> float:
    """Run the command line on a home; return how long it took, s."""
    began = time.monotonic()
    environment = {**os.environ, "EMBLAR_HOME": str(home)}
    environment.pop("EMBLAR_DATABASE_URL", None)
    command = [sys.executable, "-m", "emblar.main", *words]
    subprocess.run(command, env=environment, check=True, capture_output=True)
    return time.monotonic() - began


def run(folder: Path, studios: int) -> list[str]:
    """Fill, back up, restore, compare; return the tables that differ."""
    first, second = folder / "first", folder / "second"
    for home in (first, second):
        home.mkdir()
        home.chmod(0o755)
    served, again = Served(first), Served(second)
    file = folder / "all.backup"
    try:
        served.start("--demo", "--web-only")
        with connected(first) as db:
            enlarge(db, studios)
        with connected(first) as db:
            before = digests(db)
        took = emblar(first, "backup", str(file))
        served.stop()
        rows = sum(count for name, (count, _) in before.items() if not name.endswith("_seq"))
        print(
            f"{studios} studios × {SESSIONS} sessions: {rows} rows in {len(before)} tables and "
            f"counters, backup {file.stat().st_size / 2**20:.0f} MB in {took:.0f} s"
        )
        print(f"restored in {emblar(second, 'restore', str(file)):.0f} s")
        again.start("--web-only")
        with connected(second) as db:
            after = digests(db)
        again.stop()
    finally:
        for one in (served, again):
            if one.process is not None and one.process.poll() is None:
                one.process.kill()
    return sorted(name for name in {*before, *after} if before.get(name) != after.get(name))


def main() -> None:
    """Run and print; exit with 1 where anything differs."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--studios", type=int, default=STUDIOS)
    arguments = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="emblar-restored-"))
    folder.chmod(0o755)
    try:
        differ = run(folder, arguments.studios)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    print(f"tables that differ: {', '.join(differ) or 'none'}")
    sys.exit(bool(differ))


if __name__ == "__main__":
    main()
