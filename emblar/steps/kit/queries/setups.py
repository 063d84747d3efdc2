"""Setups, what a drum was like at one time, and the pitches measured on it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.database import read_once
from emblar.platform.tables import DrumRow, MeasurementRow, SetupRow


@dataclass(frozen=True, slots=True)
class SetupInfo:
    """A drum at one time: never changed; the next one has it as its parent."""

    id: int
    drum_id: int
    session_id: int | None
    parent_id: int | None
    origin: str
    document: dict[str, Any]
    note: str
    picture_id: int | None
    created_at: datetime


@dataclass(frozen=True, slots=True)
class MeasurementInfo:
    """A pitch read on a drum as it was set up; without side and rod it is the drum's."""

    id: int
    setup_id: int
    what: str
    side: str | None
    rod: int | None
    hz: float
    sd_hz: float
    how: str
    created_at: datetime


def _setup(row: SetupRow) -> SetupInfo:
    return SetupInfo(
        row.id,
        row.drum_id,
        row.session_id,
        row.parent_id,
        row.origin,
        dict(row.document),
        row.note,
        row.picture_id,
        row.created_at,
    )


def _measurement(row: MeasurementRow) -> MeasurementInfo:
    return MeasurementInfo(
        row.id,
        row.setup_id,
        row.what,
        row.side,
        row.rod,
        row.hz,
        row.sd_hz,
        row.how,
        row.created_at,
    )


def add(
    db: Session,
    drum_id: int,
    document: dict[str, Any],
    *,
    origin: str,
    session_id: int | None = None,
    parent_id: int | None = None,
    note: str = "",
) -> SetupInfo:
    """Keep what a drum is like now."""
    row = SetupRow(
        drum_id=drum_id,
        document=document,
        origin=origin,
        session_id=session_id,
        parent_id=parent_id,
        note=note,
    )
    db.add(row)
    db.flush()
    db.refresh(row)
    return _setup(row)


def get(db: Session, studio_id: int, setup_id: int) -> SetupInfo:
    """Return one setup of a studio's drums, or raise ``NotFoundError``."""
    query = select(SetupRow).join(DrumRow, DrumRow.id == SetupRow.drum_id)
    row = db.execute(
        query.where(
            SetupRow.id == setup_id, SetupRow.deleted_at.is_(None), DrumRow.studio_id == studio_id
        )
    ).scalar_one_or_none()
    if row is None:
        raise NotFoundError("That setup is not here any more.")
    return _setup(row)


def _kept(drum_id: int) -> Select[SetupRow]:
    return select(SetupRow).where(SetupRow.drum_id == drum_id, SetupRow.deleted_at.is_(None))


def take_back(db: Session, setup_id: int) -> None:
    """Take a drum's newest setup back."""
    db.get_one(SetupRow, setup_id).deleted_at = datetime.now(UTC)
    db.flush()


@read_once
def listing(db: Session, drum_id: int) -> list[SetupInfo]:
    """Return a drum's setups, the oldest first: its journey."""
    query = _kept(drum_id).order_by(SetupRow.id)
    return [_setup(row) for row in db.execute(query).scalars()]


def latest(db: Session, drum_id: int) -> SetupInfo | None:
    """Return what a drum was like last, or None."""
    query = _kept(drum_id).order_by(SetupRow.id.desc())
    row = db.execute(query.limit(1)).scalar_one_or_none()
    return _setup(row) if row else None


def set_note(db: Session, setup_id: int, note: str) -> None:
    """Keep what was said of a drum as it is set up now."""
    db.get_one(SetupRow, setup_id).note = note


def set_picture(db: Session, setup_id: int, picture_id: int | None) -> None:
    """Keep a picture of a drum as it is set up, or none."""
    db.get_one(SetupRow, setup_id).picture_id = picture_id
    db.flush()


def measure(
    db: Session,
    setup_id: int,
    *,
    what: str,
    side: str | None,
    rod: int | None,
    hz: float,
    sd_hz: float,
    how: str,
) -> MeasurementInfo:
    """Keep a pitch that was read."""
    row = MeasurementRow(
        setup_id=setup_id, what=what, side=side, rod=rod, hz=hz, sd_hz=sd_hz, how=how
    )
    db.add(row)
    db.flush()
    db.refresh(row)
    return _measurement(row)


def measurements(db: Session, setup_ids: Sequence[int]) -> list[MeasurementInfo]:
    """Return what was read on setups, the oldest first."""
    query = select(MeasurementRow).where(
        MeasurementRow.setup_id.in_(setup_ids), MeasurementRow.deleted_at.is_(None)
    )
    return [_measurement(row) for row in db.execute(query.order_by(MeasurementRow.id)).scalars()]


def delete_measurement(db: Session, setup_id: int, measurement_id: int) -> None:
    """Take a reading back."""
    row = db.get(MeasurementRow, measurement_id)
    if row is None or row.setup_id != setup_id or row.deleted_at is not None:
        raise NotFoundError("That reading is not here any more.")
    row.deleted_at = datetime.now(UTC)
    db.flush()
