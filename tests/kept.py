"""What many tests begin with, made once and put back: the database's rows as they were.

A recording analysed and a kit planned take seconds; their rows take a hundredth of one.
"""

from collections.abc import Callable
from dataclasses import dataclass

import psycopg
from psycopg import sql

from emblar.platform.database import engine

TABLES = (
    "select relname from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace"
)
SEQUENCES = "select sequencename, last_value from pg_sequences where schemaname = 'public'"
COLUMNS = (
    "select attname from pg_attribute where attrelid = quote_ident(%s)::regclass and attnum > 0"
    " and not attisdropped"
)
LEFT_OUT = ("alembic_version", "studio")


@dataclass(frozen=True)
class Kept:
    """Every table's columns and rows as PostgreSQL copies them, and where the counters stood."""

    rows: dict[str, tuple[tuple[str, ...], bytes]]
    counters: dict[str, int]


def take() -> Kept:
    """Return what the database holds."""
    with _raw() as connection:
        rows: dict[str, tuple[tuple[str, ...], bytes]] = {}
        for name in (str(row[0]) for row in connection.execute(TABLES).fetchall()):
            if name not in LEFT_OUT:
                columns = tuple(str(column) for (column,) in connection.execute(COLUMNS, [name]))
                with connection.cursor().copy(_copy(name, columns, "to stdout")) as copy:
                    rows[name] = columns, b"".join(bytes(block) for block in copy)
        standing = connection.execute(SEQUENCES).fetchall()
        counters = {str(name): int(str(value)) for name, value in standing if value}
        return Kept(rows, counters)


def put_back(kept: Kept) -> None:
    """Fill an empty database with what was kept."""
    with _raw() as connection:
        # Rows come in any order: what they refer to is there when all are in.
        connection.execute("set session_replication_role = replica")
        for name, (columns, data) in kept.rows.items():
            if data:
                with connection.cursor().copy(_copy(name, columns, "from stdin")) as copy:
                    copy.write(data)
        for name, value in kept.counters.items():
            connection.execute("select setval(%s::regclass, %s)", (name, value))


class Once:
    """Makes something of each kind once and puts it back after that."""

    def __init__(self) -> None:
        self._made: dict[str, tuple[int, Kept]] = {}

    def made(self, kind: str, make: Callable[[], int]) -> int:
        """Return what ``make`` returned the first time, with the database as it then was."""
        if kind not in self._made:
            number = make()
            self._made[kind] = number, take()
        else:
            put_back(self._made[kind][1])
        return self._made[kind][0]


def _copy(table: str, columns: tuple[str, ...], way: str) -> sql.Composed:
    """Copy by the columns' names: migrations down and up again leave them in another order."""
    names = sql.SQL(", ").join(map(sql.Identifier, columns))
    return sql.SQL("copy {} ({}) " + way).format(sql.Identifier(table), names)


def _raw() -> psycopg.Connection[tuple[object, ...]]:
    url = engine().url.set(drivername="postgresql").render_as_string(hide_password=False)
    return psycopg.connect(url)
