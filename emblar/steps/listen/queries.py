"""Recording: recordings to sound like, their progress and their analyses."""

import contextlib
import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import String, delete, func, literal_column, select, text, update
from sqlalchemy.orm import Session

from emblar.core.errors import NotFoundError
from emblar.platform.database import read_once
from emblar.platform.tables import AudioRow, CorrectionRow, RecordingRow, SessionRow

ACTIVE = ("waiting", "running")


@dataclass(frozen=True, slots=True)
class Region:
    """A named stretch of a recording, s; if ``measure``, drums are measured in such ones only."""

    name: str
    start_s: float
    stop_s: float
    measure: bool


@dataclass(frozen=True, slots=True)
class Correction:
    """A correction: the revision it made, and what was changed."""

    revision: int
    document: dict[str, Any]


@dataclass(frozen=True, slots=True)
class RecordingInfo:
    """A recording and how far its analysis is."""

    id: int
    session_id: int
    audio_id: int | None
    filename: str
    kind: str
    state: str
    stage: str
    share: float
    message: str
    attempts: int
    drums_audio_id: int | None = None
    rest_audio_id: int | None = None
    main_id: int | None = None
    """The recording this one is another file of, or None."""
    voice: str | None = None
    """Of a file of single strokes: the drum they are on, or None to tell by ear."""
    regions: tuple["Region", ...] = ()
    analysis_version: int | None = None
    created_at: datetime | None = None
    opened_at: datetime | None = None
    setup_id: int | None = None
    """Of a take: the setup that the drum was in."""

    @property
    def active(self) -> bool:
        """Whether the analysis is waiting or running."""
        return self.state in ACTIVE


def _regions(stored: Any) -> tuple[Region, ...]:
    """Return the stretches that are kept with a recording, as far as they can be read."""
    result = []
    for row in stored if isinstance(stored, list) else ():
        with contextlib.suppress(TypeError, KeyError, ValueError):
            start_s, stop_s = float(row["start_s"]), float(row["stop_s"])
            result.append(Region(str(row["name"]), start_s, stop_s, bool(row["measure"])))
    return tuple(result)


def _info(row: RecordingRow) -> RecordingInfo:
    return RecordingInfo(
        row.id,
        row.session_id,
        row.audio_id,
        row.filename,
        row.kind,
        row.state,
        row.stage,
        row.share,
        row.message,
        row.attempts,
        row.drums_audio_id,
        row.rest_audio_id,
        row.main_id,
        row.voice,
        _regions(row.regions),
        row.analysis_version,
        row.created_at,
        row.opened_at,
        row.setup_id,
    )


def _row(db: Session, recording_id: int, session_id: int | None = None) -> RecordingRow:
    query = select(RecordingRow).where(
        RecordingRow.id == recording_id, RecordingRow.deleted_at.is_(None)
    )
    if session_id is not None:
        query = query.where(RecordingRow.session_id == session_id)
    row = db.execute(query).scalar_one_or_none()
    if row is None:
        raise NotFoundError(f"There is no recording {recording_id}. It may have been deleted.")
    return row


def create(
    db: Session,
    *,
    session_id: int,
    audio_id: int,
    filename: str,
    kind: str,
    main_id: int | None = None,
    voice: str | None = None,
    take_of: tuple[int, int] | None = None,
    pad_id: int | None = None,
) -> RecordingInfo:
    """Add a recording to a session, its analysis waiting.

    ``take_of`` are the drum and the setup that a take was made of, ``pad_id`` the pad; without
    either it is of the record.
    """
    row = RecordingRow(
        session_id=session_id,
        audio_id=audio_id,
        filename=filename,
        kind=kind,
        state="waiting",
        main_id=main_id,
        voice=voice,
        regions=[],
        purpose="take" if take_of or pad_id else "record",
        pad_id=pad_id,
        drum_id=take_of[0] if take_of else None,
        setup_id=take_of[1] if take_of else None,
    )
    if row.purpose == "take":
        row.take_number = _next_take_number(db, row)
    db.add(row)
    db.flush()
    db.refresh(row)
    return _info(row)


def get(db: Session, recording_id: int, session_id: int | None = None) -> RecordingInfo:
    """Return one recording, of a session if one is given, or raise ``NotFoundError``."""
    return _info(_row(db, recording_id, session_id))


@read_once
def latest(db: Session, session_id: int) -> RecordingInfo | None:
    """Return the newest recording of a session that was not cancelled."""
    row = db.execute(
        select(RecordingRow)
        .where(
            RecordingRow.session_id == session_id,
            RecordingRow.purpose == "record",
            RecordingRow.deleted_at.is_(None),
            RecordingRow.state != "cancelled",
        )
        .order_by(RecordingRow.id.desc())
        .limit(1)
    ).scalar_one_or_none()
    return _info(row) if row else None


def with_sound(
    db: Session, session_id: int, audio_id: int, kind: str, voice: str | None
) -> RecordingInfo | None:
    """Return a file of a session's newest record that is a sound read the same way, or None."""
    available = {file.id: file for file in files(db, session_id)}
    newest = latest(db, session_id)
    if newest is not None and newest.active:
        available[newest.id] = newest
    same = audio_id, kind, voice
    return next((f for f in available.values() if (f.audio_id, f.kind, f.voice) == same), None)


def waiting_beside(db: Session, recording_id: int) -> tuple[int, int]:
    """Return the studio of a recording, and how many others of it wait to be analysed."""
    studio = select(SessionRow.studio_id).join(
        RecordingRow, RecordingRow.session_id == SessionRow.id
    )
    studio_id = db.execute(studio.where(RecordingRow.id == recording_id)).scalar_one()
    others = (
        select(func.count())
        .select_from(RecordingRow)
        .join(SessionRow, SessionRow.id == RecordingRow.session_id)
        .where(
            SessionRow.studio_id == studio_id,
            RecordingRow.state == "waiting",
            RecordingRow.deleted_at.is_(None),
            RecordingRow.id != recording_id,
        )
    )
    return studio_id, db.execute(others).scalar_one()


@read_once
def newest_cancelled(db: Session, session_id: int) -> RecordingInfo | None:
    """Return the newest recording of a session if it was cancelled, else None."""
    query = select(RecordingRow).where(
        RecordingRow.session_id == session_id,
        RecordingRow.purpose == "record",
        RecordingRow.deleted_at.is_(None),
    )
    row = db.execute(query.order_by(RecordingRow.id.desc()).limit(1)).scalar_one_or_none()
    return _info(row) if row is not None and row.state == "cancelled" else None


@read_once
def files(db: Session, session_id: int) -> list[RecordingInfo]:
    """Return the analysed files of the session's newest record: the first brought comes first."""
    rows = db.execute(
        select(RecordingRow)
        .where(
            RecordingRow.session_id == session_id,
            RecordingRow.purpose == "record",
            RecordingRow.deleted_at.is_(None),
            RecordingRow.state == "done",
        )
        .order_by(RecordingRow.id)
    ).scalars()
    done = [_info(row) for row in rows]
    mains = [info for info in done if info.main_id is None]
    if not mains:
        return []
    return [info for info in done if mains[-1].id in (info.id, info.main_id)]


def takes(
    db: Session, session_id: int, drum_id: int | None = None, *, pad_id: int | None = None
) -> list[RecordingInfo]:
    """Return the takes of a drum, or of a pad, in a session, the oldest first."""
    owner = RecordingRow.drum_id == drum_id if pad_id is None else RecordingRow.pad_id == pad_id
    query = select(RecordingRow).where(
        RecordingRow.session_id == session_id,
        owner,
        RecordingRow.purpose == "take",
        RecordingRow.deleted_at.is_(None),
        RecordingRow.state != "cancelled",
    )
    return [_info(row) for row in db.execute(query.order_by(RecordingRow.id)).scalars()]


def _next_take_number(db: Session, row: RecordingRow) -> int:
    last = select(func.max(RecordingRow.take_number)).where(
        RecordingRow.session_id == row.session_id,
        RecordingRow.drum_id.is_not_distinct_from(row.drum_id),
        RecordingRow.pad_id.is_not_distinct_from(row.pad_id),
    )
    return (db.execute(last).scalar_one() or 0) + 1


def take_numbers(db: Session, session_id: int) -> dict[int, int]:
    """Return the number of each take of a session's drums and pads, by recording.

    A take keeps its number when others are removed or deleted for good.
    """
    query = select(RecordingRow.id, RecordingRow.take_number).where(
        RecordingRow.session_id == session_id, RecordingRow.purpose == "take"
    )
    return {recording_id: number or 0 for recording_id, number in db.execute(query)}


@read_once
def shown(db: Session, session_id: int) -> RecordingInfo | None:
    """Return the file whose strokes are shown: the one opened last.

    If none was opened: drums alone before a mix, single strokes last.
    """
    result = files(db, session_id)
    return first_shown(result) if result else None


def first_shown(recordings: Sequence[RecordingInfo]) -> RecordingInfo:
    """Return the file of these whose strokes are shown, of at least one."""
    opened = [(f.opened_at, f) for f in recordings if f.opened_at is not None]
    if opened:
        return max(opened, key=lambda pair: pair[0])[1]
    order = {"drums": 0, "auto": 1, "mix": 2, "hit": 3}
    return min(recordings, key=lambda f: (order[f.kind], f.id))


def open_file(db: Session, recording_id: int) -> None:
    """Have a file's strokes shown from now on."""
    _row(db, recording_id).opened_at = datetime.now(UTC)
    db.flush()


def take_away(db: Session, recording_id: int) -> RecordingInfo:
    """Take a file away from its record; it can be brought back for 30 days."""
    row = _row(db, recording_id)
    row.deleted_at = datetime.now(UTC)
    neighbours = select(RecordingRow).where(
        RecordingRow.main_id == recording_id, RecordingRow.deleted_at.is_(None)
    )
    others = list(db.execute(neighbours.order_by(RecordingRow.id)).scalars())
    for other in others:
        other.main_id = others[0].id if other is not others[0] else None
    row.main_id = others[0].id if others else row.main_id
    db.flush()
    return _info(row)


def bring_back(db: Session, recording_id: int, session_id: int) -> RecordingInfo:
    """Add a file of a session back that was taken away."""
    row = db.get(RecordingRow, recording_id)
    if row is None or row.session_id != session_id:
        raise NotFoundError("That file is gone for good.")
    row.deleted_at = None
    db.flush()
    return _info(row)


def sounds(db: Session, session_id: int) -> set[int]:
    """Return the sounds of a session's recordings: as brought, the drums, the drumless rest."""
    columns = (RecordingRow.audio_id, RecordingRow.drums_audio_id, RecordingRow.rest_audio_id)
    rows = db.execute(select(*columns).where(RecordingRow.session_id == session_id))
    return {audio_id for row in rows for audio_id in row if audio_id is not None}


def set_regions(db: Session, recording_id: int, regions: Sequence[Region]) -> None:
    """Keep the named regions of a recording."""
    _row(db, recording_id).regions = [asdict(region) for region in regions]
    db.flush()


def analysis_document(db: Session, recording_id: int) -> dict[str, Any]:
    """Return the analysis of an analysed recording."""
    query = select(RecordingRow.analysis).where(
        RecordingRow.id == recording_id, RecordingRow.deleted_at.is_(None)
    )
    result = db.execute(query).scalar_one_or_none()
    if result is None:
        raise NotFoundError("That recording is not analysed yet.")
    return dict(result)


def peaks(db: Session, recording_id: int) -> dict[str, Any]:
    """Return the waveform's peaks of an analysed recording."""
    result = db.execute(
        select(RecordingRow.peaks).where(RecordingRow.id == recording_id)
    ).scalar_one_or_none()
    if result is None:
        raise NotFoundError("That recording is not analysed yet.")
    return dict(result)


@read_once
def versions(db: Session, recording_ids: Sequence[int]) -> dict[int, str]:
    """Return what changes with every change of a recording, by id."""
    mark = literal_column("recording.xmin::text || recording.ctid::text", String)
    rows = db.execute(select(RecordingRow.id, mark).where(RecordingRow.id.in_(recording_ids)))
    return {row[0]: row[1] for row in rows}


def is_measuring(db: Session, recording_id: int) -> bool:
    """Whether drums of a recording were corrected since they were measured."""
    query = select(RecordingRow.analysis["measuring"]).where(
        RecordingRow.id == recording_id, RecordingRow.deleted_at.is_(None)
    )
    return bool(db.execute(query).scalar_one_or_none())


def quiet_s(db: Session, recording_id: int) -> float:
    """Return for how long a recording was not changed, s."""
    age = func.extract("epoch", func.clock_timestamp() - RecordingRow.updated_at)
    result = db.execute(select(age).where(RecordingRow.id == recording_id)).scalar_one_or_none()
    return float(result) if result is not None else math.inf


def lock(db: Session, recording_id: int) -> None:
    """Let whoever corrects a recording wait for those who began before, until they are done."""
    db.execute(select(RecordingRow.id).where(RecordingRow.id == recording_id).with_for_update())


def revision(db: Session, recording_id: int) -> int:
    """Return how many corrections, undone ones and undoings among them, were made."""
    return _row(db, recording_id).revision


def keep_analysis(db: Session, recording_id: int, analysis: dict[str, Any]) -> None:
    """Keep an analysis that was measured anew."""
    _change(db, recording_id, {"analysis": analysis})


def correct(
    db: Session,
    recording_id: int,
    *,
    analysis: dict[str, Any],
    document: dict[str, Any],
    undoes: int | None = None,
) -> int:
    """Keep a corrected analysis and the correction that led to it; return the new revision."""
    current = _change(
        db, recording_id, {"analysis": analysis, "revision": RecordingRow.revision + 1}
    )
    db.add(
        CorrectionRow(recording_id=recording_id, revision=current, undoes=undoes, document=document)
    )
    db.flush()
    return current


def redo(
    db: Session, recording_id: int, correction: Correction, document: dict[str, Any] | None
) -> None:
    """Keep a correction as it was made on strokes found anew; None if it could not be: undone."""
    if document is None:
        current = _change(db, recording_id, {"revision": RecordingRow.revision + 1})
        db.add(
            CorrectionRow(
                recording_id=recording_id,
                revision=current,
                undoes=correction.revision,
                document=correction.document,
            )
        )
    else:
        db.execute(
            update(CorrectionRow)
            .where(
                CorrectionRow.recording_id == recording_id,
                CorrectionRow.revision == correction.revision,
            )
            .values(document=document)
        )
    db.flush()


def outdated(db: Session, version: int, task: str) -> list[int]:
    """Return analysed recordings of an earlier version that no job is on the queue to renew."""
    no_job = text(
        "not exists (select 1 from procrastinate_jobs j where j.task_name = :task"
        " and j.args ->> 'recording_id' = recording.id::text and j.status in ('todo', 'doing'))"
    ).bindparams(task=task)
    query = select(RecordingRow.id).where(
        RecordingRow.state == "done",
        RecordingRow.deleted_at.is_(None),
        RecordingRow.analysis_version < version,
        no_job,
    )
    return list(db.execute(query.order_by(RecordingRow.id.desc())).scalars())


def _change(db: Session, recording_id: int, values: dict[str, Any]) -> int:
    statement = update(RecordingRow).where(RecordingRow.id == recording_id).values(values)
    return db.execute(statement.returning(RecordingRow.revision)).scalar_one()


def standing(db: Session, recording_id: int) -> list[Correction]:
    """Return the corrections that were not undone, oldest first."""
    query = select(CorrectionRow).where(CorrectionRow.recording_id == recording_id)
    rows = list(db.execute(query.order_by(CorrectionRow.revision)).scalars())
    gone = {row.undoes for row in rows}
    return [
        Correction(row.revision, row.document)
        for row in rows
        if row.undoes is None and row.revision not in gone
    ]


def start(db: Session, recording_id: int, *, most_attempts: int) -> RecordingInfo | None:
    """Mark an analysis as running; None if it is finished or cancelled meanwhile.

    One that was started ``most_attempts`` times already is failed instead.
    """
    row = _row(db, recording_id)
    if row.state not in ACTIVE:
        return None
    if row.attempts >= most_attempts:
        row.state = "failed"
        db.flush()
        return _info(row)
    row.state, row.attempts = "running", row.attempts + 1
    row.stage, row.share = "starting", 0.0
    db.flush()
    return _info(row)


def progress(db: Session, recording_id: int, stage: str, share: float) -> bool:
    """Record how far an analysis is; False if it was cancelled meanwhile."""
    changed = db.execute(
        update(RecordingRow)
        .where(RecordingRow.id == recording_id, RecordingRow.state == "running")
        .values(stage=stage, share=share)
        .returning(RecordingRow.id)
    ).scalar_one_or_none()
    return changed is not None


def finish(
    db: Session,
    recording_id: int,
    *,
    analysis: dict[str, Any],
    peaks: dict[str, Any],
    version: int,
    parts: tuple[int, int] | None = None,
    state: str = "running",
) -> bool:
    """Keep a finished analysis whole; False, and nothing kept, if it was cancelled meanwhile.

    ``parts`` are the sounds of the drums and of the drumless rest, of a full mix.
    """
    changed = db.execute(
        update(RecordingRow)
        .where(RecordingRow.id == recording_id, RecordingRow.state == state)
        .values(
            state="done",
            stage="",
            share=1.0,
            message="",
            analysis=analysis,
            peaks=peaks,
            drums_audio_id=parts[0] if parts else None,
            rest_audio_id=parts[1] if parts else None,
            analysis_version=version,
        )
        .returning(RecordingRow.id)
    ).scalar_one_or_none()
    return changed is not None


def restart(db: Session, recording_id: int) -> None:
    """Have an analysis that has ended wait again, its tries counted anew."""
    row = _row(db, recording_id)
    row.state, row.stage, row.share, row.message, row.attempts = "waiting", "", 0.0, "", 0
    db.flush()


def without_job(db: Session, task: str) -> list[int]:
    """Return analyses that wait or run though no job of theirs is on the queue or being done."""
    no_job = text(
        "not exists (select 1 from procrastinate_jobs j where j.task_name = :task"
        " and j.args ->> 'recording_id' = recording.id::text and j.status in ('todo', 'doing'))"
    ).bindparams(task=task)
    query = (
        select(RecordingRow.id)
        .where(RecordingRow.state.in_(ACTIVE), RecordingRow.deleted_at.is_(None), no_job)
        .with_for_update(skip_locked=True)
    )
    return list(db.execute(query).scalars())


def fail(db: Session, recording_id: int, message: str, *, keep: bool) -> None:
    """Mark an analysis as failed, with what to do; its sound is let go unless it is to be kept."""
    row = _row(db, recording_id)
    row.state, row.message = "failed", message
    if keep:
        return
    let_go, row.audio_id = row.audio_id, None
    db.flush()
    used = select(RecordingRow.id).where(RecordingRow.audio_id == let_go).limit(1)
    if let_go is not None and db.execute(used).first() is None:
        db.execute(delete(AudioRow).where(AudioRow.id == let_go))


def cancel(db: Session, recording_id: int) -> None:
    """Cancel an analysis that is waiting or running."""
    row = _row(db, recording_id)
    if row.state in ACTIVE:
        row.state = "cancelled"
