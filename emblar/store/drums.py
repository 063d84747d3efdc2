"""The drums of a session's kit."""

from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.core.planning.kit import OwnedDrum
from emblar.store.tables import DrumRow


@dataclass(frozen=True, slots=True)
class KitDrum:
    """A drum of the kit, the voice it is to play, and what was asked of it by hand."""

    id: int
    session_id: int
    owned: OwnedDrum
    voice: str | None
    wish: dict[str, Any] = field(default_factory=dict)


def _kit_drum(row: DrumRow) -> KitDrum:
    owned = OwnedDrum(
        name=row.name,
        kind=row.kind,  # type: ignore[arg-type]
        diameter_in=row.diameter_in,
        depth_in=row.depth_in,
        rods=row.rods,
        hoop=row.hoop,
        shell=row.shell,
        batter=row.batter,
        reso=row.reso,
        port_in=row.port_in,
        edge=row.edge,
        findings=tuple(row.findings or ()),
    )
    return KitDrum(row.id, row.session_id, owned, row.voice, dict(row.wish or {}))


def _row(db: Session, drum_id: int, session_id: int | None = None) -> DrumRow:
    row = db.get(DrumRow, drum_id)
    elsewhere = row is not None and session_id is not None and row.session_id != session_id
    if row is None or row.deleted_at is not None or elsewhere:
        raise NotFoundError("That drum is not in the kit any more.")
    return row


def _write(row: DrumRow, owned: OwnedDrum) -> None:
    row.name, row.kind = owned.name, owned.kind
    row.diameter_in, row.depth_in, row.rods = owned.diameter_in, owned.depth_in, owned.rods
    row.hoop, row.shell = owned.hoop, owned.shell
    row.batter, row.reso, row.port_in = owned.batter, owned.reso, owned.port_in
    row.edge, row.findings = owned.edge, list(owned.findings)


def add(db: Session, session_id: int, owned: OwnedDrum, voice: str | None) -> KitDrum:
    """Add a drum to a kit."""
    row = DrumRow(session_id=session_id, voice=voice)
    _write(row, owned)
    db.add(row)
    db.flush()
    return _kit_drum(row)


def wearing(db: Session, head: str) -> list[str]:
    """Return the names of drums of any kit with a head on them, those taken out included."""
    query = select(DrumRow.name).where((DrumRow.batter == head) | (DrumRow.reso == head))
    return list(db.execute(query.order_by(DrumRow.id)).scalars())


def get(db: Session, session_id: int, drum_id: int) -> KitDrum:
    """Return one drum of a session, or raise ``NotFoundError``."""
    return _kit_drum(_row(db, drum_id, session_id))


def change(db: Session, session_id: int, drum_id: int, owned: OwnedDrum) -> KitDrum:
    """Change a drum of a session."""
    row = _row(db, drum_id, session_id)
    _write(row, owned)
    db.flush()
    return _kit_drum(row)


def assign(db: Session, drum_id: int, voice: str | None) -> KitDrum:
    """Let a drum play a voice; the drum that played it before plays none."""
    row = _row(db, drum_id)
    if voice is not None:
        for other in _rows(db, row.session_id):
            if other.voice == voice:
                other.voice = None
    row.voice = voice
    db.flush()
    return _kit_drum(row)


def set_wish(db: Session, drum_id: int, wish: dict[str, Any]) -> KitDrum:
    """Keep what was asked of a drum by hand."""
    row = _row(db, drum_id)
    row.wish = wish
    db.flush()
    return _kit_drum(row)


def _rows(db: Session, session_id: int) -> list[DrumRow]:
    query = select(DrumRow).where(DrumRow.session_id == session_id, DrumRow.deleted_at.is_(None))
    return list(db.execute(query.order_by(DrumRow.id)).scalars())


def listing(db: Session, session_id: int) -> list[KitDrum]:
    """Return the drums of a kit in the order they were added."""
    return [_kit_drum(row) for row in _rows(db, session_id)]


def delete(db: Session, session_id: int, drum_id: int) -> KitDrum:
    """Take a drum out of the kit; it can be brought back for 30 days."""
    row = _row(db, drum_id, session_id)
    row.deleted_at = datetime.now(UTC)
    return _kit_drum(row)


def restore(db: Session, session_id: int, drum_id: int) -> KitDrum:
    """Bring a drum back; if its voice was given to another drum meanwhile, it plays none."""
    row = db.get(DrumRow, drum_id)
    if row is None or row.session_id != session_id:
        raise NotFoundError("That drum is gone for good.")
    taken = {other.voice for other in _rows(db, row.session_id)}
    row.voice = None if row.voice in taken else row.voice
    row.deleted_at = None
    db.flush()
    return _kit_drum(row)
