"""Listen: bring a recording, have it analysed, read what was found."""

import contextlib
import logging
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from emblar.core.analysis.corrections import replayed
from emblar.core.analysis.pipeline import (
    ANALYSIS_VERSION,
    analyse,
    peaks,
)
from emblar.core.analysis.separation.wiener import Parts, TemplateSeparator
from emblar.core.analysis.signal.audio import Audio
from emblar.core.analysis.signal.scene import SourceKind
from emblar.core.errors import (
    BadAudioError,
    DocumentError,
    InputError,
    NotFoundError,
    ServiceError,
)
from emblar.core.planning.pooled import Evidence, Source, pooled_card
from emblar.core.voices import checked_voice, voice_order
from emblar.formats.analysis import (
    AnalysisFile,
    VoiceFile,
    analysis_file,
    analysis_from_document,
    card_from_file,
    edit_document,
    edit_from_document,
    voice_file,
    with_strokes,
)
from emblar.platform import audio as audio_store
from emblar.platform.database import transaction
from emblar.platform.settings import settings
from emblar.platform.sound.apart import keep_apart
from emblar.platform.sound.decode import decode
from emblar.platform.sound.encode import encode
from emblar.platform.sound.neural import neural_separator
from emblar.platform.studio import Studio, check_session, in_session
from emblar.steps.listen import queries as store
from emblar.steps.listen.queries import RecordingInfo
from emblar.steps.listen.queue import ANALYSE, RENEW, defer_analysis, defer_measuring, defer_renewal
from emblar.steps.log.queries import evidence as evidence_store
from emblar.steps.log.queries.evidence import EvidenceInfo

KINDS: tuple[SourceKind, ...] = ("auto", "mix", "drums", "hit")
PROGRESS_EVERY_S = 0.3
MOST_READ = 32
BARS = 240
MOST_ATTEMPTS = 4
UNEXPECTED = (
    "The analysis stopped at an error of ours; the log has the details. The recording is kept: "
    "analyse it again, or upload a shorter piece of it."
)
STOPPED_TOO_OFTEN = (
    f"The analysis was stopped {MOST_ATTEMPTS} times before it was done. The recording is kept: "
    "analyse it again, or upload a shorter piece of it."
)
log = logging.getLogger("emblar.listen")


Drawn = tuple[str, int, datetime | None, int | None]
Peaks = NDArray[np.float64]


class CancelledError(Exception):
    """The user cancelled the analysis while it ran."""


@dataclass(frozen=True, slots=True)
class AnalysedRecord:
    """An analysed record and what was found.

    Strokes are those of one file; the cards are of all its files and of what is said of it.
    """

    recording: RecordingInfo
    """The file whose strokes are shown."""
    analysis: AnalysisFile
    drawn: Drawn
    """What changes with the sound and its analysis, and with nothing else."""
    files: tuple[RecordingInfo, ...] = ()
    evidence: tuple[EvidenceInfo, ...] = ()

    @property
    def peaks(self) -> tuple[Peaks, Peaks]:
        """The waveform's lowest and highest values."""
        low, high, _ = _peaks(self.drawn)
        return low, high

    @property
    def bars(self) -> tuple[float, ...]:
        """The highest value of each of ``BARS`` pieces of the recording."""
        return _peaks(self.drawn)[2]

    def voice(self, name: str) -> VoiceFile | None:
        """Return one voice's card, or None."""
        return next((v for v in self.analysis.voices if v.voice == name), None)

    @property
    def parts(self) -> tuple[int, int] | None:
        """The sounds of the drums and of the drumless rest, if one of the files is a full mix.

        Drums that were brought alone are better than those taken out of the mix.
        """
        mix = next((f for f in self.files if f.drums_audio_id and f.rest_audio_id), None)
        if mix is None or mix.drums_audio_id is None or mix.rest_audio_id is None:
            return None
        alone = next((f.audio_id for f in self.files if f.kind == "drums" and f.audio_id), None)
        return alone or mix.drums_audio_id, mix.rest_audio_id


def bring_recording(
    studio: Studio,
    session_id: int,
    filename: str,
    data: bytes,
    kind: str,
    *,
    keep_others: bool = False,
    voice: str | None = None,
) -> RecordingInfo:
    """Keep a recording and have it analysed.

    Parameters
    ----------
    session_id, filename, data, kind
        Where it belongs, its name and bytes, and one of ``KINDS``.
    keep_others
        Whether it is another file of the record that is there, rather than another record.
    voice
        Of single strokes: the drum they are on, or None to tell by ear.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure; nothing was kept.
    InputError
        The session's record has the same sound already.
    """
    check_session(studio, session_id)
    known = _checked_kind(kind)
    if voice is not None:
        checked_voice(voice)
    kept, media_type = keep_apart(data)
    name = PurePath(filename).name or "recording"
    with in_session(studio, session_id) as db:
        available = store.files(db, session_id)
        audio_id = audio_store.keep(db, kept, media_type)
        played_by = voice if known == "hit" else None
        twin = store.with_sound(db, session_id, audio_id, known, played_by)
        if twin is not None:
            raise InputError(
                f"{twin.filename} holds the same sound and is here already. Choose another file.",
                field="file",
            )
        recording = store.create(
            db,
            session_id=session_id,
            audio_id=audio_id,
            filename=name,
            kind=known,
            main_id=available[0].id if keep_others and available else None,
            voice=played_by,
        )
        defer_analysis(db, recording.id)
    return recording


def _checked_kind(kind: str) -> SourceKind:
    known = next((k for k in KINDS if k == kind), None)
    if known is None:
        raise InputError(f"“{kind}” is not a kind of recording. Choose {', '.join(KINDS)}.")
    return known


def run_analysis(recording_id: int) -> None:
    """Analyse a recording and keep the result whole; safe to run again.

    Raises
    ------
    ServiceError
        The database was lost meanwhile; nothing was kept, run it again.
    """
    try:
        with transaction() as db:
            recording = store.start(db, recording_id, most_attempts=MOST_ATTEMPTS)
            if recording is None or recording.audio_id is None:
                return
            if not recording.active:
                store.fail(db, recording_id, STOPPED_TOO_OFTEN, keep=True)
                return
            size = audio_store.info(db, recording.audio_id).size_bytes
            data = audio_store.read(db, recording.audio_id, 0, size)
    except NotFoundError:
        return
    try:
        _analyse_and_keep(recording, data)
    except CancelledError:
        return
    except BadAudioError as error:
        _fail(recording_id, str(error), keep=False)
    except ServiceError:
        # The queue runs it again; what keeps failing ends at MOST_ATTEMPTS.
        raise
    except Exception:
        log.exception("analysis of recording %d failed", recording_id)
        _fail(recording_id, UNEXPECTED, keep=True)


def _fail(recording_id: int, message: str, *, keep: bool) -> None:
    with transaction() as db:
        store.fail(db, recording_id, message, keep=keep)


def take_up_lost() -> int:
    """Put analyses on the queue again that wait or run, but that no job is left of.

    Returns
    -------
    int
        How many. Those that were tried ``MOST_ATTEMPTS`` times end as failed when they run.
    """
    with transaction() as db:
        lost = store.without_job(db, ANALYSE)
        for recording_id in lost:
            defer_analysis(db, recording_id)
    return len(lost)


def analyse_again(studio: Studio, session_id: int, recording_id: int) -> RecordingInfo:
    """Have a recording that is kept analysed anew, from the first try on.

    Raises
    ------
    InputError
        It is being analysed, or its sound was not kept.
    """
    with in_session(studio, session_id) as db:
        recording = store.get(db, recording_id, session_id)
        if recording.active:
            raise InputError("It is being analysed already.")
        if recording.audio_id is None:
            raise InputError("Its sound was not kept. Add the recording again.")
        store.restart(db, recording_id)
        defer_analysis(db, recording_id)
        return store.get(db, recording_id, session_id)


def _analyse_and_keep(recording: RecordingInfo, data: bytes) -> None:
    last = 0.0

    def progress(stage: str, share: float) -> None:
        nonlocal last
        current = time.monotonic()
        if current - last < PROGRESS_EVERY_S:
            return
        last = current
        with transaction() as db:
            if not store.progress(db, recording.id, stage, share):
                raise CancelledError

    result = _analysed(recording, data, progress)
    with transaction() as db:
        store.lock(db, recording.id)
        _keep_analysed(db, recording, result, state="running")


def renew_analysis(recording_id: int) -> bool:
    """Analyse a recording again whose analysis an earlier Emblar made; meanwhile it stays as it is.

    Corrections that stand are made again on the strokes as they are found now; one whose stroke is
    not found any more counts as undone.

    Returns
    -------
    bool
        Whether it was renewed; not if somebody changed it meanwhile: then it is for another time.
    """
    try:
        with transaction() as db:
            recording = store.get(db, recording_id)
            mark = store.versions(db, [recording_id])
            if recording.state != "done" or recording.analysis_version == ANALYSIS_VERSION:
                return False
            if recording.audio_id is None:
                return False
            size = audio_store.info(db, recording.audio_id).size_bytes
            data = audio_store.read(db, recording.audio_id, 0, size)
        result = _analysed(recording, data, lambda _stage, _share: None)
    except (NotFoundError, BadAudioError):
        return False
    with transaction() as db:
        store.lock(db, recording_id)
        if store.versions(db, [recording_id]) != mark:
            return False
        return _keep_analysed(db, recording, result, state="done")


def renew_outdated() -> int:
    """Put recordings on the queue whose analysis an earlier Emblar made; return how many."""
    with transaction() as db:
        outdated = store.outdated(db, ANALYSIS_VERSION, RENEW)
        for recording_id in outdated:
            defer_renewal(db, recording_id)
    return len(outdated)


@dataclass(frozen=True, slots=True)
class _Analysed:
    """What came of an analysis: strokes and cards, peaks, and a mix's parts as FLAC."""

    file: AnalysisFile
    peaks: tuple[list[float], list[float]]
    parts: tuple[bytes, bytes] | None


def _analysed(
    recording: RecordingInfo, data: bytes, progress: Callable[[str, float], None]
) -> _Analysed:
    progress("reading", 0.02)
    decoded = decode(data)
    kind: SourceKind = next((k for k in KINDS if k == recording.kind), "auto")
    weights = settings().separator_weights
    measured, separated = decoded.audio, None
    if kind == "mix" and weights is not None:
        progress("taking the drums out", 0.04)
        separated = neural_separator(weights).separate(measured.samples, measured.sample_rate_hz)
        measured = Audio(separated.drums, measured.sample_rate_hz)
    analysis = analyse(measured, kind=kind, voice=recording.voice, progress=progress)
    parts = None
    if analysis.mix:
        progress("taking the drums out", 0.85)
        parts = _encoded(
            separated
            or TemplateSeparator(analysis.hits).separate(measured.samples, measured.sample_rate_hz),
            measured.sample_rate_hz,
        )
    document = analysis_file(analysis)
    if separated is not None and document.decided is not None:
        document.decided.of = "drums"
    return _Analysed(document, peaks(decoded.audio), parts)


def _keep_analysed(
    db: Session, recording: RecordingInfo, analysed: _Analysed, *, state: str
) -> bool:
    """Keep an analysis whole, the corrections that stand made again."""
    standing = store.standing(db, recording.id)
    file = analysed.file
    if standing:
        edits = [edit_from_document(c.document) for c in standing]
        hits, made = replayed(file.hits, edits)
        file = with_strokes(
            file,
            hits,
            {v for edit in made if edit for v in edit.voices()},
            [(r.start_s, r.stop_s) for r in recording.regions if r.measure],
        )
        for correction, edit in zip(standing, made, strict=True):
            store.redo(db, recording.id, correction, edit_document(edit) if edit else None)
        defer_measuring(db, recording.id)
    kept = [audio_store.keep(db, data, "audio/flac") for data in analysed.parts or ()]
    return store.finish(
        db,
        recording.id,
        analysis=file.model_dump(by_alias=True),
        peaks={"low": analysed.peaks[0], "high": analysed.peaks[1]},
        version=ANALYSIS_VERSION,
        parts=(kept[0], kept[1]) if kept else None,
        state=state,
    )


def _encoded(parts: Parts, rate: int) -> tuple[bytes, bytes]:
    """Return the drums and the drumless rest of a mix as FLAC, at the recording's own level."""
    loudest = max(float(np.abs(part).max()) for part in (parts.drums, parts.rest))
    scale = 1.0 / max(loudest, 1.0)
    return (
        encode(scale * parts.drums, rate, container="FLAC", subtype="PCM_16"),
        encode(scale * parts.rest, rate, container="FLAC", subtype="PCM_16"),
    )


def remove_file(studio: Studio, session_id: int, recording_id: int) -> RecordingInfo:
    """Take a file away from its record; the other files stay."""
    with in_session(studio, session_id) as db:
        store.get(db, recording_id, session_id)
        return store.take_away(db, recording_id)


def open_file(studio: Studio, session_id: int, recording_id: int) -> RecordingInfo:
    """Show a file's strokes from now on; corrections are made in it.

    Raises
    ------
    InputError
        It is not analysed, or belongs to another record than the newest one.
    """
    with in_session(studio, session_id) as db:
        recording = store.get(db, recording_id, session_id)
        if recording_id not in {file.id for file in store.files(db, session_id)}:
            raise InputError(f"{recording.filename} is not an analysed file of this record.")
        store.open_file(db, recording_id)
        return recording


def bring_file_back(studio: Studio, session_id: int, recording_id: int) -> RecordingInfo:
    """Add a file back that was taken away."""
    with in_session(studio, session_id) as db:
        return store.bring_back(db, recording_id, session_id)


def recording_of(studio: Studio, session_id: int) -> RecordingInfo | None:
    """Return the session's newest recording, whatever its state."""
    with in_session(studio, session_id) as db:
        return store.latest(db, session_id)


def one_recording(studio: Studio, session_id: int, recording_id: int) -> RecordingInfo:
    """Return one recording of a session."""
    with in_session(studio, session_id) as db:
        return store.get(db, recording_id, session_id)


def analysed_record(studio: Studio, session_id: int) -> AnalysedRecord | None:
    """Return the session's newest analysed record with what was found, or None."""
    with studio.together() as unit, in_session(unit, session_id) as db:
        recording = store.shown(db, session_id)
        if recording is None:
            return None
        files = store.files(db, session_id)
        text = evidence_store.listing(db, session_id)
        marks = store.versions(db, [file.id for file in files])
        kept = _readable({i: (settings().database_url, i, mark) for i, mark in marks.items()})
    files = [file for file in files if file.id in kept]
    if not files:
        return None
    if recording.id not in kept:
        recording = store.first_shown(files)
    shown = kept[recording.id]
    if len(files) > 1 or any(piece.quantity for piece in text):
        cards = _pooled(recording, [(file, kept[file.id]) for file in files], text)
        shown = shown.model_copy(update={"voices": cards})
    drawn = settings().database_url, recording.id, recording.created_at, recording.analysis_version
    return AnalysedRecord(recording, shown, drawn, tuple(files), tuple(text))


def unreadable_recordings(studio: Studio, session_id: int) -> tuple[RecordingInfo, ...]:
    """Return the files of the record whose analysis cannot be read: they can be analysed again."""
    with studio.together() as unit, in_session(unit, session_id) as db:
        files = store.files(db, session_id)
        marks = store.versions(db, [file.id for file in files])
        result = _readable({i: (settings().database_url, i, mark) for i, mark in marks.items()})
    return tuple(file for file in files if file.id not in result)


def cancelled_recording(studio: Studio, session_id: int) -> RecordingInfo | None:
    """Return the newest recording if its analysis was cancelled, else None."""
    with in_session(studio, session_id) as db:
        return store.newest_cancelled(db, session_id)


def _readable(versions: dict[int, tuple[str, int, str]]) -> dict[int, AnalysisFile]:
    """Return the analyses that can be read, by recording."""
    result = {}
    for recording_id, version in versions.items():
        with contextlib.suppress(DocumentError):
            result[recording_id] = _kept(version)
    return result


@lru_cache(maxsize=MOST_READ)
def _kept(version: tuple[str, int, str]) -> AnalysisFile:
    """Read an analysis by what changes with it; parsing hundreds of strokes is slow."""
    with transaction() as db:
        return analysis_from_document(store.analysis_document(db, version[1]))


@lru_cache(maxsize=MOST_READ)
def _peaks(version: Drawn) -> tuple[Peaks, Peaks, tuple[float, ...]]:
    """Read a waveform's peaks: they change with the sound and its analysis, not with strokes."""
    with transaction() as db:
        waveform = store.peaks(db, version[1])
    low, high = (np.array(waveform[side], np.float64) for side in ("low", "high"))
    pieces = np.array_split(np.maximum(np.abs(low), np.abs(high)), BARS)
    return low, high, tuple(float(piece.max(initial=0.0)) for piece in pieces)


def _pooled(
    shown: RecordingInfo,
    files: Sequence[tuple[RecordingInfo, AnalysisFile]],
    text: Sequence[EvidenceInfo],
) -> list[VoiceFile]:
    """Return the cards of a record's files and evidence, voices of all files together."""
    sources: dict[str, list[Source]] = {}
    for info, file in sorted(files, key=lambda f: f[0].id != shown.id):
        for voice in file.voices:
            source = Source(info.filename, info.kind, card_from_file(voice))
            sources.setdefault(voice.voice, []).append(source)
    cards = []
    for name in sorted(sources, key=voice_order):
        matching = [
            Evidence(e.quantity, e.value, e.sd, e.confidence, e.source)
            for e in text
            if e.voice == name and e.quantity is not None and e.value is not None
        ]
        cards.append(voice_file(*pooled_card(sources[name], matching)))
    return cards


def cancel_analysis(studio: Studio, session_id: int, recording_id: int) -> None:
    """Cancel an analysis; what was analysed before stays."""
    with in_session(studio, session_id) as db:
        store.get(db, recording_id, session_id)
        store.cancel(db, recording_id)


def sound_bytes(studio: Studio, session_id: int, audio_id: int, start: int, count: int) -> bytes:
    """Return a range of the bytes of a session's sound."""
    with in_session(studio, session_id) as db:
        _check_sound(db, session_id, audio_id)
        return audio_store.read(db, audio_id, start, count)


def sound_info(studio: Studio, session_id: int, audio_id: int) -> audio_store.AudioInfo:
    """Return what is known of a session's sound."""
    with in_session(studio, session_id) as db:
        _check_sound(db, session_id, audio_id)
        return audio_store.info(db, audio_id)


def _check_sound(db: Session, session_id: int, audio_id: int) -> None:
    if audio_id not in store.sounds(db, session_id):
        raise NotFoundError("That recording is not here any more.")
