"""A session's kit: slots that point to the studio's drums."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.core.planning.kit import OwnedDrum
from emblar.platform.database import read_once
from emblar.platform.tables import DrumRow, HeadRow, KitSlotRow, SavedKitRow, SessionRow, SetupRow
from emblar.steps.kit.queries import drums


@dataclass(frozen=True, slots=True)
class KitDrum:
    """A drum of the kit, the voice it is to play, and what was asked of it by hand.

    ``id`` is its place in this session's kit, ``drum_id`` the studio's drum.
    """

    id: int
    session_id: int
    owned: OwnedDrum
    voice: str | None
    wish: dict[str, Any] = field(default_factory=dict)
    drum_id: int = 0
    also: bool = False
    """Whether another drum is the first to play its part, and this one a second or a candidate."""
    stand: str | None = None
    """Where it stands, ``"rack"`` or ``"floor"``, if not where its size says."""
    lent_by: str = ""
    position: int | None = None
    """Its place in the kit's order, if that was said."""


def _kit_drum(
    slot: KitSlotRow, drum: DrumRow, batter: HeadRow | None, reso: HeadRow | None
) -> KitDrum:
    return KitDrum(
        slot.id,
        slot.session_id,
        drums.owned(drum, batter, reso),
        slot.part,
        dict(slot.wish or {}),
        drum.id,
        slot.also,
        slot.stand,
        drum.lent_by,
        slot.position,
    )


def _query() -> Select[*tuple[Any, ...]]:
    query = select(KitSlotRow, *drums.dressed()).join(DrumRow, DrumRow.id == KitSlotRow.drum_id)
    return drums.with_heads(query)


def _slot(db: Session, slot_id: int, session_id: int | None = None) -> KitSlotRow:
    row = db.get(KitSlotRow, slot_id)
    elsewhere = row is not None and session_id is not None and row.session_id != session_id
    if row is None or row.deleted_at is not None or elsewhere:
        raise NotFoundError("That drum is not in the kit any more.")
    return row


def _one(db: Session, slot_id: int) -> KitDrum:
    db.flush()
    return _kit_drum(*db.execute(_query().where(KitSlotRow.id == slot_id)).one())


def _studio_of(db: Session, session_id: int) -> int:
    return db.get_one(SessionRow, session_id).studio_id


def add(
    db: Session, session_id: int, owned: OwnedDrum, voice: str | None, *, lent_by: str = ""
) -> KitDrum:
    """Add a new drum to the studio and to a kit."""
    drum_id = drums.add(db, _studio_of(db, session_id), owned, lent_by=lent_by)
    return use(db, session_id, drum_id, voice)


def use(db: Session, session_id: int, drum_id: int, voice: str | None = None) -> KitDrum:
    """Put a drum of the studio into a kit; one that is in it already stays as it is."""
    drums.get(db, _studio_of(db, session_id), drum_id)
    available = next((d for d in listing(db, session_id) if d.drum_id == drum_id), None)
    if available is not None:
        return available
    row = KitSlotRow(session_id=session_id, drum_id=drum_id, part=voice)
    db.add(row)
    db.flush()
    return _one(db, row.id)


def wearing(db: Session, studio_id: int, head: str) -> list[str]:
    """Return the names of the studio's drums with a head on them, those removed included."""
    query = drums.with_heads(select(DrumRow.name)).where(
        DrumRow.studio_id == studio_id,
        (drums.Batter.construction == head) | (drums.Reso.construction == head),
    )
    return list(db.execute(query.order_by(DrumRow.id)).scalars())


def get(db: Session, session_id: int, slot_id: int) -> KitDrum:
    """Return one drum of a kit, or raise ``NotFoundError``."""
    _slot(db, slot_id, session_id)
    return _one(db, slot_id)


def change(
    db: Session, session_id: int, slot_id: int, owned: OwnedDrum, *, lent_by: str | None = None
) -> KitDrum:
    """Change a drum of a kit, and so in every kit it is in."""
    slot = _slot(db, slot_id, session_id)
    drums.change(db, _studio_of(db, session_id), slot.drum_id, owned, lent_by=lent_by)
    return _one(db, slot_id)


def assign(db: Session, slot_id: int, voice: str | None, *, also: bool = False) -> KitDrum:
    """Let a drum play a voice; the drum that played it before plays none.

    With ``also`` it plays the voice next to the drum that does, or as a candidate for it.
    """
    row = _slot(db, slot_id)
    if voice is not None and not also:
        for other in _slots(db, row.session_id):
            if other.part == voice and not other.also:
                other.part = None
    row.part, row.also = voice, also and voice is not None
    return _one(db, slot_id)


def set_wish(db: Session, slot_id: int, wish: dict[str, Any]) -> KitDrum:
    """Keep what was asked of a drum by hand."""
    _slot(db, slot_id).wish = wish
    return _one(db, slot_id)


def set_stand(db: Session, session_id: int, slot_id: int, stand: str | None) -> None:
    """Keep where a drum stands."""
    _slot(db, slot_id, session_id).stand = stand
    db.flush()


def set_order(db: Session, session_id: int, slot_ids: Sequence[int]) -> None:
    """Keep the order of a kit's drums; those not named come last."""
    for place, slot_id in enumerate(slot_ids):
        _slot(db, slot_id, session_id).position = place
    db.flush()


def _slots(db: Session, session_id: int) -> list[KitSlotRow]:
    query = select(KitSlotRow).where(
        KitSlotRow.session_id == session_id, KitSlotRow.deleted_at.is_(None)
    )
    return list(db.execute(query.order_by(KitSlotRow.id)).scalars())


@read_once
def listing(db: Session, session_id: int) -> list[KitDrum]:
    """Return the drums of a kit in their order, else as they were added."""
    query = _query().where(KitSlotRow.session_id == session_id, KitSlotRow.deleted_at.is_(None))
    order = (KitSlotRow.position.asc().nulls_last(), KitSlotRow.id)
    return [_kit_drum(*row) for row in db.execute(query.order_by(*order))]


def listings(db: Session, session_ids: Sequence[int]) -> dict[int, list[KitDrum]]:
    """Return the drums of several kits, by session."""
    query = _query().where(KitSlotRow.session_id.in_(session_ids), KitSlotRow.deleted_at.is_(None))
    order = (KitSlotRow.position.asc().nulls_last(), KitSlotRow.id)
    result: dict[int, list[KitDrum]] = {}
    for row in db.execute(query.order_by(*order)):
        drum = _kit_drum(*row)
        result.setdefault(drum.session_id, []).append(drum)
    return result


def delete(db: Session, session_id: int, slot_id: int) -> KitDrum:
    """Take a drum out of the kit; it stays the studio's and can be brought back for 30 days."""
    result = get(db, session_id, slot_id)
    _slot(db, slot_id, session_id).deleted_at = datetime.now(UTC)
    db.flush()
    return result


def is_new_with(db: Session, slot_id: int) -> bool:
    """Whether a drum was made for a slot: it is in no other kit, and nothing was done on it."""
    row = db.get_one(KitSlotRow, slot_id)
    others = select(KitSlotRow.id).where(
        KitSlotRow.drum_id == row.drum_id, KitSlotRow.id != slot_id
    )
    work = select(SetupRow.id).where(SetupRow.drum_id == row.drum_id)
    return db.execute(others).first() is None and db.execute(work).first() is None


def restore(db: Session, session_id: int, slot_id: int) -> KitDrum:
    """Bring a drum back; if its voice was given to another drum meanwhile, it plays none."""
    row = db.get(KitSlotRow, slot_id)
    if row is None or row.session_id != session_id:
        raise NotFoundError("That drum is gone for good.")
    others = [s for s in _slots(db, session_id) if s.id != slot_id]
    if any(s.drum_id == row.drum_id for s in others):
        raise NotFoundError("That drum is in the kit already.")
    if not row.also and row.part in {s.part for s in others if not s.also}:
        row.part = None
    row.deleted_at = None
    return _one(db, slot_id)


@dataclass(frozen=True, slots=True)
class SavedKit:
    """A kit kept by name: the studio's drums in their order."""

    id: int
    name: str
    drum_ids: tuple[int, ...]


def save(db: Session, studio_id: int, name: str, drum_ids: Sequence[int]) -> SavedKit:
    """Keep a kit by name; one of the same name gives way."""
    for old in saved(db, studio_id):
        if old.name == name:
            delete_saved(db, studio_id, old.id)
    row = SavedKitRow(studio_id=studio_id, name=name, drums=list(drum_ids))
    db.add(row)
    db.flush()
    return SavedKit(row.id, name, tuple(drum_ids))


def saved(db: Session, studio_id: int) -> list[SavedKit]:
    """Return the kits kept by name, with those of their drums that are still there."""
    query = select(SavedKitRow).where(
        SavedKitRow.studio_id == studio_id, SavedKitRow.deleted_at.is_(None)
    )
    available = {d.id for d in drums.listing(db, studio_id)}
    return [
        SavedKit(
            row.id, row.name, tuple(d for d in row.drums if isinstance(d, int) and d in available)
        )
        for row in db.execute(query.order_by(SavedKitRow.name)).scalars()
    ]


def delete_saved(db: Session, studio_id: int, kit_id: int) -> None:
    """Forget a kit kept by name; its drums stay."""
    row = db.get(SavedKitRow, kit_id)
    if row is None or row.studio_id != studio_id:
        raise NotFoundError("That kit is not here any more.")
    row.deleted_at = datetime.now(UTC)
    db.flush()
