"""Strokes corrected by ear: moved, put in, taken out; toms split and merged; the card follows.

Every correction is kept with the reference and can be taken back, the last one first.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from emblar.core.analysis.analyse import heard_low, measure_voices, others_play_on, voice_order
from emblar.core.analysis.audio import Audio, one_channel, side
from emblar.core.analysis.clean import AnalysedHit, mark_clean
from emblar.core.analysis.edits import Edit, applied, merge_tom, move, put_in, split_tom, take_out
from emblar.core.analysis.frames import frames_of
from emblar.core.analysis.low_band import StrokeSpan, low_band
from emblar.core.analysis.manner import with_manners
from emblar.core.analysis.membranes import stroke_pitch_hz
from emblar.core.analysis.voices import levels_db
from emblar.core.errors import InputError
from emblar.formats.analysis import (
    AnalysisFile,
    HitFile,
    hit_file,
    hit_from_file,
    hits_from_file,
    voice_file,
)
from emblar.sound.decode import decode
from emblar.store import audio as audio_store
from emblar.store import drums as drum_store
from emblar.store import references as store
from emblar.store.database import transaction
from emblar.store.references import ReferenceInfo, Region

Hits = Sequence[AnalysedHit]
SPAN_S = 0.4


def move_stroke(session_id: int, index: int, voice: str) -> str:
    """Give a stroke to another voice; return what was done in words."""
    return _correct(session_id, lambda hits, _: move(hits, index, voice))


def take_out_stroke(session_id: int, index: int) -> str:
    """Take a stroke out."""
    return _correct(session_id, lambda hits, _: take_out(hits, index))


def put_in_stroke(session_id: int, time_s: float, voice: str) -> str:
    """Put a stroke in where none was found."""

    def edit(_: Hits, audio: Audio) -> Edit:
        if not 0.0 <= time_s < audio.duration_s:
            raise InputError(
                f"{time_s:.2f} s is outside the recording: 0 to {audio.duration_s:.2f} s."
            )
        at = levels_db(one_channel(audio), np.array([time_s]))
        return put_in(time_s, voice, float(at[0]))

    return _correct(session_id, edit)


def split(session_id: int, voice: str) -> str:
    """Make two toms of one, by pitch."""

    def edit(hits: Hits, audio: Audio) -> Edit:
        low = low_band(one_channel(audio))
        times = [h.time_s for h in hits if h.voice == voice]
        pitches = [stroke_pitch_hz(low, StrokeSpan(t, SPAN_S)) for t in times]
        return split_tom(hits, voice, pitches)

    return _correct(session_id, edit)


def merge(session_id: int, voice: str) -> str:
    """Make one tom of this and the next lower one."""
    return _correct(session_id, lambda hits, _: merge_tom(hits, voice))


def take_back(session_id: int) -> str:
    """Take the last correction back."""
    with transaction() as db:
        reference = store.shown(db, session_id)
        history = store.edits(db, reference.id) if reference else []
    if not history:
        raise InputError("There is no correction to take back.")
    last = _edit_from(history[-1]).undone()
    _correct(session_id, lambda _hits, _audio: last, keep=False)
    return f"Taken back: {last.says}"


def last_correction(session_id: int) -> str:
    """Return the last correction in words, or an empty string."""
    with transaction() as db:
        reference = store.shown(db, session_id)
        history = store.edits(db, reference.id) if reference else []
    return str(history[-1]["says"]) if history else ""


def _correct(session_id: int, make: Callable[[Hits, Audio], Edit], *, keep: bool = True) -> str:
    """Make an edit, measure the voices it touches anew and keep all of it, or nothing."""
    with transaction() as db:
        reference, file, audio = _shown(db, session_id)
        before = hits_from_file(file)
        edit = make(before, audio)
        corrected = _measured(file, applied(before, edit), edit.voices(), audio, reference)
        history = store.edits(db, reference.id)
        history = [*history, _edit_document(edit)] if keep else history[:-1]
        store.correct(db, reference.id, analysis=corrected.model_dump(by_alias=True), edits=history)
        _follow(db, session_id, edit)
    return edit.says


def _shown(db: Session, session_id: int) -> tuple[ReferenceInfo, AnalysisFile, Audio]:
    """Return the file whose strokes are shown, what was found in it, and its sound."""
    reference = store.shown(db, session_id)
    if reference is None or reference.audio_id is None:
        raise InputError("There is no analysed recording yet. Bring one in Listen.")
    document, _ = store.documents(db, reference.id)
    size = audio_store.info(db, reference.audio_id).size_bytes
    audio = decode(audio_store.read(db, reference.audio_id, 0, size)).audio
    return reference, AnalysisFile.model_validate(document), audio


def name_region(session_id: int, name: str, start_s: float, stop_s: float, *, measure: bool) -> str:
    """Name a stretch of the recording; with ``measure`` drums are measured in such ones only."""
    name = name.strip()
    if not name:
        raise InputError("Give the stretch a name, for example “verse, alone”.")
    if not 0.0 <= start_s < stop_s:
        raise InputError(f"A stretch from {start_s:.2f} to {stop_s:.2f} s is empty.")
    region = Region(name, round(start_s, 3), round(stop_s, 3), measure)
    _with_regions(session_id, lambda old: [*(r for r in old if r.name != name), region])
    return f"“{name}” kept"


def forget_region(session_id: int, name: str) -> str:
    """Take a named stretch away."""
    _with_regions(session_id, lambda old: [r for r in old if r.name != name])
    return f"“{name}” taken away"


def _with_regions(session_id: int, change: Callable[[Sequence[Region]], Sequence[Region]]) -> None:
    """Keep other regions and, where it matters, measure every voice anew."""
    with transaction() as db:
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
    mono = one_channel(audio)
    clean = mark_clean(hits, mono, audio.duration_s, _spans(reference.regions))
    marked = with_manners(clean, mono)
    present = {h.voice for h in marked}
    mix = others_play_on(reference.kind, lambda: frames_of(mono).is_mix)
    lows = heard_low(mono, side(audio) if mix else None)
    anew = measure_voices(mono, lows, marked, audio.duration_s, mix=mix, only=touched & present)
    cards = {v.voice: v for v in file.voices if v.voice in present - touched}
    cards |= {card.voice: voice_file(card) for card in anew}
    return file.model_copy(
        update={
            "hits": [hit_file(h) for h in marked],
            "voices": [cards[name] for name in sorted(cards, key=voice_order)],
        }
    )


def _follow(db: Session, session_id: int, edit: Edit) -> None:
    """Let drums that play toms follow where a tom got another number."""
    goes = dict(edit.renamed)
    moved = [d for d in drum_store.listing(db, session_id) if d.voice in goes]
    for drum in moved:
        drum_store.assign(db, drum.id, None)
    for drum in moved:
        drum_store.assign(db, drum.id, goes[drum.voice or ""])


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
