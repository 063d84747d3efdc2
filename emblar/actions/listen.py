"""Listen: bring a recording, have it analysed, read what was found."""

import logging
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath

import numpy as np

from emblar.core.analysis.analyse import ANALYSIS_VERSION, SourceKind, analyse, peaks
from emblar.core.analysis.audio import Audio, check_audio
from emblar.core.analysis.clean import AnalysedHit
from emblar.core.analysis.separation import TemplateSeparator
from emblar.core.errors import BadAudioError, InputError, NotFoundError
from emblar.formats.analysis import AnalysisFile, VoiceFile, analysis_file
from emblar.jobs.queue import defer_analysis
from emblar.sound.decode import decode
from emblar.sound.encode import encode, kept_form
from emblar.store import audio as audio_store
from emblar.store import references as store
from emblar.store import sessions as session_store
from emblar.store.database import transaction
from emblar.store.references import ReferenceInfo

KINDS: tuple[SourceKind, ...] = ("auto", "mix", "drums", "hit")
PROGRESS_EVERY_S = 0.3
UNEXPECTED = (
    "The analysis stopped at an error of ours. The recording is not kept; bring it again, or a "
    "shorter piece of it. The log has the details."
)
log = logging.getLogger("emblar.listen")


class CancelledError(Exception):
    """The user cancelled the analysis while it ran."""


@dataclass(frozen=True, slots=True)
class Heard:
    """An analysed reference: what was found, and the waveform's peaks (lowest, highest)."""

    reference: ReferenceInfo
    analysis: AnalysisFile
    peaks: tuple[list[float], list[float]]

    def voice(self, name: str) -> VoiceFile | None:
        """Return one voice's card, or None."""
        return next((v for v in self.analysis.voices if v.voice == name), None)


def bring_recording(session_id: int, filename: str, data: bytes, kind: str) -> ReferenceInfo:
    """Keep a recording and have it analysed.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure; nothing was kept.
    """
    known = next((k for k in KINDS if k == kind), None)
    if known is None:
        raise InputError(f"“{kind}” is not a kind of recording: use {', '.join(KINDS)}.")
    decoded = decode(data)
    check_audio(decoded.audio)
    kept, media_type = kept_form(data, decoded)
    name = PurePath(filename).name or "recording"
    with transaction() as db:
        session_store.get(db, session_id)
        audio_id = audio_store.keep(db, kept, media_type)
        reference = store.create(
            db, session_id=session_id, audio_id=audio_id, filename=name, kind=known
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
    except BadAudioError as error:
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
    analysis = analyse(decoded.audio, kind=kind, progress=progress)
    low, high = peaks(decoded.audio)
    parts = None
    if kind == "mix":
        progress("taking the drums out", 0.85)
        parts = _parts(decoded.audio, analysis.hits)
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


def _parts(audio: Audio, hits: Sequence[AnalysedHit]) -> tuple[bytes, bytes]:
    """Return the drums and the drumless rest of a mix as FLAC, at the recording's own level."""
    parts = TemplateSeparator(hits).separate(audio.samples, audio.sample_rate_hz)
    loudest = max(float(np.abs(part).max()) for part in (parts.drums, parts.rest))
    scale = 1.0 / max(loudest, 1.0)
    return (
        encode(scale * parts.drums, audio.sample_rate_hz, container="FLAC", subtype="PCM_16"),
        encode(scale * parts.rest, audio.sample_rate_hz, container="FLAC", subtype="PCM_16"),
    )


def reference_of(session_id: int) -> ReferenceInfo | None:
    """Return the session's newest reference, whatever its state."""
    with transaction() as db:
        return store.latest(db, session_id)


def one_reference(reference_id: int) -> ReferenceInfo:
    """Return one reference."""
    with transaction() as db:
        return store.get(db, reference_id)


def heard(session_id: int) -> Heard | None:
    """Return the session's newest analysed reference with what was found, or None."""
    with transaction() as db:
        reference = store.latest_done(db, session_id)
        if reference is None:
            return None
        analysis, waveform = store.documents(db, reference.id)
    file = AnalysisFile.model_validate(analysis)
    return Heard(reference, file, (waveform["low"], waveform["high"]))


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
