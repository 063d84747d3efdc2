"""What was heard, as files for others: strokes, cards, and the parts of the recording."""

import re
from dataclasses import dataclass

import numpy as np

from emblar.core.analysis.separation.wiener import separate_voices
from emblar.core.errors import NotFoundError
from emblar.formats.strokes import card_csv, midi_bytes, strokes_csv, strokes_jams
from emblar.platform import audio as audio_store
from emblar.platform.database import transaction
from emblar.platform.sound.decode import decode
from emblar.platform.sound.encode import encode
from emblar.platform.studio import Studio
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.listen.actions.recordings import analysed_record
from emblar.steps.sessions.actions.editing import brief_of, one_session

MEDIA = {
    "mid": "audio/midi",
    "csv": "text/csv; charset=utf-8",
    "jams": "application/json",
    "json": "application/json",
    "flac": "audio/flac",
}
DRUMS = "drums"
REST = "drumless"


@dataclass(frozen=True, slots=True)
class ListenFile:
    """A file to take along."""

    name: str
    data: bytes
    media_type: str


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "session"


def _title(studio: Studio, session_id: int) -> str:
    return one_session(studio, session_id).name


def listen_file(studio: Studio, session_id: int, what: str) -> ListenFile:
    """Return ``strokes.mid``, ``strokes.csv``, ``strokes.jams``, ``card.json`` or ``card.csv``.

    Raises
    ------
    NotFoundError
        Nothing is analysed in this session yet.
    """
    result = measured_record(studio, session_id)
    if result is None:
        raise NotFoundError("Nothing is analysed in this session yet.")
    title, file = _title(studio, session_id), result.analysis
    if what == "strokes.mid":
        data = midi_bytes(file, title, brief_of(one_session(studio, session_id)).tempo_bpm)
    elif what == "strokes.csv":
        data = strokes_csv(file).encode()
    elif what == "strokes.jams":
        data = strokes_jams(file, title).encode()
    elif what == "card.csv":
        data = card_csv(file).encode()
    else:
        data = file.model_dump_json(by_alias=True, indent=2).encode()
    return ListenFile(f"{_plain(title)}-{what}", data, MEDIA[what.rsplit(".", 1)[1]])


def stem_file(studio: Studio, session_id: int, part: str) -> ListenFile:
    """Return the drums, the drumless rest, or one voice of the session's recording as FLAC.

    Raises
    ------
    NotFoundError
        There is no such part: only a full mix has a drumless rest.
    """
    result = analysed_record(studio, session_id)
    if result is None or result.recording.audio_id is None:
        raise NotFoundError("Nothing is analysed in this session yet.")
    recording, whole = result.recording, result.recording.audio_id
    name = f"{_plain(_title(studio, session_id))}-{part}.flac"
    drums = recording.drums_audio_id or whole
    if part in (DRUMS, REST):
        parts = result.parts
        if parts is None and part == REST:
            raise NotFoundError("Only a full mix has a drumless rest.")
        wanted = dict(zip((DRUMS, REST), parts or (drums, drums), strict=True))[part]
        return ListenFile(name, _as_flac(_bytes(wanted)), MEDIA["flac"])
    if part not in {voice.voice for voice in result.analysis.voices}:
        raise NotFoundError(f"There is no part “{part}” in this recording.")
    audio = decode(_bytes(drums)).audio
    hits = result.analysis.hits
    voices = separate_voices(audio.samples, audio.sample_rate_hz, hits, only=part)
    if part not in voices:
        raise NotFoundError(f"{part} sounds too seldom to be taken out of the recording.")
    peak = max(float(np.abs(voices[part]).max(initial=0.0)), 1.0)
    rate = audio.sample_rate_hz
    data = encode(voices[part] / peak, rate, container="FLAC", subtype="PCM_24")
    return ListenFile(name, data, MEDIA["flac"])


def _bytes(audio_id: int) -> bytes:
    with transaction() as db:
        return audio_store.read(db, audio_id, 0, audio_store.info(db, audio_id).size_bytes)


def _as_flac(data: bytes) -> bytes:
    if data[:4] == b"fLaC":
        return data
    audio = decode(data).audio
    peak = max(float(np.abs(audio.samples).max(initial=0.0)), 1.0)
    rate = audio.sample_rate_hz
    return encode(audio.samples / peak, rate, container="FLAC", subtype="PCM_24")
