"""The whole analysis: a recording in, strokes and one card per voice out.

Conventions
-----------
Pure: samples in, frozen dataclasses out; ``progress`` is told the stage and a share from 0 to 1,
and may raise to stop the work. ``ANALYSIS_VERSION`` changes whenever the numbers can change.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from emblar.core.analysis.audio import (
    ANALYSIS_RATE_HZ,
    Audio,
    Samples,
    check_audio,
    one_channel,
)
from emblar.core.analysis.card import CleanStroke, VoiceCard, measure_voice
from emblar.core.analysis.features import strokes_at
from emblar.core.analysis.onsets import find_onsets
from emblar.core.analysis.pitch import low_band
from emblar.core.analysis.voices import Hit, Naming, assign_hits, name_voices
from emblar.core.errors import BadAudioError

ANALYSIS_VERSION = 1
SourceKind = Literal["auto", "mix", "drums", "hit"]
Progress = Callable[[str, float], None]
CLIP_LEVEL = 0.999
CLIP_SAMPLES = 3
WITHIN_LOUDEST_DB = 15.0
CLEAN_TOM_S = 0.30
CLEAN_SHORT_S = 0.16
CLEAN_HIGH_S = 0.06
TIDY_S = 0.004
PEAK_BINS_PER_S = 200
NO_STROKES = (
    "No drum stroke was found: nothing in this recording starts suddenly and dies away. "
    "Bring a recording of drums, or a louder part of it."
)


@dataclass(frozen=True, slots=True)
class AnalysedHit:
    """A stroke as kept: time in s, voice, level in dBFS, confidence 0 to 1, fit for measuring."""

    time_s: float
    voice: str
    level_db: float
    confidence: float
    clean: bool


@dataclass(frozen=True, slots=True)
class Analysis:
    """Everything found in one recording."""

    duration_s: float
    sample_rate_hz: int
    channels: int
    hits: tuple[AnalysedHit, ...]
    voices: tuple[VoiceCard, ...]


def voice_order(voice: str) -> tuple[int, str]:
    """Return a sort key: kick, snare, toms high to low, hat, cymbal."""
    order = {"kick": 0, "snare": 1, "hat": 3, "cymbal": 4}
    return order.get(voice, 2), f"{voice:>8}"


def _silent(stage: str, share: float) -> None:
    """Tell nobody."""


def analyse(
    audio: Audio,
    *,
    kind: SourceKind = "auto",
    voice: str | None = None,
    progress: Progress = _silent,
) -> Analysis:
    """Analyse a recording.

    Parameters
    ----------
    audio
        The decoded recording.
    kind
        ``"hit"`` for a single stroke, ``"drums"``, ``"mix"`` or ``"auto"``.
    voice
        If every stroke is known to be on one drum, its name.
    progress
        Called with the stage's name and the share done.

    Raises
    ------
    BadAudioError
        There is nothing to measure; the message says what to do.
    """
    check_audio(audio)
    progress("finding strokes", 0.05)
    mono = one_channel(audio)
    onsets = find_onsets(mono)
    if kind == "hit" and len(onsets) > 1:
        onsets = onsets[[int(np.argmax([s.level_db for s in strokes_at(mono, onsets)]))]]
    if len(onsets) == 0:
        raise BadAudioError(NO_STROKES)
    progress("sorting strokes", 0.35)
    strokes = strokes_at(mono, onsets)
    naming = name_voices(strokes, only=voice)
    hits = assign_hits(strokes, naming)
    if not hits:
        raise BadAudioError(NO_STROKES)
    progress("measuring", 0.5)
    marked = _mark_clean(hits, mono, audio.duration_s)
    cards = measure_voices(mono, marked, audio.duration_s, expected(naming), progress=progress)
    return Analysis(audio.duration_s, audio.sample_rate_hz, audio.channels, tuple(marked), cards)


def expected(naming: Naming) -> dict[str, float]:
    """Return where each drum's fundamental is expected in Hz."""
    return {named.voice: named.group.pitch_hz for named in naming.drums}


def measure_voices(
    mono: Samples,
    hits: Sequence[AnalysedHit],
    duration_s: float,
    expected_hz: dict[str, float],
    *,
    progress: Progress = _silent,
) -> tuple[VoiceCard, ...]:
    """Measure every voice from its clean strokes."""
    low = low_band(mono)
    names = sorted({hit.voice for hit in hits}, key=voice_order)
    cards = []
    for index, name in enumerate(names):
        progress(f"measuring {name}", 0.5 + 0.5 * index / len(names))
        own = [hit for hit in hits if hit.voice == name]
        clean = [_span(hit, hits, duration_s) for hit in own if hit.clean]
        clean.sort(key=lambda s: -s.drum_gap_s)
        levels = [hit.level_db for hit in own]
        cards.append(
            measure_voice(
                name, mono, low, clean, expected_hz=expected_hz.get(name), levels_db=levels
            )
        )
    return tuple(cards)


def _is_high(voice: str) -> bool:
    return voice in ("hat", "cymbal")


def _span(hit: AnalysedHit, hits: Sequence[AnalysedHit], duration_s: float) -> CleanStroke:
    later = [h for h in hits if h.time_s > hit.time_s + TIDY_S]
    drums = [h.time_s for h in later if not _is_high(h.voice)]
    next_drum = min(drums, default=duration_s)
    next_any = min((h.time_s for h in later), default=duration_s)
    # A stroke's rise begins a little before its onset time.
    return CleanStroke(hit.time_s, next_drum - hit.time_s - 0.008, next_any - hit.time_s - 0.008)


def _mark_clean(hits: list[Hit], mono: Samples, duration_s: float) -> list[AnalysedHit]:
    loudest: dict[str, float] = {}
    for hit in hits:
        loudest[hit.voice] = max(loudest.get(hit.voice, -200.0), hit.level_db)
    drum_times = np.array(sorted({h.time_s for h in hits if not _is_high(h.voice)}))
    shared = {
        h.stroke
        for h in hits
        if sum(not _is_high(o.voice) for o in hits if o.stroke == h.stroke) > 1
    }
    marked = []
    for hit in hits:
        later = drum_times[drum_times > hit.time_s + TIDY_S]
        gap = (later[0] if len(later) else duration_s) - hit.time_s
        needed = CLEAN_HIGH_S if _is_high(hit.voice) else CLEAN_SHORT_S
        needed = CLEAN_TOM_S if hit.voice.startswith("tom") else needed
        clean = (
            gap >= needed
            and hit.stroke not in shared
            and hit.level_db >= loudest[hit.voice] - WITHIN_LOUDEST_DB
            and not _clipped(mono, hit.time_s)
        )
        marked.append(AnalysedHit(hit.time_s, hit.voice, hit.level_db, hit.confidence, clean))
    return marked


def _clipped(mono: Samples, time_s: float) -> bool:
    first = round(time_s * ANALYSIS_RATE_HZ)
    piece = np.abs(mono[first : first + ANALYSIS_RATE_HZ // 20])
    return int(np.count_nonzero(piece >= CLIP_LEVEL)) >= CLIP_SAMPLES


def moved(hits: Sequence[AnalysedHit], index: int, voice: str) -> list[AnalysedHit]:
    """Return the hits with one of them moved to another voice, sure because a person said so."""
    return [
        replace(hit, voice=voice, confidence=1.0) if i == index else hit
        for i, hit in enumerate(hits)
    ]


def peaks(audio: Audio) -> tuple[list[float], list[float]]:
    """Return the lowest and highest sample per 1/``PEAK_BINS_PER_S`` s, over all channels."""
    size = max(1, audio.sample_rate_hz // PEAK_BINS_PER_S)
    frames = len(audio.samples) // size
    blocks = audio.samples[: frames * size].reshape(frames, size * audio.channels)
    return blocks.min(axis=1).round(4).tolist(), blocks.max(axis=1).round(4).tolist()
