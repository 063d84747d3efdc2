"""Match by ear: record and take as a fair pair, and our strokes in the record's song."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, one_channel
from emblar.core.errors import InputError, NotFoundError
from emblar.core.matching.fair_pair import LEAD_S, cut_strokes, fair_pair
from emblar.core.matching.in_context import over_rest, struck_again
from emblar.core.matching.overlay import Curve, band_levels
from emblar.core.matching.room import in_a_room
from emblar.formats.analysis import VoiceFile
from emblar.platform import audio as audio_store
from emblar.platform.database import transaction
from emblar.platform.sound.decode import decode_piece
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import Studio
from emblar.steps.listen.actions.recordings import AnalysedRecord
from emblar.steps.match.actions.comparison import Match, match
from emblar.steps.match.actions.takes import Take

MOST_STROKES = 4
BEFORE_S = 0.1
AFTER_S = 1.6
SONG_S = 10.0
Samples = NDArray[np.float64]
NO_TAKE = "No take yet. Record one or upload a file."


def pair_sounds(
    studio: Studio,
    session_id: int,
    slot_id: int,
    take_id: int | None = None,
    room: str = "",
    against: int | None = None,
) -> tuple[bytes, bytes]:
    """Return record and take as WAV: strokes cut alike, starting together, equally loud.

    Parameters
    ----------
    take_id, room
        The take, the newest if left out; a room to put on it for listening.
    against
        Another take to hear in the record's place.

    Raises
    ------
    InputError
        There is no measured take, no clean stroke on one side, or no such room.
    """
    result = match(studio, session_id, slot_id, take_id)
    take = [_roomed(stroke, room) for stroke in take_strokes(result.shown)]
    if against is None:
        other = record_strokes(result.analysed, result.bench.drum.voice)
    else:
        other = [_roomed(stroke, room) for stroke in take_strokes(one_take(result, against))]
    return fair_wavs(other, take)


@dataclass(frozen=True, slots=True)
class Spectra:
    """What strokes of record and take are made of, both alike in loudness."""

    record: Curve
    take: Curve


@dataclass(frozen=True, slots=True)
class Laid:
    """Cards and spectra of record and take."""

    record: VoiceFile | None
    take: VoiceFile | None
    spectra: Spectra


def laid_over(studio: Studio, session_id: int, slot_id: int, take_id: int | None = None) -> Laid:
    """Return record and take of a drum to lay over one another.

    Raises
    ------
    InputError
        There is no measured take, or no clean stroke on one side.
    """
    result = match(studio, session_id, slot_id, take_id)
    voice = result.bench.drum.voice
    sides = (record_strokes(result.analysed, voice), take_strokes(result.shown))
    record, take = (band_levels(strokes, ANALYSIS_RATE_HZ, LEAD_S) for strokes in sides)
    shown = result.shown
    cards = shown.analysis.voices if shown and shown.analysis else []
    return Laid(
        result.analysed.voice(voice or ""),
        next((v for v in cards if shown and v.voice == shown.voice), None),
        Spectra(record, take),
    )


def fair_wavs(first: Sequence[Samples], second: Sequence[Samples]) -> tuple[bytes, bytes]:
    """Return two sides as WAV, made fair to compare."""
    one, other = fair_pair(first, second, ANALYSIS_RATE_HZ)
    return wav_bytes(one, ANALYSIS_RATE_HZ), wav_bytes(other, ANALYSIS_RATE_HZ)


def song_sounds(
    studio: Studio,
    session_id: int,
    slot_id: int,
    take_id: int | None = None,
    room: str = "",
    against: int | None = None,
) -> tuple[bytes, bytes]:
    """Return a piece of the song as it is, and with our strokes over what else plays, as WAV.

    ``against`` is another take to hear in the song instead of the record's own strokes.
    """
    result = match(studio, session_id, slot_id, take_id)
    audible = result.analysed
    hits = [h for h in audible.analysis.hits if h.voice == result.bench.drum.voice]
    if not hits:
        raise InputError("The record has no stroke of this drum that could be struck again.")
    start = _densest(hits)
    members = [h for h in hits if start <= h.time_s < start + SONG_S]
    whole_id = next(
        (f.audio_id for f in audible.files if f.rest_audio_id), audible.recording.audio_id
    )
    parts = audible.parts
    whole = _piece(whole_id, start, start + SONG_S)
    drums = _piece(parts[0] if parts else whole_id, start, start + SONG_S)
    rest = _piece(parts[1], start, start + SONG_S) if parts else np.zeros_like(whole)
    times = [h.time_s - start for h in members]
    level = max((_peak_near(drums, t) for t in times), default=0.5)

    def ours(take: Take | None) -> Samples:
        stroke = max(take_strokes(take), key=lambda s: float(np.abs(s).max()))
        struck = struck_again(
            stroke,
            round(LEAD_S * ANALYSIS_RATE_HZ),
            ANALYSIS_RATE_HZ,
            times,
            [h.level_db for h in members],
            len(whole),
        )
        return over_rest(_roomed(struck, room), rest, level)

    first = whole if against is None else ours(one_take(result, against))
    second = ours(result.shown)
    return wav_bytes(first, ANALYSIS_RATE_HZ), wav_bytes(second, ANALYSIS_RATE_HZ)


def one_take(matched: Match, take_id: int) -> Take:
    """Return one of a drum's takes.

    Raises
    ------
    NotFoundError
        There is none.
    """
    take = next((t for t in matched.takes if t.info.id == take_id), None)
    if take is None:
        raise NotFoundError("That take is not here any more.")
    return take


def _roomed(samples: Samples, room: str) -> Samples:
    return in_a_room(samples, room, ANALYSIS_RATE_HZ) if room else samples


def _peak_near(samples: Samples, time_s: float) -> float:
    first = max(round((time_s - 0.01) * ANALYSIS_RATE_HZ), 0)
    return float(np.abs(samples[first : first + round(0.08 * ANALYSIS_RATE_HZ)]).max(initial=0.0))


def _densest(hits: Sequence[AnalysedHit]) -> float:
    """Return where a window of the song holds most strokes of the drum, s."""
    times = np.array([h.time_s for h in hits])
    counts = [int(((times >= t) & (times < t + SONG_S)).sum()) for t in times]
    return max(float(times[int(np.argmax(counts))]) - 0.5, 0.0)


def record_strokes(audible: AnalysedRecord, voice: str | None) -> list[Samples]:
    """Return clean strokes of a drum of the record, each cut from a little before it.

    Raises
    ------
    InputError
        No stroke of it can be heard alone.
    """
    hits = list(audible.analysis.hits)
    voice_hits = [h for h in hits if h.voice == voice]
    parts = audible.parts
    audio_id = parts[0] if parts and audible.recording.kind == "mix" else audible.recording.audio_id
    strokes = _strokes(audio_id, voice_hits, [h.time_s for h in hits])
    if not strokes:
        raise InputError("The record has no stroke of this drum that can be heard alone.")
    return strokes


def take_strokes(take: Take | None) -> list[Samples]:
    """Return clean strokes of a take, each cut from a little before it.

    Raises
    ------
    InputError
        There is no measured take, or no stroke in it.
    """
    if take is None or take.analysis is None or take.info.audio_id is None:
        raise InputError(NO_TAKE)
    voice_hits = [h for h in take.analysis.hits if h.voice == take.voice]
    strokes = _strokes(take.info.audio_id, voice_hits, [h.time_s for h in voice_hits])
    if not strokes:
        raise InputError("No stroke was found in this take. Record it again, closer.")
    return strokes


def _strokes(
    audio_id: int | None, matching: Sequence[AnalysedHit], every: Sequence[float]
) -> list[Samples]:
    """Return the clean strokes with most room after them, in the order they come."""

    def room(hit: AnalysedHit) -> float:
        after = [t for t in every if t > hit.time_s + 0.03]
        return min(after, default=hit.time_s + AFTER_S) - hit.time_s

    clean = [h for h in matching if h.clean] or list(matching)
    chosen = sorted(
        sorted(clean, key=lambda h: -min(room(h), AFTER_S))[:MOST_STROKES], key=lambda h: h.time_s
    )
    result = []
    for hit in chosen:
        start = max(hit.time_s - BEFORE_S, 0.0)
        piece = _piece(audio_id, start, hit.time_s + AFTER_S)
        position = hit.time_s - start
        result += cut_strokes(piece, ANALYSIS_RATE_HZ, [position], [position + room(hit)])
    return result


def _piece(audio_id: int | None, start_s: float, stop_s: float) -> Samples:
    """Return a piece of a stored sound, mono."""
    if audio_id is None:
        raise InputError("The sound of that recording was not kept. Upload it again.")
    with transaction() as db:
        sha256 = audio_store.info(db, audio_id).sha256
    return _decoded_piece(sha256, start_s, stop_s)


@lru_cache(maxsize=48)
def _decoded_piece(sha256: str, start_s: float, stop_s: float) -> Samples:
    # By content: an id may stand for another sound after a restore.
    with transaction() as db:
        data = audio_store.read_by_hash(db, sha256)
    return np.asarray(one_channel(decode_piece(data, start_s, stop_s)), np.float64)
