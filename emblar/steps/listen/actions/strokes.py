"""Strokes corrected by ear: moved, put in, taken out; toms split and merged; the card follows.

A correction is kept at once, with the revision it makes; the drums it touches are measured anew
right after (``measuring``). The last correction that stands can be undone, at any time.
"""

import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.analysis.corrections import (
    Edit,
    Seen,
    applied,
    give_voice,
    merge_tom,
    move,
    put_in,
    split_tom,
    take_out,
    take_out_voice,
)
from emblar.core.analysis.signal.audio import Audio, one_channel
from emblar.core.analysis.signal.low_band import StrokeSpan, low_band
from emblar.core.analysis.voices.clustering import stroke_pitch_hz
from emblar.core.analysis.voices.decide import levels_db
from emblar.core.errors import ConflictError, InputError
from emblar.formats.analysis import (
    AnalysisFile,
    analysis_from_document,
    edit_document,
    edit_from_document,
    with_strokes,
)
from emblar.platform.studio import Studio, in_session
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.listen import queries as store
from emblar.steps.listen.actions.measuring import measured_piece, measured_sound, spans_of
from emblar.steps.listen.queries import RecordingInfo, Region
from emblar.steps.listen.queue import defer_measuring

Hits = Sequence[AnalysedHit]
Sound = Callable[[], Audio]
SPAN_S = 0.4
PIECE_S = 0.2
SILENT_DB = -120.0
TOGETHER = "together"
"""In a correction's document: what was corrected in several files at once bears one token."""


def move_strokes(studio: Studio, session_id: int, seen: Sequence[Seen], voice: str) -> str:
    """Give strokes to another voice; return what was done in words.

    Raises
    ------
    ConflictError
        A stroke is not where it was seen any more; nothing was changed.
    """
    return _correct(studio, session_id, lambda hits, _: move(hits, seen, voice))


def take_out_strokes(studio: Studio, session_id: int, seen: Sequence[Seen]) -> str:
    """Take strokes out.

    Raises
    ------
    ConflictError
        A stroke is not where it was seen any more; nothing was changed.
    """
    return _correct(studio, session_id, lambda hits, _: take_out(hits, seen))


def put_in_stroke(studio: Studio, session_id: int, time_s: float, voice: str) -> str:
    """Put a stroke in where none was found."""
    with in_session(studio, session_id) as db:
        recording, file = _shown(db, session_id)
        if not 0.0 <= time_s < file.source.duration_s:
            raise InputError(
                f"{time_s:.2f} s is outside the recording: 0 to {file.source.duration_s:.2f} s.",
                field="time_s",
            )
        piece = measured_piece(db, recording, file, time_s, time_s + PIECE_S)
        level_db = (
            levels_db(one_channel(piece), np.array([0.0])) if len(piece.samples) else [SILENT_DB]
        )
        edit = put_in(file.hits, time_s, voice, float(level_db[0]))
        _keep(db, recording, file, edit)
    return edit.says


def split(studio: Studio, session_id: int, voice: str) -> str:
    """Make two toms of one, by pitch."""

    def edit(hits: Hits, sound: Sound) -> Edit:
        low = low_band(one_channel(sound()))
        times = [h.time_s for h in hits if h.voice == voice]
        pitches = [stroke_pitch_hz(low, StrokeSpan(t, SPAN_S)) for t in times]
        return split_tom(hits, voice, pitches)

    return _correct(studio, session_id, edit)


def merge(studio: Studio, session_id: int, voice: str) -> str:
    """Make one tom of this and the next lower one."""
    return _correct(studio, session_id, lambda hits, _: merge_tom(hits, voice))


def remove_voice(studio: Studio, session_id: int, voice: str) -> str:
    """Take a drum out that is not on the record, with all its strokes in every file."""
    return _everywhere(studio, session_id, voice, lambda hits: take_out_voice(hits, voice))


def rename_voice(studio: Studio, session_id: int, voice: str, to: str) -> str:
    """Give all strokes of a drum, in every file of the record, to another one."""
    return _everywhere(studio, session_id, voice, lambda hits: give_voice(hits, voice, to))


def _everywhere(studio: Studio, session_id: int, voice: str, make: Callable[[Hits], Edit]) -> str:
    """Make an edit in every file that has a drum; it is undone in all of them together."""
    with in_session(studio, session_id) as db:
        recording, file = _shown(db, session_id)
        edit = make(file.hits)
        others = [
            (other, result)
            for other, result in _other_files(db, recording)
            if any(h.voice == voice for h in result.hits)
        ]
        token = secrets.token_hex(8) if others else ""
        for other, result in others:
            _keep(db, other, result, make(result.hits), token=token)
        _keep(db, recording, file, edit, token=token)
    where = f" in {len(others) + 1} files" if others else ""
    return f"{edit.says}{where}"


def _other_files(db: Session, shown: RecordingInfo) -> list[tuple[RecordingInfo, AnalysisFile]]:
    """Return the record's other files and what was found in them, locked for a correction."""
    result = []
    for other in store.files(db, shown.session_id):
        if other.id != shown.id:
            store.lock(db, other.id)
            document = store.analysis_document(db, other.id)
            result.append((other, analysis_from_document(document)))
    return result


@dataclass(frozen=True, slots=True)
class LastCorrection:
    """The last correction that stands, in words, and the revision of the recording's strokes."""

    says: str
    count: int


def take_back(studio: Studio, session_id: int, seen: int | None = None) -> str:
    """Undo the last correction that stands.

    Parameters
    ----------
    studio, session_id
        Whose record.
    seen
        The revision the person saw when asking for it, if known.

    Raises
    ------
    InputError
        There is none.
    ConflictError
        Others were made or undone meanwhile; nothing was changed.
    """
    with in_session(studio, session_id) as db:
        recording, file = _shown(db, session_id)
        standing = store.standing(db, recording.id)
        if not standing:
            raise InputError("There is no correction to undo.")
        if seen is not None and seen != store.revision(db, recording.id):
            raise ConflictError(
                "Another correction was made or undone meanwhile, perhaps in another window. "
                "Nothing was changed; load the page again."
            )
        last = standing[-1]
        edit = edit_from_document(last.document).undone()
        if token := last.document.get(TOGETHER):
            _undo_elsewhere(db, recording, token)
        _keep(db, recording, file, edit, undoes=last.revision)
    return f"Undone: {edit.says}"


def _undo_elsewhere(db: Session, shown: RecordingInfo, token: str) -> None:
    """Undo what was done in other files together with a correction, where nothing came after it."""
    for other, result in _other_files(db, shown):
        standing = store.standing(db, other.id)
        if standing and standing[-1].document.get(TOGETHER) == token:
            edit = edit_from_document(standing[-1].document).undone()
            _keep(db, other, result, edit, undoes=standing[-1].revision)


def last_correction(studio: Studio, session_id: int) -> LastCorrection | None:
    """Return the last correction that stands, or None."""
    with in_session(studio, session_id) as db:
        recording = store.shown(db, session_id)
        standing = store.standing(db, recording.id) if recording else []
        if recording is None or not standing:
            return None
        revision = store.revision(db, recording.id)
    return LastCorrection(str(standing[-1].document.get("says", "A correction")), revision)


def _correct(studio: Studio, session_id: int, make: Callable[[Hits, Sound], Edit]) -> str:
    """Make an edit and keep it, or nothing; the drums it touches are measured anew after that."""
    with in_session(studio, session_id) as db:
        recording, file = _shown(db, session_id)
        edit = make(file.hits, lambda: measured_sound(db, recording, file))
        _keep(db, recording, file, edit)
    return edit.says


def _keep(
    db: Session,
    recording: RecordingInfo,
    file: AnalysisFile,
    edit: Edit,
    *,
    undoes: int | None = None,
    token: str = "",
) -> None:
    hits = applied(file.hits, edit)
    corrected = with_strokes(file, hits, edit.voices(), spans_of(recording.regions))
    store.correct(
        db,
        recording.id,
        analysis=corrected.model_dump(by_alias=True),
        document=edit_document(edit) | ({TOGETHER: token} if token else {}),
        undoes=undoes,
    )
    _follow(db, recording.session_id, edit)
    defer_measuring(db, recording.id)


def _shown(db: Session, session_id: int) -> tuple[RecordingInfo, AnalysisFile]:
    """Return the file whose strokes are shown, and what was found in it.

    Others who correct it wait until this transaction has ended.
    """
    recording = store.shown(db, session_id)
    if recording is None or recording.audio_id is None:
        raise InputError("There is no analysed recording yet. Add one in Listen.")
    store.lock(db, recording.id)
    return recording, analysis_from_document(store.analysis_document(db, recording.id))


def name_region(
    studio: Studio, session_id: int, name: str, start_s: float, stop_s: float, *, measure: bool
) -> str:
    """Name a stretch of the recording; with ``measure`` drums are measured in such ones only."""
    name = name.strip()
    if not name:
        raise InputError("Give the stretch a name, for example “verse, alone”.")
    if not 0.0 <= start_s < stop_s:
        raise InputError(f"A stretch from {start_s:.2f} to {stop_s:.2f} s is empty.")
    region = Region(name, round(start_s, 3), round(stop_s, 3), measure)
    _with_regions(studio, session_id, lambda old: [*(r for r in old if r.name != name), region])
    return f"“{name}” saved"


def forget_region(studio: Studio, session_id: int, name: str) -> str:
    """Take a named stretch away."""
    _with_regions(studio, session_id, lambda old: [r for r in old if r.name != name])
    return f"“{name}” removed"


def _with_regions(
    studio: Studio, session_id: int, change: Callable[[Sequence[Region]], Sequence[Region]]
) -> None:
    """Keep other regions and, where it matters, have every voice measured anew."""
    with in_session(studio, session_id) as db:
        recording, file = _shown(db, session_id)
        regions = change(recording.regions)
        store.set_regions(db, recording.id, regions)
        if spans_of(regions) != spans_of(recording.regions):
            hits = file.hits
            marked = with_strokes(file, hits, {h.voice for h in hits}, spans_of(regions))
            store.keep_analysis(db, recording.id, marked.model_dump(by_alias=True))
            defer_measuring(db, recording.id)


def _follow(db: Session, session_id: int, edit: Edit) -> None:
    """Let drums that play toms follow where a tom got another number."""
    goes = dict(edit.renamed)
    moved = [d for d in kit_store.listing(db, session_id) if d.voice in goes]
    for drum in moved:
        kit_store.assign(db, drum.id, None)
    for drum in moved:
        kit_store.assign(db, drum.id, goes[drum.voice or ""], also=drum.also)
