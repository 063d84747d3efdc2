"""What was deleted long ago goes for good, with everything that belongs to it alone.

Conventions
-----------
What belongs to a row follows from the tables' own foreign keys: rows that cannot be without it go
with it, others forget it. A head that was on a drum stays in that drum's history.
"""

from collections import Counter
from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import Column, Table, delete, select, union_all, update
from sqlalchemy.orm import Session

from emblar.platform.tables import AudioRow, Base, FittingRow, HeadRow, RecordingRow, SetupRow

ROOTS = (
    "session",
    "recording",
    "evidence",
    "kit_slot",
    "saved_kit",
    "own_part",
    "measurement",
    "setup",
    "head",
    "drum",
    "pad",
)
KEPT = (
    RecordingRow.audio_id,
    RecordingRow.drums_audio_id,
    RecordingRow.rest_audio_id,
    SetupRow.picture_id,
)
"""What refers to a sound or a picture."""


def purge(db: Session, before: datetime) -> Counter[str]:
    """Delete for good what was deleted before a time; return how many rows of each table."""
    gone: Counter[str] = Counter()
    for name in ROOTS:
        table = Base.metadata.tables[name]
        query = select(table.c.id).where(table.c.deleted_at < before)
        if name == HeadRow.__tablename__:
            query = query.where(
                ~select(FittingRow.id).where(FittingRow.head_id == table.c.id).exists()
            )
        _delete(db, table, list(db.execute(query).scalars()), gone)
    # One by one: a null among what is used would keep everything.
    used = union_all(*(select(column).where(column.is_not(None)) for column in KEPT))
    result = db.execute(delete(AudioRow).where(AudioRow.id.not_in(used)))
    gone["audio"] += result.rowcount  # type: ignore[attr-defined]
    return gone


def _delete(db: Session, table: Table, ids: list[int], gone: Counter[str]) -> None:
    """Delete rows with what cannot be without them; what can be forgets them."""
    if not ids:
        return
    for other, column in _referring(table):
        if column.nullable:
            values: dict[str, object] = {column.name: None}
            if "updated_at" in other.c:
                values["updated_at"] = other.c.updated_at
            db.execute(update(other).where(column.in_(ids)).values(**values))
        else:
            theirs = db.execute(select(other.c.id).where(column.in_(ids))).scalars()
            _delete(db, other, list(theirs), gone)
    db.execute(delete(table).where(table.c.id.in_(ids)))
    gone[table.name] += len(ids)


def _referring(table: Table) -> Iterable[tuple[Table, Column[object]]]:
    for other in Base.metadata.tables.values():
        for column in other.columns:
            if any(key.column.table is table for key in column.foreign_keys):
                yield other, column
