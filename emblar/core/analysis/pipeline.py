"""The whole analysis: a recording in, strokes and one card per voice out.

Conventions
-----------
Pure: samples in, frozen dataclasses out; ``progress`` is told the stage and a share from 0 to 1,
and may raise to stop the work. ``ANALYSIS_VERSION`` changes whenever the numbers can change.
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.card.articulation import with_manners
from emblar.core.analysis.card.clean import AnalysedHit, clean_strokes, mark_clean, spans_of
from emblar.core.analysis.card.clipping import damage
from emblar.core.analysis.card.measure import measure_voice
from emblar.core.analysis.onsets.detection import dying_away, find_candidates
from emblar.core.analysis.signal.audio import (
    ANALYSIS_RATE_HZ,
    Audio,
    Samples,
    check_audio,
    from_sample,
    one_channel,
)
from emblar.core.analysis.signal.band_spectrogram import Frames, frames_of
from emblar.core.analysis.signal.scene import (
    Accompaniment,
    Scene,
    SourceKind,
    first_sound,
    scene_of,
)
from emblar.core.analysis.voices.decide import (
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
ANALYSIS_VERSION = 24
"""Counts whenever a number can change: what was analysed before is offered anew."""
Progress = Callable[[str, float], None]
PEAK_BINS_PER_S = 200
"""Lowest and highest sample drawn per s."""
NO_STROKES = (
    "No drum stroke was found: nothing in this recording starts suddenly and dies away. "
    "Use a recording of drums, or a louder part of it."
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
    progress("finding strokes", 0.05)
    mono, begins = first_sound(audio)
    frames, times = find_candidates(mono)
    if len(times) == 0:
        raise BadAudioError(NO_STROKES)
    progress("sorting strokes", 0.35)
    scene = scene_of(audio, mono, begins, Accompaniment.of(kind, audible=frames.is_mix))
    hits = _named(scene, frames, times, voice, lone=kind == "hit")
    progress("measuring", 0.5)
    marked = with_manners(mark_clean(hits, scene.duration_s), mono)
    cards = measure_voices(scene, marked, progress=progress)
    since_s = begins / ANALYSIS_RATE_HZ
    placed = tuple(replace(hit, time_s=max(hit.time_s + since_s, 0.0)) for hit in marked)
    return Analysis(
        audio.duration_s,
        audio.sample_rate_hz,
        audio.channels,
        placed,
        cards,
        mix=scene.accompaniment.taken,
        clipped=damage_of(mono, marked),
        begins=begins,
    )


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
    mono = from_sample(one_channel(audio), begins)
    scene = scene_of(audio, mono, begins, Accompaniment(taken=mix))
    since_s = begins / ANALYSIS_RATE_HZ
    moved = [replace(hit, time_s=hit.time_s - since_s) for hit in hits]
    regions = [(a - since_s, b - since_s) for a, b in regions_s]
    marked = with_manners(mark_clean(moved, scene.duration_s, regions), mono)
    # Their times stay as they were, to the last digit: that is how strokes are known.
    return tuple(
        replace(hit, time_s=old.time_s) for hit, old in zip(marked, hits, strict=True)
    ), measure_voices(scene, marked, only=only)


def _named(
    scene: Scene, frames: Frames, times_s: Array, voice: str | None, *, lone: bool
) -> list[AnalysedHit]:
    """Return every stroke of a recording by its drum, none of them marked clean yet."""
    result = Candidates(
        frames,
        times_s,
        levels_db(scene.mono, times_s),
        scene.lows,
        None if scene.side is None else frames_of(scene.side),
        scene.accompaniment,
    )
    if voice is not None:
        hits = one_voice(result, voice, lone=lone)
    else:
        hits = lone_voice(result) if lone else name_strokes(result)
    if not scene.accompaniment.is_audible:
        hits = _struck(hits, scene.mono)
    if not hits:
        raise BadAudioError(NO_STROKES)
    return [AnalysedHit(h.time_s, h.voice, h.level_db, h.confidence, False) for h in hits]


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
    scene: Scene,
    hits: Sequence[AnalysedHit],
    *,
    only: Collection[str] | None = None,
    progress: Progress = _silent,
) -> tuple[Card, ...]:
    """Measure every voice, or only some, from its clean strokes.

    Parameters
    ----------
    scene
        The recording as it is listened to.
    hits
        Its strokes, marked clean or not (``mark_clean``).
    only
        If given, only these voices are measured.
    progress
        Called with the stage's name and the share done.
    """
    present = {hit.voice for hit in hits}
    names = sorted(present if only is None else present & set(only), key=voice_order)
    damaged = damage_of(scene.mono, hits)
    cards = []
    for index, name in enumerate(names):
        progress(f"measuring {name}", 0.5 + 0.5 * index / len(names))
        cards.append(
            measure_voice(
                name,
                scene.mono,
                scene.lows,
                clean_strokes(hits, name, scene.duration_s),
                levels_db=[hit.level_db for hit in hits if hit.voice == name],
                mix=scene.accompaniment.taken,
                every=spans_of(hits, name, scene.duration_s),
                damaged=damaged,
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
