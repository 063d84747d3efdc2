"""Listen: bring a recording, have it analysed, read what was found."""

import logging
import time
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import PurePath

import numpy as np

from emblar.core.analysis.analyse import (
    ANALYSIS_VERSION,
    SourceKind,
    analyse,
    peaks,
    voice_order,
)
from emblar.core.analysis.audio import Audio, check_audio
from emblar.core.analysis.edits import check_voice
from emblar.core.analysis.separation import Parts, TemplateSeparator
from emblar.core.errors import BadAudioError, InputError, NotFoundError, ServiceError
from emblar.core.planning.pooled import Evidence, Source, pooled_card
from emblar.formats.analysis import (
    AnalysisFile,
    VoiceFile,
    analysis_file,
    card_from_file,
    voice_file,
)
from emblar.jobs.queue import defer_analysis
from emblar.settings import settings
from emblar.sound.decode import decode
from emblar.sound.encode import encode, kept_form
from emblar.sound.neural import neural_separator
from emblar.store import audio as audio_store
from emblar.store import evidence as evidence_store
from emblar.store import references as store
from emblar.store import sessions as session_store
from emblar.store.database import together, transaction
from emblar.store.evidence import EvidenceInfo
from emblar.store.references import ReferenceInfo

KINDS: tuple[SourceKind, ...] = ("auto", "mix", "drums", "hit")
PROGRESS_EVERY_S = 0.3
MOST_READ = 8
UNEXPECTED = (
    "The analysis stopped at an error of ours. The recording is not kept; bring it again, or a "
    "shorter piece of it. The log has the details."
)
log = logging.getLogger("emblar.listen")


class CancelledError(Exception):
    """The user cancelled the analysis while it ran."""


@dataclass(frozen=True, slots=True)
class Heard:
    """An analysed record: what was found, and the waveform's peaks (lowest, highest).

    Strokes are those of one file; the cards are of all its files and of what is said of it.
    """

    reference: ReferenceInfo
    """The file whose strokes are shown."""
    analysis: AnalysisFile
    peaks: tuple[list[float], list[float]]
    files: tuple[ReferenceInfo, ...] = ()
    evidence: tuple[EvidenceInfo, ...] = ()

    def voice(self, name: str) -> VoiceFile | None:
        """Return one voice's card, or None."""
        return next((v for v in self.analysis.voices if v.voice == name), None)


@dataclass(frozen=True, slots=True)
class _Kept:
    """An analysis as read, and its waveform's peaks."""

    analysis: AnalysisFile
    peaks: tuple[list[float], list[float]]


def bring_recording(
    session_id: int,
    filename: str,
    data: bytes,
    kind: str,
    *,
    beside: bool = False,
    voice: str | None = None,
) -> ReferenceInfo:
    """Keep a recording and have it analysed.

    Parameters
    ----------
    session_id, filename, data, kind
        Where it belongs, its name and bytes, and one of ``KINDS``.
    beside
        Whether it is another file of the record that is there, rather than another record.
    voice
        Of single strokes: the drum they are on, or None to tell by ear.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure; nothing was kept.
    """
    known = next((k for k in KINDS if k == kind), None)
    if known is None:
        raise InputError(f"“{kind}” is not a kind of recording: use {', '.join(KINDS)}.")
    if voice is not None:
        check_voice(voice)
    decoded = decode(data)
    check_audio(decoded.audio)
    kept, media_type = kept_form(data, decoded)
    name = PurePath(filename).name or "recording"
    with transaction() as db:
        session_store.get(db, session_id)
        there = store.files(db, session_id)
        audio_id = audio_store.keep(db, kept, media_type)
        reference = store.create(
            db,
            session_id=session_id,
            audio_id=audio_id,
            filename=name,
            kind=known,
            main_id=there[0].id if beside and there else None,
            voice=voice if known == "hit" else None,
        )
        defer_analysis(db, reference.id)
    return reference


def run_analysis(reference_id: int) -> None:
    """Analyse a reference and keep the result whole; safe to run again."""
    try:
        with transaction() as db:
            reference = store.start(db, reference_id)
            if reference is None or reference.audio_id is None:
                return
            size = audio_store.info(db, reference.audio_id).size_bytes
            data = audio_store.read(db, reference.audio_id, 0, size)
    except NotFoundError:
        return
    try:
        _analyse_and_keep(reference, data)
    except CancelledError:
        return
    except (BadAudioError, ServiceError) as error:
        with transaction() as db:
            store.fail(db, reference_id, str(error))
    except Exception:
        log.exception("analysis of reference %d failed", reference_id)
        with transaction() as db:
            store.fail(db, reference_id, UNEXPECTED)


def _analyse_and_keep(reference: ReferenceInfo, data: bytes) -> None:
    last = 0.0

    def progress(stage: str, share: float) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < PROGRESS_EVERY_S:
            return
        last = now
        with transaction() as db:
            if not store.progress(db, reference.id, stage, share):
                raise CancelledError

    progress("reading", 0.02)
    decoded = decode(data)
    kind: SourceKind = next((k for k in KINDS if k == reference.kind), "auto")
    weights = settings().separator_weights
    measured, separated = decoded.audio, None
    if kind == "mix" and weights is not None:
        progress("taking the drums out", 0.04)
        separated = neural_separator(weights).separate(measured.samples, measured.sample_rate_hz)
        measured = Audio(separated.drums, measured.sample_rate_hz)
    analysis = analyse(measured, kind=kind, voice=reference.voice, progress=progress)
    low, high = peaks(decoded.audio)
    parts = None
    if analysis.mix:
        progress("taking the drums out", 0.85)
        parts = _encoded(
            separated
            or TemplateSeparator(analysis.hits).separate(measured.samples, measured.sample_rate_hz),
            measured.sample_rate_hz,
        )
    with transaction() as db:
        kept = tuple(audio_store.keep(db, data, "audio/flac") for data in parts) if parts else None
        store.finish(
            db,
            reference.id,
            analysis=analysis_file(analysis).model_dump(by_alias=True),
            peaks={"low": low, "high": high},
            version=ANALYSIS_VERSION,
            parts=(kept[0], kept[1]) if kept else None,
        )


def _encoded(parts: Parts, rate: int) -> tuple[bytes, bytes]:
    """Return the drums and the drumless rest of a mix as FLAC, at the recording's own level."""
    loudest = max(float(np.abs(part).max()) for part in (parts.drums, parts.rest))
    scale = 1.0 / max(loudest, 1.0)
    return (
        encode(scale * parts.drums, rate, container="FLAC", subtype="PCM_16"),
        encode(scale * parts.rest, rate, container="FLAC", subtype="PCM_16"),
    )


def take_file_away(reference_id: int) -> ReferenceInfo:
    """Take a file away from its record; the other files stay."""
    with transaction() as db:
        if store.get(db, reference_id).main_id is None:
            raise InputError("This is the record's first file. Bring another record instead.")
        return store.take_away(db, reference_id)


def bring_file_back(reference_id: int) -> ReferenceInfo:
    """Bring a file back that was taken away."""
    with transaction() as db:
        return store.bring_back(db, reference_id)


def reference_of(session_id: int) -> ReferenceInfo | None:
    """Return the session's newest reference, whatever its state."""
    with transaction() as db:
        return store.latest(db, session_id)


def one_reference(reference_id: int) -> ReferenceInfo:
    """Return one reference."""
    with transaction() as db:
        return store.get(db, reference_id)


def heard(session_id: int) -> Heard | None:
    """Return the session's newest analysed record with what was found, or None."""
    with together() as db:
        reference = store.shown(db, session_id)
        if reference is None:
            return None
        files = store.files(db, session_id)
        said = evidence_store.listing(db, session_id)
        marks = store.versions(db, [file.id for file in files])
        kept = {i: _kept((settings().database_url, i, mark)) for i, mark in marks.items()}
    shown = kept[reference.id].analysis
    if len(files) > 1 or any(piece.quantity for piece in said):
        cards = _pooled(reference, [(file, kept[file.id].analysis) for file in files], said)
        shown = shown.model_copy(update={"voices": cards})
    return Heard(reference, shown, kept[reference.id].peaks, tuple(files), tuple(said))


@lru_cache(maxsize=MOST_READ)
def _kept(version: tuple[str, int, str]) -> _Kept:
    """Return an analysis by database, reference and its mark; unchanged, it is not read again."""
    with transaction() as db:
        document, waveform = store.documents(db, version[1])
    return _Kept(AnalysisFile.model_validate(document), (waveform["low"], waveform["high"]))


def _pooled(
    shown: ReferenceInfo,
    files: Sequence[tuple[ReferenceInfo, AnalysisFile]],
    said: Sequence[EvidenceInfo],
) -> list[VoiceFile]:
    """Return the cards of a record's files and evidence, voices of all files together."""
    sources: dict[str, list[Source]] = {}
    for info, file in sorted(files, key=lambda f: f[0].id != shown.id):
        for voice in file.voices:
            source = Source(info.filename, info.kind, card_from_file(voice))
            sources.setdefault(voice.voice, []).append(source)
    cards = []
    for name in sorted(sources, key=voice_order):
        own = [
            Evidence(e.quantity, e.value, e.sd, e.confidence, e.source)
            for e in said
            if e.voice == name and e.quantity is not None and e.value is not None
        ]
        cards.append(voice_file(*pooled_card(sources[name], own)))
    return cards


def cancel_analysis(reference_id: int) -> None:
    """Cancel an analysis; what was analysed before stays."""
    with transaction() as db:
        store.cancel(db, reference_id)


def sound_range(audio_id: int, start: int, count: int) -> bytes:
    """Return a range of a sound's bytes."""
    with transaction() as db:
        return audio_store.read(db, audio_id, start, count)


def sound_info(audio_id: int) -> audio_store.AudioInfo:
    """Return what is known of a sound."""
    with transaction() as db:
        return audio_store.info(db, audio_id)
