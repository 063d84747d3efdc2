"""Drums measured anew after corrections, by the worker or by whoever needs the numbers now."""

import time
from collections.abc import Sequence

from sqlalchemy.orm import Session

from emblar.core.analysis.pipeline import remeasure
from emblar.core.analysis.signal.audio import Audio, begins_at, one_channel
from emblar.core.analysis.signal.band_spectrogram import frames_of
from emblar.core.analysis.signal.scene import Accompaniment
from emblar.core.errors import NotFoundError
from emblar.core.voices import voice_order
from emblar.formats.analysis import (
    AnalysisFile,
    DecidedFile,
    analysis_from_document,
    rounded_hit,
    voice_file,
)
from emblar.platform import audio as audio_store
from emblar.platform.database import transaction
from emblar.platform.sound.decode import decode, decode_piece
from emblar.platform.studio import Studio
from emblar.steps.listen import queries as store
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record
from emblar.steps.listen.queries import RecordingInfo, Region

MOST_TRIES = 20
LONGEST_WAIT_S = 30.0


def measured_sound(db: Session, recording: RecordingInfo, file: AnalysisFile) -> Audio:
    """Return the sound an analysis was measured of: the recording, or its drums alone."""
    return decode(_measured_bytes(db, recording, file)).audio


def measured_piece(
    db: Session, recording: RecordingInfo, file: AnalysisFile, start_s: float, stop_s: float
) -> Audio:
    """Return a piece of the sound that an analysis was measured of."""
    return decode_piece(_measured_bytes(db, recording, file), start_s, stop_s)


def _measured_bytes(db: Session, recording: RecordingInfo, file: AnalysisFile) -> bytes:
    drums_only = file.decided is not None and file.decided.of == "drums"
    audio_id = (recording.drums_audio_id if drums_only else None) or recording.audio_id
    if audio_id is None:
        raise NotFoundError("The sound of that recording is not here any more.")
    return audio_store.read(db, audio_id, 0, audio_store.info(db, audio_id).size_bytes)


def spans_of(regions: Sequence[Region]) -> list[tuple[float, float]]:
    """Return the stretches that drums are measured in, s; empty for everywhere."""
    return [(r.start_s, r.stop_s) for r in regions if r.measure]


def run_measuring(recording_id: int, *, quiet_s: float = 0.0) -> bool:
    """Measure the drums that were corrected; safe to run again, and at once with corrections.

    The measuring takes its time without keeping anybody waiting; if the strokes were corrected
    meanwhile, it begins again.

    Parameters
    ----------
    recording_id
        Which recording.
    quiet_s
        Wait until nobody has corrected it for so long: whoever corrects many strokes in a row has
        the machine to themselves.

    Returns
    -------
    bool
        Whether there was anything to measure.
    """
    with transaction() as db:
        if not store.is_measuring(db, recording_id):
            return False
    for _ in range(MOST_TRIES):
        _wait_until_quiet(recording_id, quiet_s)
        try:
            with transaction() as db:
                mark = store.versions(db, [recording_id]).get(recording_id)
                recording = store.get(db, recording_id)
                file = analysis_from_document(store.analysis_document(db, recording_id))
                if not file.measuring:
                    return True
                audio = measured_sound(db, recording, file)
        except NotFoundError:
            return False
        measured = _measured(file, audio, recording)
        with transaction() as db:
            store.lock(db, recording_id)
            if store.versions(db, [recording_id]).get(recording_id) == mark:
                store.keep_analysis(db, recording_id, measured.model_dump(by_alias=True))
                return True
    return True


def _wait_until_quiet(recording_id: int, quiet_s: float) -> None:
    until = time.monotonic() + LONGEST_WAIT_S
    while quiet_s > 0.0 and time.monotonic() < until:
        with transaction() as db:
            left = quiet_s - store.quiet_s(db, recording_id)
        if left <= 0.0:
            return
        time.sleep(min(left, quiet_s))


def measured_record(studio: Studio, session_id: int) -> AnalysedRecord | None:
    """Return the session's record with every number up to date, measuring what has to be."""
    result = analysed_record(studio, session_id)
    if result is None:
        return None
    # Kept by itself, also while a page only reads.
    measured = [run_measuring(file.id) for file in result.files]
    studio = studio.apart()
    return analysed_record(studio, session_id) if any(measured) else result


def _measured(file: AnalysisFile, audio: Audio, recording: RecordingInfo) -> AnalysisFile:
    decided = file.decided or _decide(audio, recording.kind)
    marked, renewed = remeasure(
        audio,
        file.hits,
        mix=decided.mix,
        begins=decided.begins,
        only=set(file.measuring),
        regions_s=spans_of(recording.regions),
    )
    present = {h.voice for h in marked}
    cards = {v.voice: v for v in file.voices if v.voice in present}
    cards |= {card.voice: voice_file(card) for card in renewed}
    return file.model_copy(
        update={
            "hits": [rounded_hit(h) for h in marked],
            "voices": [cards[name] for name in sorted(cards, key=voice_order)],
            "decided": decided,
            "measuring": [],
        }
    )


def _decide(audio: Audio, kind: str) -> DecidedFile:
    """Return what an analysis of before decided and did not keep."""
    mono = one_channel(audio)
    # What was brought as a mix, or as drums, is not listened to for it: that takes a while.
    is_mix = kind == "auto" and frames_of(mono).is_mix
    return DecidedFile(mix=Accompaniment.of(kind, audible=is_mix).taken, begins=begins_at(mono))
