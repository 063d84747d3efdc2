"""The whole analysis: a recording in, strokes and one card per voice out.

Conventions
-----------
Pure: samples in, frozen dataclasses out; ``progress`` is told the stage and a share from 0 to 1,
and may raise to stop the work. ``ANALYSIS_VERSION`` changes whenever the numbers can change.
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.audio import (
    ANALYSIS_RATE_HZ,
    Audio,
    Samples,
    begins_at,
    check_audio,
    from_sample,
    one_channel,
    side,
)
from emblar.core.analysis.card import measure_voice
from emblar.core.analysis.clean import AnalysedHit, clean_strokes, mark_clean, spans_of
from emblar.core.analysis.clipping import damage
from emblar.core.analysis.frames import frames_of
from emblar.core.analysis.low_band import low_band
from emblar.core.analysis.manner import with_manners
from emblar.core.analysis.onsets import dying_away, find_candidates
from emblar.core.analysis.voices import (
    Candidates,
    Hit,
    levels_db,
    lone_voice,
    name_strokes,
    one_voice,
)
from emblar.core.errors import BadAudioError
from emblar.core.quantities.card import Card
from emblar.core.voices import voice_order

Array = NDArray[np.float64]
ANALYSIS_VERSION = 21
SourceKind = Literal["auto", "mix", "drums", "hit"]
Progress = Callable[[str, float], None]
PEAK_BINS_PER_S = 200
NO_STROKES = (
    "No drum stroke was found: nothing in this recording starts suddenly and dies away. "
    "Bring a recording of drums, or a louder part of it."
)


@dataclass(frozen=True, slots=True)
class Analysis:
    """Everything found in one recording."""

    duration_s: float
    sample_rate_hz: int
    channels: int
    hits: tuple[AnalysedHit, ...]
    voices: tuple[Card, ...]
    mix: bool = False
    """Whether instruments other than drums are said, or heard, to play on between strokes."""
    clipped: float = 0.0
    """Share of its strokes' first moments that is cut flat (``clipping``)."""
    begins: int = 0
    """First sample, at the analysis rate, that was listened to: silence before it was left out."""


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
    heard = _heard(audio, kind, voice, progress)
    progress("measuring", 0.5)
    told = [AnalysedHit(h.time_s, h.voice, h.level_db, h.confidence, False) for h in heard.hits]
    since_s = heard.first / ANALYSIS_RATE_HZ
    end_s = audio.duration_s - since_s
    marked = with_manners(mark_clean(told, end_s), heard.mono)
    cards = measure_voices(heard.mono, heard.lows, marked, end_s, mix=heard.mix, progress=progress)
    placed = tuple(replace(hit, time_s=max(hit.time_s + since_s, 0.0)) for hit in marked)
    return Analysis(
        audio.duration_s, audio.sample_rate_hz, audio.channels, placed, cards,
        mix=heard.mix, clipped=damage_of(heard.mono, marked), begins=heard.first,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Heard:
    """The strokes of a recording, and what they are measured in from sample ``first`` on."""

    mono: Samples
    lows: list[Array]
    hits: list[Hit]
    mix: bool
    first: int


def _heard(audio: Audio, kind: SourceKind, voice: str | None, progress: Progress) -> _Heard:
    """Return every stroke of a recording, by its drum."""
    progress("finding strokes", 0.05)
    whole = one_channel(audio)
    first = begins_at(whole)
    mono = from_sample(whole, first)
    frames, times = find_candidates(mono)
    if len(times) == 0:
        raise BadAudioError(NO_STROKES)
    progress("sorting strokes", 0.35)
    # A recording brought as a mix in which nothing plays between the strokes is heard as drums.
    over = kind != "drums" and frames.is_mix
    mix = others_play_on(kind, lambda: over)
    beside = side(audio) if mix else None
    beside = from_sample(beside, first) if beside is not None else None
    lows = heard_low(mono, beside)
    found = Candidates(frames, times, levels_db(mono, times), lows)
    if beside is not None:
        found = replace(found, side=frames_of(beside))
    if voice is not None:
        hits = one_voice(found, voice, lone=kind == "hit", mix=over)
    else:
        hits = lone_voice(found) if kind == "hit" else name_strokes(found, mix=over, said_mix=mix)
    if not over:
        hits = _struck(hits, mono)
    if not hits:
        raise BadAudioError(NO_STROKES)
    return _Heard(mono, lows, hits, mix, first)


def remeasure(
    audio: Audio,
    hits: Sequence[AnalysedHit],
    *,
    mix: bool,
    begins: int,
    only: Collection[str],
    regions_s: Sequence[tuple[float, float]] = (),
) -> tuple[tuple[AnalysedHit, ...], tuple[Card, ...]]:
    """Measure some voices anew after a correction, as the analysis measured them.

    Parameters
    ----------
    audio
        The recording.
    hits
        All its strokes, as corrected.
    mix, begins
        What the analysis decided: ``Analysis.mix`` and ``Analysis.begins``.
    only
        The voices to measure.
    regions_s
        If given, only strokes inside one of these stretches (start, stop) are fit for measuring.
    """
    since_s = begins / ANALYSIS_RATE_HZ
    mono = from_sample(one_channel(audio), begins)
    beside = side(audio) if mix else None
    lows = heard_low(mono, from_sample(beside, begins) if beside is not None else None)
    end_s = audio.duration_s - since_s
    moved = [replace(hit, time_s=hit.time_s - since_s) for hit in hits]
    regions = [(a - since_s, b - since_s) for a, b in regions_s]
    marked = with_manners(mark_clean(moved, end_s, regions), mono)
    cards = measure_voices(mono, lows, marked, end_s, mix=mix, only=only)
    # Their times stay as they were, to the last digit: that is how strokes are known.
    return tuple(
        replace(hit, time_s=old.time_s) for hit, old in zip(marked, hits, strict=True)
    ), cards


def others_play_on(kind: str, heard: Callable[[], bool]) -> bool:
    """Whether instruments other than drums play on between strokes: as told, or as heard."""
    return kind == "mix" or (kind == "auto" and heard())


def heard_low(mono: Samples, beside: Samples | None) -> list[Array]:
    """Return the low bands that are listened to: of the middle, and of a stereo mix's side."""
    return [low_band(sound) for sound in (mono, beside) if sound is not None]


def _struck(hits: list[Hit], mono: Samples) -> list[Hit]:
    """Return the hits after which something dies away.

    Under a backing that plays on nothing does, and the classifier alone says what is a stroke.
    """
    kept = hits
    while kept:
        times = np.unique([hit.time_s for hit in kept])
        falls = dict(zip(times, dying_away(mono, times), strict=True))
        struck = [hit for hit in kept if falls[hit.time_s]]
        if len(struck) == len(kept):
            break
        # Those before one that was none are now watched for longer.
        kept = struck
    return kept


def measure_voices(
    mono: Samples,
    lows: Sequence[Array],
    hits: Sequence[AnalysedHit],
    duration_s: float,
    *,
    mix: bool,
    only: Collection[str] | None = None,
    progress: Progress = _silent,
) -> tuple[Card, ...]:
    """Measure every voice, or only some, from its clean strokes.

    ``mix`` says whether other instruments play on between them (``others_play_on``), ``lows``
    are the low bands of the recording and of the side of a stereo mix (``heard_low``).
    """
    present = {hit.voice for hit in hits}
    names = sorted(present if only is None else present & set(only), key=voice_order)
    damaged = damage_of(mono, hits)
    cards = []
    for index, name in enumerate(names):
        progress(f"measuring {name}", 0.5 + 0.5 * index / len(names))
        levels = [hit.level_db for hit in hits if hit.voice == name]
        clean = clean_strokes(hits, name, duration_s)
        every = spans_of(hits, name, duration_s)
        cards.append(
            measure_voice(
                name, mono, lows, clean, levels_db=levels, mix=mix, every=every, damaged=damaged
            )
        )
    return tuple(cards)


def damage_of(mono: Samples, hits: Sequence[AnalysedHit]) -> float:
    """Return how far a recording is clipped: the mean damage of its strokes."""
    damaged = damage(mono, np.array([hit.time_s for hit in hits]))
    return float(damaged.mean()) if len(damaged) else 0.0


def peaks(audio: Audio) -> tuple[list[float], list[float]]:
    """Return the lowest and highest sample per 1/``PEAK_BINS_PER_S`` s, over all channels."""
    size = max(1, audio.sample_rate_hz // PEAK_BINS_PER_S)
    frames = len(audio.samples) // size
    blocks = audio.samples[: frames * size].reshape(frames, size * audio.channels)
    return blocks.min(axis=1).round(4).tolist(), blocks.max(axis=1).round(4).tolist()
