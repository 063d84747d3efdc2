"""Heads: on a drum or loose on the shelf, each with its life."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.core.planning.brief import OwnedHead
from emblar.platform.tables import DrumRow, FittingRow, HeadRow


@dataclass(frozen=True, slots=True)
class ShelfHead:
    """Loose heads alike; ``id`` is that of one of them."""

    id: int
    owned: OwnedHead


@dataclass(frozen=True, slots=True)
class Exchange:
    """A head that was fitted in place of another: ids, and what condition each was in before.

    ``condition`` is None for a head that was bought for it, ``was`` if there was none before.
    """

    head: int
    condition: str | None
    was: int | None
    was_condition: str


@dataclass(frozen=True, slots=True)
class Fitting:
    """A head that is or was on a drum."""

    head_id: int
    construction: str
    drum_id: int
    side: str
    fitted_at: datetime | None
    removed_at: datetime | None


def _loose(studio_id: int) -> Select[*tuple[Any, ...]]:
    on_a_drum = select(FittingRow.id).where(
        FittingRow.head_id == HeadRow.id, FittingRow.removed_at.is_(None)
    )
    return select(HeadRow).where(HeadRow.studio_id == studio_id, ~on_a_drum.exists())


def loose(db: Session, studio_id: int) -> list[ShelfHead]:
    """Return loose heads, smallest first, those alike together."""
    query = _loose(studio_id).where(HeadRow.deleted_at.is_(None))
    groups: dict[tuple[str, float, str], list[int]] = {}
    order = (HeadRow.diameter_in, HeadRow.construction, HeadRow.id)
    for row in db.execute(query.order_by(*order)).scalars():
        groups.setdefault((row.construction, row.diameter_in, row.condition), []).append(row.id)
    return [
        ShelfHead(ids[0], OwnedHead(construction, diameter, len(ids), condition))  # type: ignore[arg-type]
        for (construction, diameter, condition), ids in groups.items()
    ]


def add_loose(db: Session, studio_id: int, owned: OwnedHead) -> ShelfHead:
    """Put heads on the shelf."""
    rows = [
        HeadRow(
            studio_id=studio_id,
            construction=owned.construction,
            diameter_in=owned.diameter_in,
            condition=owned.condition,
        )
        for _ in range(owned.count)
    ]
    db.add_all(rows)
    db.flush()
    return ShelfHead(rows[0].id, owned)


def delete_loose(db: Session, studio_id: int, head_id: int) -> None:
    """Remove a loose head and those alike; they can be brought back for 30 days."""
    one = _one(db, studio_id, head_id)
    current = datetime.now(UTC)
    for row in db.execute(_alike(one).where(HeadRow.deleted_at.is_(None))).scalars():
        row.deleted_at = current
    db.flush()


def restore_loose(db: Session, studio_id: int, head_id: int) -> None:
    """Bring loose heads back that were removed together."""
    one = _one(db, studio_id, head_id)
    gone = list(db.execute(_alike(one).where(HeadRow.deleted_at == one.deleted_at)).scalars())
    for row in gone:
        row.deleted_at = None
    db.flush()


def _alike(one: HeadRow) -> Select[*tuple[Any, ...]]:
    return _loose(one.studio_id).where(
        HeadRow.construction == one.construction,
        HeadRow.diameter_in == one.diameter_in,
        HeadRow.condition == one.condition,
    )


def _one(db: Session, studio_id: int, head_id: int) -> HeadRow:
    row = db.get(HeadRow, head_id)
    if row is None or row.studio_id != studio_id:
        raise NotFoundError("That is not on the shelf any more.")
    return row


def _fitting(db: Session, drum_id: int, side: str) -> FittingRow | None:
    query = select(FittingRow).where(
        FittingRow.drum_id == drum_id, FittingRow.side == side, FittingRow.removed_at.is_(None)
    )
    return db.execute(query).scalar_one_or_none()


def describe(
    db: Session, drum: DrumRow, side: str, construction: str | None, hole_in: float | None
) -> None:
    """Say which head is on a side of a drum: the one there is corrected, not exchanged."""
    fitting = _fitting(db, drum.id, side)
    if construction is None:
        if fitting is not None:
            # It was described wrongly; what is taken off for real goes on the shelf with ``fit``.
            fitting.removed_at = datetime.now(UTC)
            db.get_one(HeadRow, fitting.head_id).deleted_at = fitting.removed_at
        return
    if fitting is None:
        head = HeadRow(
            studio_id=drum.studio_id, construction=construction, diameter_in=drum.diameter_in
        )
        db.add(head)
        db.flush()
        db.add(FittingRow(head_id=head.id, drum_id=drum.id, side=side))
    else:
        head = db.get_one(HeadRow, fitting.head_id)
        head.construction, head.diameter_in = construction, drum.diameter_in
    head.hole_in = hole_in


def fit(
    db: Session, studio_id: int, drum_id: int, side: str, head_id: int, *, keep_old: bool
) -> Exchange:
    """Fit a loose head on a side of a drum; the old one goes on the shelf, worn, or away.

    Raises
    ------
    NotFoundError
        The head is not loose.
    """
    head = _one(db, studio_id, head_id)
    free = _loose(studio_id).where(HeadRow.id == head_id, HeadRow.deleted_at.is_(None))
    if db.execute(free).first() is None:
        raise NotFoundError("That head is not loose any more.")
    current = datetime.now(UTC)
    old = _fitting(db, drum_id, side)
    condition, was_condition = head.condition, ""
    if old is not None:
        old.removed_at = current
        gone = db.get_one(HeadRow, old.head_id)
        was_condition, gone.condition = gone.condition, "worn"
        gone.deleted_at = None if keep_old else current
        db.flush()
    head.condition = "used"
    db.add(FittingRow(head_id=head.id, drum_id=drum_id, side=side, fitted_at=current))
    db.flush()
    return Exchange(head.id, condition, old.head_id if old is not None else None, was_condition)


def fit_construction(
    db: Session, studio_id: int, drum_id: int, side: str, construction: str
) -> Exchange:
    """Fit a head of a construction: the best loose one of the drum's size, or a new one.

    The one before goes on the shelf, worn.
    """
    drum = db.get_one(DrumRow, drum_id)
    loose = _loose(studio_id).where(
        HeadRow.construction == construction,
        HeadRow.diameter_in == drum.diameter_in,
        HeadRow.deleted_at.is_(None),
    )
    order = {"fresh": 0, "used": 1, "worn": 2}
    rows = sorted(db.execute(loose).scalars(), key=lambda row: order.get(row.condition, 3))
    if rows:
        head = rows[0]
    else:
        head = HeadRow(studio_id=studio_id, construction=construction, diameter_in=drum.diameter_in)
        db.add(head)
        db.flush()
    made = fit(db, studio_id, drum_id, side, head.id, keep_old=True)
    return made if rows else replace(made, condition=None)


def fit_back(db: Session, studio_id: int, drum_id: int, side: str, made: Exchange) -> None:
    """Undo an exchange of heads: each is where it was and in the condition it was in.

    Raises
    ------
    NotFoundError
        One of them was moved since.
    """
    current, on = datetime.now(UTC), _fitting(db, drum_id, side)
    if on is None or on.head_id != made.head:
        raise NotFoundError("That head is not on the drum any more.")
    if made.was is not None:
        free = _loose(studio_id).where(HeadRow.id == made.was, HeadRow.deleted_at.is_(None))
        if db.execute(free).first() is None:
            raise NotFoundError("The head that came off is not on the shelf any more.")
    db.delete(on)
    head = db.get_one(HeadRow, made.head)
    if made.condition is None:
        head.deleted_at = current
    else:
        head.condition = made.condition
    db.flush()
    if made.was is not None:
        _one(db, studio_id, made.was).condition = made.was_condition
        last = select(FittingRow).where(
            FittingRow.drum_id == drum_id, FittingRow.side == side, FittingRow.head_id == made.was
        )
        row = db.execute(last.order_by(FittingRow.id.desc()).limit(1)).scalar_one()
        row.removed_at = None
    db.flush()


def fittings(db: Session, drum_id: int) -> Sequence[Fitting]:
    """Return which heads are and were on a drum, the newest first."""
    query = select(FittingRow, HeadRow.construction).join(HeadRow, HeadRow.id == FittingRow.head_id)
    rows = db.execute(query.where(FittingRow.drum_id == drum_id).order_by(FittingRow.id.desc()))
    return [
        Fitting(f.head_id, construction, f.drum_id, f.side, f.fitted_at, f.removed_at)
        for f, construction in rows
    ]
