"""Strokes corrected by ear: moved, put in, taken out; toms split and merged; the card follows.

Every correction is kept with the reference and can be taken back, the last one first.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from emblar.actions.scope import Scope, in_session
from emblar.core.analysis.analyse import others_play_on, remeasure, voice_order
from emblar.core.analysis.audio import Audio, begins_at, one_channel
from emblar.core.analysis.clean import AnalysedHit
from emblar.core.analysis.edits import (
    Edit,
    Seen,
    applied,
    merge_tom,
    move,
    put_in,
    split_tom,
    take_out,
)
from emblar.core.analysis.frames import frames_of
from emblar.core.analysis.low_band import StrokeSpan, low_band
from emblar.core.analysis.membranes import stroke_pitch_hz
from emblar.core.analysis.voices import levels_db
from emblar.core.errors import ConflictError, InputError
from emblar.formats.analysis import (
    AnalysisFile,
    DecidedFile,
    HitFile,
    analysis_from_document,
    hit_file,
    hit_from_file,
    hits_from_file,
    voice_file,
)
from emblar.sound.decode import decode
from emblar.store import audio as audio_store
from emblar.store import kit as kit_store
from emblar.store import references as store
from emblar.store.references import ReferenceInfo, Region

Hits = Sequence[AnalysedHit]
SPAN_S = 0.4


def move_stroke(scope: Scope, session_id: int, seen: Seen, voice: str) -> str:
    """Give a stroke to another voice; return what was done in words.

    Raises
    ------
    ConflictError
        The stroke is not where it was seen any more; nothing was changed.
    """
    return _correct(scope, session_id, lambda hits, _: move(hits, seen, voice))


def take_out_stroke(scope: Scope, session_id: int, seen: Seen) -> str:
    """Take a stroke out.

    Raises
    ------
    ConflictError
        The stroke is not where it was seen any more; nothing was changed.
    """
    return _correct(scope, session_id, lambda hits, _: take_out(hits, seen))


def put_in_stroke(scope: Scope, session_id: int, time_s: float, voice: str) -> str:
    """Put a stroke in where none was found."""

    def edit(hits: Hits, audio: Audio) -> Edit:
        if not 0.0 <= time_s < audio.duration_s:
            raise InputError(
                f"{time_s:.2f} s is outside the recording: 0 to {audio.duration_s:.2f} s.",
                field="time_s",
            )
        at = levels_db(one_channel(audio), np.array([time_s]))
        return put_in(hits, time_s, voice, float(at[0]))

    return _correct(scope, session_id, edit)


def split(scope: Scope, session_id: int, voice: str) -> str:
    """Make two toms of one, by pitch."""

    def edit(hits: Hits, audio: Audio) -> Edit:
        low = low_band(one_channel(audio))
        times = [h.time_s for h in hits if h.voice == voice]
        pitches = [stroke_pitch_hz(low, StrokeSpan(t, SPAN_S)) for t in times]
        return split_tom(hits, voice, pitches)

    return _correct(scope, session_id, edit)


def merge(scope: Scope, session_id: int, voice: str) -> str:
    """Make one tom of this and the next lower one."""
    return _correct(scope, session_id, lambda hits, _: merge_tom(hits, voice))


@dataclass(frozen=True, slots=True)
class LastCorrection:
    """The last correction in words, and how many there are: which one a person saw."""

    says: str
    count: int


def take_back(scope: Scope, session_id: int, seen: int | None = None) -> str:
    """Take the last correction back.

    Parameters
    ----------
    seen
        How many corrections there were when the person asked for it, if known.

    Raises
    ------
    InputError
        There is none.
    ConflictError
        Others were made or taken back meanwhile; nothing was changed.
    """
    with in_session(scope, session_id) as db:
        reference, file, audio = _shown(db, session_id)
        history = store.edits(db, reference.id)
        if not history:
            raise InputError("There is no correction to take back.")
        if seen is not None and seen != len(history):
            raise ConflictError(
                "Another correction was made or taken back meanwhile, perhaps in another window. "
                "Nothing was changed; load the page again."
            )
        last = _edit_from(history[-1]).undone()
        _keep(db, reference, file, audio, last, history[:-1])
    return f"Taken back: {last.says}"


def last_correction(scope: Scope, session_id: int) -> LastCorrection | None:
    """Return the last correction, or None."""
    with in_session(scope, session_id) as db:
        reference = store.shown(db, session_id)
        history = store.edits(db, reference.id) if reference else []
    return LastCorrection(str(history[-1]["says"]), len(history)) if history else None


def _correct(scope: Scope, session_id: int, make: Callable[[Hits, Audio], Edit]) -> str:
    """Make an edit, measure the voices it touches anew and keep all of it, or nothing."""
    with in_session(scope, session_id) as db:
        reference, file, audio = _shown(db, session_id)
        edit = make(hits_from_file(file), audio)
        history = [*store.edits(db, reference.id), _edit_document(edit)]
        _keep(db, reference, file, audio, edit, history)
    return edit.says


def _keep(
    db: Session,
    reference: ReferenceInfo,
    file: AnalysisFile,
    audio: Audio,
    edit: Edit,
    history: list[dict[str, Any]],
) -> None:
    hits = applied(hits_from_file(file), edit)
    corrected = _measured(file, hits, edit.voices(), audio, reference)
    store.correct(db, reference.id, analysis=corrected.model_dump(by_alias=True), edits=history)
    _follow(db, reference.session_id, edit)


def _shown(db: Session, session_id: int) -> tuple[ReferenceInfo, AnalysisFile, Audio]:
    """Return the file whose strokes are shown, what was found in it, and the sound measured.

    Others who correct it wait until this transaction has ended.
    """
    reference = store.shown(db, session_id)
    if reference is None or reference.audio_id is None:
        raise InputError("There is no analysed recording yet. Bring one in Listen.")
    store.lock(db, reference.id)
    document, _ = store.documents(db, reference.id)
    file = analysis_from_document(document)
    drums_only = file.decided is not None and file.decided.of == "drums"
    sound = reference.drums_audio_id if drums_only else None
    audio_id = sound or reference.audio_id
    size = audio_store.info(db, audio_id).size_bytes
    return reference, file, decode(audio_store.read(db, audio_id, 0, size)).audio


def name_region(
    scope: Scope, session_id: int, name: str, start_s: float, stop_s: float, *, measure: bool
) -> str:
    """Name a stretch of the recording; with ``measure`` drums are measured in such ones only."""
    name = name.strip()
    if not name:
        raise InputError("Give the stretch a name, for example “verse, alone”.")
    if not 0.0 <= start_s < stop_s:
        raise InputError(f"A stretch from {start_s:.2f} to {stop_s:.2f} s is empty.")
    region = Region(name, round(start_s, 3), round(stop_s, 3), measure)
    _with_regions(scope, session_id, lambda old: [*(r for r in old if r.name != name), region])
    return f"“{name}” kept"


def forget_region(scope: Scope, session_id: int, name: str) -> str:
    """Take a named stretch away."""
    _with_regions(scope, session_id, lambda old: [r for r in old if r.name != name])
    return f"“{name}” taken away"


def _with_regions(
    scope: Scope, session_id: int, change: Callable[[Sequence[Region]], Sequence[Region]]
) -> None:
    """Keep other regions and, where it matters, measure every voice anew."""
    with in_session(scope, session_id) as db:
        reference, file, audio = _shown(db, session_id)
        regions = change(reference.regions)
        store.set_regions(db, reference.id, regions)
        if _spans(regions) != _spans(reference.regions):
            hits = hits_from_file(file)
            now = replace(reference, regions=tuple(regions))
            anew = _measured(file, hits, {h.voice for h in hits}, audio, now)
            edits = store.edits(db, reference.id)
            store.correct(db, reference.id, analysis=anew.model_dump(by_alias=True), edits=edits)


def _spans(regions: Sequence[Region]) -> list[tuple[float, float]]:
    return [(r.start_s, r.stop_s) for r in regions if r.measure]


def _measured(
    file: AnalysisFile,
    hits: list[AnalysedHit],
    touched: set[str],
    audio: Audio,
    reference: ReferenceInfo,
) -> AnalysisFile:
    decided = file.decided or _decide(audio, reference.kind)
    marked, anew = remeasure(
        audio, hits, mix=decided.mix, begins=decided.begins, only=touched,
        regions_s=_spans(reference.regions),
    )  # fmt: skip
    present = {h.voice for h in marked}
    cards = {v.voice: v for v in file.voices if v.voice in present - touched}
    cards |= {card.voice: voice_file(card) for card in anew}
    return file.model_copy(
        update={
            "hits": [hit_file(h) for h in marked],
            "voices": [cards[name] for name in sorted(cards, key=voice_order)],
            "decided": decided,
        }
    )


def _decide(audio: Audio, kind: str) -> DecidedFile:
    """Return what an analysis of before decided and did not keep."""
    mono = one_channel(audio)
    mix = others_play_on(kind, lambda: frames_of(mono).is_mix)
    return DecidedFile(mix=mix, begins=begins_at(mono))


def _follow(db: Session, session_id: int, edit: Edit) -> None:
    """Let drums that play toms follow where a tom got another number."""
    goes = dict(edit.renamed)
    moved = [d for d in kit_store.listing(db, session_id) if d.voice in goes]
    for drum in moved:
        kit_store.assign(db, drum.id, None)
    for drum in moved:
        kit_store.assign(db, drum.id, goes[drum.voice or ""])


def _edit_document(edit: Edit) -> dict[str, Any]:
    return {
        "says": edit.says,
        "removed": [hit_file(h).model_dump() for h in edit.removed],
        "added": [hit_file(h).model_dump() for h in edit.added],
        "renamed": [list(pair) for pair in edit.renamed],
    }


def _edit_from(document: dict[str, Any]) -> Edit:
    def hits(rows: list[dict[str, Any]]) -> tuple[AnalysedHit, ...]:
        return tuple(hit_from_file(HitFile.model_validate(row)) for row in rows)

    renamed = tuple((old, new) for old, new in document["renamed"])
    return Edit(str(document["says"]), hits(document["removed"]), hits(document["added"]), renamed)
