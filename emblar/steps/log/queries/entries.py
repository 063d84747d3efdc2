"""What was read, turned, fitted and recorded on a studio's drums, over all sessions."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from emblar.platform.tables import (
    DrumRow,
    FittingRow,
    HeadRow,
    MeasurementRow,
    RecordingRow,
    SessionRow,
    SetupRow,
)


@dataclass(frozen=True, slots=True)
class ReadingInfo:
    """A pitch that was read, with the drum and the session it belongs to."""

    drum_id: int
    setup_id: int
    session: str
    what: str
    side: str | None
    rod: int | None
    hz: float
    sd_hz: float
    how: str
    time: datetime
    note: str
    """What was said of the drum as it was set up."""


@dataclass(frozen=True, slots=True)
class SetupEntry:
    """A setup of a drum: where from, in which session, what it holds."""

    id: int
    drum_id: int
    session: str
    origin: str
    document: dict[str, object]
    time: datetime
    note: str


@dataclass(frozen=True, slots=True)
class HeadEntry:
    """A head that is or was on a drum."""

    drum_id: int
    side: str
    construction: str
    fitted_at: datetime | None
    removed_at: datetime | None


@dataclass(frozen=True, slots=True)
class TakeEntry:
    """A take of a drum."""

    drum_id: int
    session: str
    filename: str
    time: datetime


def readings(db: Session, studio_id: int, drum_id: int | None = None) -> list[ReadingInfo]:
    """Return every pitch read on a studio's drums, or on one of them, the oldest first."""
    m = MeasurementRow
    query = (
        select(
            SetupRow.drum_id,
            SetupRow.id,
            SessionRow.name,
            m.what,
            m.side,
            m.rod,
            m.hz,
            m.sd_hz,
            m.how,
            m.created_at,
            SetupRow.note,
        )
        .join(SetupRow, SetupRow.id == m.setup_id)
        .join(DrumRow, DrumRow.id == SetupRow.drum_id)
        .outerjoin(SessionRow, SessionRow.id == SetupRow.session_id)
        .where(
            DrumRow.studio_id == studio_id,
            DrumRow.deleted_at.is_(None),
            m.deleted_at.is_(None),
            SetupRow.deleted_at.is_(None),
        )
        .order_by(m.id)
    )
    if drum_id is not None:
        query = query.where(SetupRow.drum_id == drum_id)
    return [
        ReadingInfo(of, setup_id, session or "", *rest)
        for of, setup_id, session, *rest in db.execute(query)
    ]


def setups(db: Session, studio_id: int) -> list[SetupEntry]:
    """Return every setup of a studio's drums, the oldest first."""
    query = (
        select(SetupRow, SessionRow.name)
        .join(DrumRow, DrumRow.id == SetupRow.drum_id)
        .outerjoin(SessionRow, SessionRow.id == SetupRow.session_id)
        .where(
            DrumRow.studio_id == studio_id,
            DrumRow.deleted_at.is_(None),
            SetupRow.deleted_at.is_(None),
        )
        .order_by(SetupRow.id)
    )
    return [
        SetupEntry(
            row.id,
            row.drum_id,
            session or "",
            row.origin,
            dict(row.document),
            row.created_at,
            row.note,
        )
        for row, session in db.execute(query)
    ]


def heads(db: Session, studio_id: int) -> list[HeadEntry]:
    """Return which heads are and were on a studio's drums, the newest fitted first."""
    query = (
        select(FittingRow, HeadRow.construction)
        .join(HeadRow, HeadRow.id == FittingRow.head_id)
        .join(DrumRow, DrumRow.id == FittingRow.drum_id)
        .where(DrumRow.studio_id == studio_id, DrumRow.deleted_at.is_(None))
        .order_by(FittingRow.id.desc())
    )
    return [
        HeadEntry(row.drum_id, row.side, construction, row.fitted_at, row.removed_at)
        for row, construction in db.execute(query)
    ]


def takes(db: Session, studio_id: int) -> list[TakeEntry]:
    """Return every take of a studio's drums, the oldest first."""
    query = (
        select(RecordingRow, SessionRow.name)
        .join(DrumRow, DrumRow.id == RecordingRow.drum_id)
        .join(SessionRow, SessionRow.id == RecordingRow.session_id)
        .where(
            DrumRow.studio_id == studio_id,
            RecordingRow.purpose == "take",
            RecordingRow.deleted_at.is_(None),
            RecordingRow.state == "done",
        )
        .order_by(RecordingRow.id)
    )
    return [
        TakeEntry(row.drum_id or 0, session, row.filename, row.created_at)
        for row, session in db.execute(query)
    ]
