"""Sound bytes: kept once per content, read whole or in ranges."""

import hashlib
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.tables import AudioRow


@dataclass(frozen=True, slots=True)
class AudioInfo:
    """What is known of a sound without its bytes."""

    id: int
    sha256: str
    media_type: str
    size_bytes: int


def keep(db: Session, data: bytes, media_type: str) -> int:
    """Keep a sound and return its id; the same bytes are kept once."""
    digest = hashlib.sha256(data).hexdigest()
    statement = insert(AudioRow).values(
        sha256=digest, media_type=media_type, size_bytes=len(data), data=data
    )
    db.execute(statement.on_conflict_do_nothing(index_elements=["sha256"]))
    return db.execute(select(AudioRow.id).where(AudioRow.sha256 == digest)).scalar_one()


def info(db: Session, audio_id: int) -> AudioInfo:
    """Return what is known of a sound, or raise ``NotFoundError``."""
    row = db.execute(
        select(AudioRow.id, AudioRow.sha256, AudioRow.media_type, AudioRow.size_bytes).where(
            AudioRow.id == audio_id
        )
    ).one_or_none()
    if row is None:
        raise NotFoundError("That recording is not here any more.")
    return AudioInfo(*row)


def read_by_hash(db: Session, sha256: str) -> bytes:
    """Return a whole sound by the hash of its bytes, or raise ``NotFoundError``."""
    data = db.execute(select(AudioRow.data).where(AudioRow.sha256 == sha256)).scalar_one_or_none()
    if data is None:
        raise NotFoundError("That recording is not here any more.")
    return bytes(data)


def read(db: Session, audio_id: int, start: int, count: int) -> bytes:
    """Return ``count`` bytes from ``start`` on; reads only those from the disk."""
    piece = db.execute(
        select(func.substring(AudioRow.data, start + 1, count)).where(AudioRow.id == audio_id)
    ).scalar_one_or_none()
    if piece is None:
        raise NotFoundError("That recording is not here any more.")
    return bytes(piece)
