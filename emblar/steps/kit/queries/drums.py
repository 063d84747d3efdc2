"""The studio's drums, its own and borrowed, and the heads on them."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session, aliased

from emblar.core.errors import NotFoundError
from emblar.core.planning.kit import OwnedDrum
from emblar.platform.tables import DrumRow, FittingRow, HeadRow, KitSlotRow
from emblar.steps.kit.queries import heads

BatterFitting, ResoFitting = aliased(FittingRow), aliased(FittingRow)
Batter, Reso = aliased(HeadRow), aliased(HeadRow)


@dataclass(frozen=True, slots=True)
class StudioDrum:
    """A drum of the studio with what is on it now, and who lent it, if somebody did."""

    id: int
    owned: OwnedDrum
    lent_by: str = ""


def dressed() -> tuple[type[DrumRow], type[HeadRow], type[HeadRow]]:
    """Return what to select for a drum with its heads; ``owned`` reads such a row."""
    return DrumRow, Batter, Reso


def with_heads(query: Select[*tuple[Any, ...]]) -> Select[*tuple[Any, ...]]:
    """Join the heads that are on a query's drums now."""
    for fitting, head, side in ((BatterFitting, Batter, "batter"), (ResoFitting, Reso, "reso")):
        on_it = (
            (fitting.drum_id == DrumRow.id) & (fitting.side == side) & fitting.removed_at.is_(None)
        )
        query = query.outerjoin(fitting, on_it).outerjoin(head, head.id == fitting.head_id)
    return query


# An alias that several threads use for the first time at once may stay put together wrong, and
# every page with a drum fails until the process ends: so it is used here first, by one.
with_heads(select(*dressed())).compile()


def owned(drum: DrumRow, batter: HeadRow | None, reso: HeadRow | None) -> OwnedDrum:
    """Return a drum as it is now."""
    if batter is None:
        raise NotFoundError(f"{drum.name} has no batter head.")
    return OwnedDrum(
        name=drum.name,
        kind=drum.kind,  # type: ignore[arg-type]
        diameter_in=drum.diameter_in,
        depth_in=drum.depth_in,
        rods=drum.rods,
        hoop=drum.hoop,
        shell=drum.shell,
        batter=batter.construction,
        reso=reso.construction if reso else None,
        port_in=reso.hole_in if reso else None,
        edge=drum.edge,
        findings=tuple(drum.findings or ()),
        shell_hole_in=drum.shell_hole_in,
    )


def _row(db: Session, studio_id: int, drum_id: int) -> DrumRow:
    row = db.get(DrumRow, drum_id)
    if row is None or row.studio_id != studio_id or row.deleted_at is not None:
        raise NotFoundError("That drum is not here any more.")
    return row


def get(db: Session, studio_id: int, drum_id: int) -> StudioDrum:
    """Return one drum, or raise ``NotFoundError``."""
    _row(db, studio_id, drum_id)
    query = with_heads(select(*dressed())).where(DrumRow.id == drum_id)
    drum, batter, reso = db.execute(query).one()
    return StudioDrum(drum.id, owned(drum, batter, reso), drum.lent_by)


def listing(db: Session, studio_id: int) -> list[StudioDrum]:
    """Return the studio's drums in the order they came."""
    query = with_heads(select(*dressed())).where(
        DrumRow.studio_id == studio_id, DrumRow.deleted_at.is_(None)
    )
    rows = db.execute(query.order_by(DrumRow.id)).all()
    return [StudioDrum(drum.id, owned(drum, b, r), drum.lent_by) for drum, b, r in rows]


def add(db: Session, studio_id: int, drum: OwnedDrum, *, lent_by: str = "") -> int:
    """Add a drum with the heads that are on it; return its id."""
    row = DrumRow(studio_id=studio_id, lent_by=lent_by)
    _write(row, drum)
    db.add(row)
    db.flush()
    _dress(db, row, drum)
    return row.id


def change(
    db: Session, studio_id: int, drum_id: int, drum: OwnedDrum, *, lent_by: str | None = None
) -> None:
    """Change what is said of a drum and of the heads on it."""
    row = _row(db, studio_id, drum_id)
    _write(row, drum)
    row.lent_by = row.lent_by if lent_by is None else lent_by
    db.flush()
    _dress(db, row, drum)


def _write(row: DrumRow, drum: OwnedDrum) -> None:
    row.name, row.kind = drum.name, drum.kind
    row.diameter_in, row.depth_in, row.rods = drum.diameter_in, drum.depth_in, drum.rods
    row.hoop, row.shell = drum.hoop, drum.shell
    row.edge, row.findings = drum.edge, list(drum.findings)
    row.shell_hole_in = drum.shell_hole_in


def _dress(db: Session, row: DrumRow, drum: OwnedDrum) -> None:
    for side, construction, hole in (
        ("batter", drum.batter, None),
        ("reso", drum.reso, drum.port_in),
    ):
        heads.describe(db, row, side, construction, hole)
    db.flush()


def delete(db: Session, studio_id: int, drum_id: int) -> None:
    """Remove a drum from the studio and from every kit; it can be brought back for 30 days."""
    current = datetime.now(UTC)
    _row(db, studio_id, drum_id).deleted_at = current
    slots = select(KitSlotRow).where(KitSlotRow.drum_id == drum_id, KitSlotRow.deleted_at.is_(None))
    for slot in db.execute(slots).scalars():
        slot.deleted_at = current
    db.flush()


def restore(db: Session, studio_id: int, drum_id: int) -> None:
    """Bring a drum back, into the kits it was removed from with it."""
    row = db.get(DrumRow, drum_id)
    if row is None or row.studio_id != studio_id:
        raise NotFoundError("That drum is gone for good.")
    slots = select(KitSlotRow).where(
        KitSlotRow.drum_id == drum_id, KitSlotRow.deleted_at == row.deleted_at
    )
    for slot in db.execute(slots).scalars():
        slot.deleted_at = None
    row.deleted_at = None
    db.flush()
