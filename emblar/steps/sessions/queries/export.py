"""Everything of a studio as rows that can be written to a file, and such rows put in again.

Conventions
-----------
Rows are dictionaries of JSON values by column. What a row refers to stands by the id that it has
in the same rows; sounds stand by their hash. Which rows are a studio's follows from the tables'
own foreign keys.
"""

import copy
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import fields
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Column, Select, Table, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from emblar.core.errors import InputError
from emblar.platform.tables import (
    AccountRow,
    AudioRow,
    Base,
    InvitationRow,
    LoginAttemptRow,
    LoginRow,
    StudioRow,
    SubmissionRow,
)
from emblar.steps.listen.queries import Region

Rows = dict[str, list[dict[str, Any]]]
REGION = {field.name for field in fields(Region)}
ACCESS = (AccountRow, LoginRow, InvitationRow, LoginAttemptRow)
"""Who may come in is of this machine: it is in a backup, and in no export."""
APART = {row.__tablename__ for row in (StudioRow, AudioRow, SubmissionRow, *ACCESS)}
TABLES: dict[str, Table] = {
    table.name: table for table in Base.metadata.sorted_tables if table.name not in APART
}
"""The tables that are exported, each after those it refers to."""
OWNERS = ("studio_id", "session_id", "drum_id", "setup_id", "recording_id", "slot_id")
"""The column by which a table's rows are a studio's: the first of these that is never empty."""
KEYS_IN_DOCUMENTS = {
    ("plan", "document"): ("kit_slot", ("drums", "problems", "wishes", "parts")),
    ("bench", "document"): ("drum", ("hum", "hum_before")),
    ("saved_kit", "drums"): ("drum", ()),
}
"""Documents whose keys, or whose items, are ids: of which table, and below which names."""
VALUES_IN_DOCUMENTS = {
    ("setup", "document"): {("back_to",): "setup"},
    ("bench", "document"): {
        ("back_to", "setup"): "setup",
        ("back_to", "before", "setup"): "setup",
        **{
            (*jobs, "*", *path): table
            for jobs in (("jobs",), ("back_to", "jobs"))
            for path, table in (
                (("setup_before",), "setup"),
                (("setup_after",), "setup"),
                (("reading",), "measurement"),
                (("head", "head"), "head"),
                (("head", "was"), "head"),
            )
        },
    },
}
"""Documents that name rows by id: at which path, with * for every name, and of which table."""
LISTS: dict[tuple[str, str], Callable[[Any], bool]] = {
    ("recording", "regions"): lambda row: isinstance(row, dict) and set(row) == REGION,
    ("drum", "findings"): lambda row: isinstance(row, str),
    ("saved_kit", "drums"): lambda row: isinstance(row, int),
    ("share", "parts"): lambda row: isinstance(row, str),
}
"""Documents that are lists, and whether something may be in them; all others have names."""
LARGEST_ID = 2**31 - 1
LONGEST_TEXT = 20_000
LARGEST_NUMBER = 1e12


def revision(db: Session) -> str:
    """Return the shape that the database has."""
    return str(db.execute(text("select version_num from alembic_version")).scalar_one())


def rows(db: Session, studio_id: int) -> Rows:
    """Return every row of a studio, by table and in the order of their ids."""
    query = select(AudioRow.id, AudioRow.sha256)
    sounds = {row.id: row.sha256 for row in db.execute(query)}
    result: Rows = {}
    for name, table in TABLES.items():
        query = select(table).where(table.c.id.in_(_ids(table, studio_id))).order_by(table.c.id)
        result[name] = [
            {c.name: _written(c, row[c.name], sounds) for c in table.columns if _is_told(c)}
            for row in db.execute(query).mappings()
        ]
    return result


def sounds(db: Session, matches: Rows) -> list[tuple[int, str, str]]:
    """Return id, hash and type of the sounds that rows refer to, by hash."""
    used = {
        row[c.name]
        for name, table in TABLES.items()
        for c in table.columns
        if _target(c) == AudioRow.__tablename__
        for row in matches[name]
        if row[c.name] is not None
    }
    query = select(AudioRow.id, AudioRow.sha256, AudioRow.media_type).order_by(AudioRow.sha256)
    return [(i, sha256, kind) for i, sha256, kind in db.execute(query) if sha256 in used]


def without_known(
    db: Session, studio_id: int, given: Rows
) -> tuple[Rows, dict[str, dict[int, int]]]:
    """Leave out the rows that a studio has already.

    A session that is here is left out with everything in it; a drum that is here stays as it is
    here, and what is new in the rows and refers to it refers to that drum. Rows are the same if
    they were made at the same time, in the same order.

    Returns
    -------
    tuple
        The rows that are left, and the ids of the known rows here by table and by their id there.
    """
    known = {name: _same(db, studio_id, name, given.get(name, [])) for name in TABLES}
    gone: dict[str, set[int]] = {"session": set(known["session"])}
    left: Rows = {}
    for name, table in TABLES.items():
        targets = {c.name: _target(c) for c in table.columns}
        rows = []
        for row in given.get(name, []):
            inside = any(
                row.get(column) in gone.get(target or "", ()) for column, target in targets.items()
            )
            of_known_drum = name == "fitting" and row.get("drum_id") in known["drum"]
            if inside or of_known_drum:
                gone.setdefault(name, set()).add(row.get("id", 0))
            elif row.get("id") not in known[name]:
                rows.append(row)
        left[name] = rows
    return left, known


def _same(
    db: Session, studio_id: int, name: str, given: Sequence[Mapping[str, Any]]
) -> dict[int, int]:
    """Return the ids here of rows that are here already, by their ids there."""
    table = TABLES[name]
    query = select(table.c.created_at, table.c.id).where(table.c.id.in_(_ids(table, studio_id)))
    present: dict[str, list[int]] = {}
    for time, row_id in db.execute(query.order_by(table.c.id)):
        present.setdefault(time.astimezone(UTC).isoformat(), []).append(row_id)
    result = {}
    for row in given:
        ids = present.get(str(row.get("created_at")))
        if ids and isinstance(row.get("id"), int):
            result[int(row["id"])] = ids.pop(0)
    return result


def put(
    db: Session,
    studio_id: int,
    given: Rows,
    sound_ids: Mapping[str, int],
    known: Mapping[str, Mapping[int, int]] | None = None,
) -> None:
    """Put rows into a studio: with their own ids into an empty database, else with new ones.

    ``known`` are ids of rows that are here already, as ``without_known`` returns them.

    Raises
    ------
    InputError
        A table or column is unknown, a value does not fit its column, a row refers to none, or
        rows contradict one another. Nothing is put in.
    """
    unknown = sorted(set(given) - set(TABLES))
    if unknown:
        raise InputError(f"This export has tables Emblar does not know: {', '.join(unknown)}.")
    as_they_are = not any(
        db.execute(select(table.c.id).limit(1)).first() for table in TABLES.values()
    )
    ids: dict[str, dict[int, int]] = {}
    put_in: dict[str, dict[int, int]] = {}
    try:
        for name, table in TABLES.items():
            added = _put_table(
                db, table, given.get(name, []), ids, sound_ids, studio_id, as_they_are=as_they_are
            )
            ids[name] = {**(known or {}).get(name, {}), **added}
            put_in[name] = added
        if not as_they_are:
            for (name, column), paths in VALUES_IN_DOCUMENTS.items():
                _rename(db, TABLES[name], column, paths, ids, put_in[name])
    except IntegrityError as error:
        measured = str(error.orig).partition("\n")[0]
        raise InputError(f"Rows of this export contradict one another: {measured}.") from error
    if as_they_are:
        for name, table in TABLES.items():
            last = func.max(table.c.id)
            db.execute(select(func.setval(f"{name}_id_seq", last)).having(last.is_not(None)))


def twice(db: Session, studio_id: int, given: Rows) -> str | None:
    """Return the name of a session or drum that is here already: one made at the same time."""
    for name in ("session", "drum"):
        table = TABLES[name]
        query = select(table.c.created_at, table.c.name).where(table.c.studio_id == studio_id)
        present = {time.astimezone(UTC).isoformat(): was for time, was in db.execute(query)}
        for row in given.get(name, []):
            called = present.get(str(row.get("created_at")))
            if called is not None:
                return str(called)
    return None


def _put_table(
    db: Session,
    table: Table,
    given: Sequence[Mapping[str, Any]],
    ids: dict[str, dict[int, int]],
    sound_ids: Mapping[str, int],
    studio_id: int,
    *,
    as_they_are: bool,
) -> dict[int, int]:
    """Put a table's rows in; return their new ids by those they came with."""
    measured = {c.name: c for c in table.columns if _is_told(c)}
    result: dict[int, int] = {}
    later: list[tuple[int, str, int]] = []
    for number, row in enumerate(given, 1):
        where = f"{table.name}, row {number}"
        unknown = sorted(set(row) - set(measured))
        if unknown:
            raise InputError(f"{where}: Emblar does not know {', '.join(unknown)}.")
        values = {n: _read(measured[n], value, f"{where}, {n}") for n, value in row.items()}
        row_id = values.pop("id", None)
        if row_id is None or row_id in result:
            raise InputError(f"{where}: its id is missing or stands there twice.")
        own_table = _named(table, values, ids, sound_ids, where)
        later += [(row_id, name, value) for name, value in own_table]
        if "studio_id" in table.c:
            values["studio_id"] = studio_id
        if as_they_are:
            values["id"] = row_id
        result[row_id] = db.execute(
            insert(table).values(**values).returning(table.c.id)
        ).scalar_one()
    for row_id, name, value in later:
        other = _referred(result, value, f"{table.name} {row_id}, {name}")
        changed = {name: other, "updated_at": table.c.updated_at}
        db.execute(update(table).where(table.c.id == result[row_id]).values(**changed))
    return result


def _named(
    table: Table,
    values: dict[str, Any],
    ids: Mapping[str, Mapping[int, int]],
    sound_ids: Mapping[str, int],
    where: str,
) -> list[tuple[str, int]]:
    """Name what a row refers to by the ids of now; return what it refers to in its own table."""
    later = []
    for name, value in list(values.items()):
        target = _target(table.columns[name])
        if value is None or target is None:
            continue
        if target == AudioRow.__tablename__:
            values[name] = _referred(sound_ids, value, f"{where}, {name}")
        elif target == table.name:
            later.append((name, value))
            values[name] = None
        else:
            values[name] = _referred(ids[target], value, f"{where}, {name}")
    for name in set(values) & {c for t, c in KEYS_IN_DOCUMENTS if t == table.name}:
        values[name] = _with_ids(values[name], *KEYS_IN_DOCUMENTS[table.name, name], ids)
    return later


def _with_ids(
    document: Any, target: str, below: Iterable[str], ids: Mapping[str, Mapping[int, int]]
) -> Any:
    """Return a document with the ids in it as they are now; ids of rows that are gone stay out."""
    current = {str(old): new for old, new in ids[target].items()}
    if isinstance(document, list):
        return [current[str(i)] for i in document if str(i) in current]
    if not isinstance(document, dict):
        return document
    moved = {
        name: {str(current[i]): v for i, v in document[name].items() if i in current}
        for name in below
        if isinstance(document.get(name), dict)
    }
    return {**document, **moved}


def _rename(
    db: Session,
    table: Table,
    column: str,
    paths: Mapping[tuple[str, ...], str],
    ids: Mapping[str, Mapping[int, int]],
    added: Mapping[int, int],
) -> None:
    """Name rows by their ids of now in documents that were put in; those gone are left out."""
    table_ids = table.c.id.in_(list(added.values()))
    for row in db.execute(select(table.c.id, table.c[column]).where(table_ids)).all():
        document = copy.deepcopy(row[1])
        for path, target in paths.items():
            _rename_at(document, path, ids[target])
        if document != row[1]:
            changed = {column: document, "updated_at": table.c.updated_at}
            db.execute(update(table).where(table.c.id == row[0]).values(**changed))


def _rename_at(document: Any, path: tuple[str, ...], present: Mapping[int, int]) -> None:
    first, *rest = path
    if not isinstance(document, dict):
        return
    for name in list(document) if first == "*" else [first] if first in document else []:
        if rest:
            _rename_at(document[name], tuple(rest), present)
        elif isinstance(document[name], int):
            result = present.get(document.pop(name))
            if result is not None:
                document[name] = result


def _ids(table: Table, studio_id: int) -> Select[tuple[int]]:
    """Return the query of a table's ids that are a studio's."""
    owner = next(c for name in OWNERS if (c := table.c.get(name)) is not None and not c.nullable)
    query = select(table.c.id)
    if owner.name == "studio_id":
        return query.where(owner == studio_id)
    return query.where(owner.in_(_ids(TABLES[str(_target(owner))], studio_id)))


def _is_told(column: Column[Any]) -> bool:
    return column.name != "studio_id"


def _target(column: Column[Any]) -> str | None:
    """Return the table that a column refers to."""
    return next((key.column.table.name for key in column.foreign_keys), None)


def _written(column: Column[Any], value: Any, sounds: Mapping[int, str]) -> Any:
    if value is not None and _target(column) == AudioRow.__tablename__:
        return sounds[value]
    return value.astimezone(UTC).isoformat() if isinstance(value, datetime) else value


def _referred(ids: Mapping[Any, int], value: Any, where: str) -> int:
    if value not in ids:
        raise InputError(f"{where} refers to {value}, which is not in this export.")
    return ids[value]


def _read(column: Column[Any], value: Any, where: str) -> Any:
    """Return a JSON value as its column holds it."""
    if value is None:
        if column.nullable:
            return None
        raise InputError(f"{where} is empty.")
    if isinstance(column.type, JSONB):
        fits = LISTS.get((column.table.name, column.name))
        right = (
            isinstance(value, list) and all(map(fits, value)) if fits else isinstance(value, dict)
        )
        if not right:
            raise InputError(f"{where} is no such document.")
        if not _holds_numbers_of_ours(value):
            raise InputError(f"{where} holds a number that cannot be right.")
        return value
    kind = str if _target(column) == AudioRow.__tablename__ else column.type.python_type
    if kind is datetime:
        return _time(value, where)
    if kind is float and type(value) in (int, float) and abs(value) <= LARGEST_NUMBER:
        return float(value)
    right = type(value) is kind and kind is not float
    if right and kind is int:
        right = abs(value) <= LARGEST_ID
    if right and kind is str:
        right = len(value) <= LONGEST_TEXT and "\x00" not in value
    if not right:
        raise InputError(f"{where} cannot be {str(value)[:40]!r}.")
    return value


def _holds_numbers_of_ours(document: Any) -> bool:
    """Whether every number in a document is finite and of a size that something here can have."""
    waiting = [document]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting += value.values()
        elif isinstance(value, list):
            waiting += value
        elif isinstance(value, (int, float)) and not abs(value) <= LARGEST_NUMBER:
            return False
    return True


def _time(value: Any, where: str) -> datetime:
    try:
        result = datetime.fromisoformat(value)
    except (TypeError, ValueError):
        result = None
    if result is None or result.tzinfo is None:
        raise InputError(f"{where} is no time with its zone: {str(value)[:40]!r}.")
    return result
