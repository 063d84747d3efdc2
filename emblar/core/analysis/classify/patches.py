"""What is heard around each candidate onset, as the patches the classifier looks at.

Conventions
-----------
A *window* is the level of every band in dB in the frames ``REACH`` around a candidate, silence
outside the recording. Of it the classifier sees a *patch*, shape (BANDS, frames of ``NEAR``, 3):
levels relative to the loudest after the onset; what is added to the sound just before, relative to
the same; and levels relative to the recording's own loud candidates, band by band. And, as plain
numbers (*around*), what lies before and after that in the steps of ``FAR``, how flat the spectrum
is (``flatness``) and what the partials say (``tonality``). Gain therefore does not matter.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.classify.tonality import SIZE as TONES
from emblar.core.analysis.classify.tonality import tonality
from emblar.core.analysis.signal.band_spans import FLAT_AT, FLATTEST_DB, flatness
from emblar.core.analysis.signal.band_spectrogram import BANDS, FLAT_BANDS, HOP_S, Frames

Rows = NDArray[np.float32]
REACH = (-64, 120)
"""First and last frame (5 ms each) relative to the onset."""
NEAR = (-16, 48)
"""Frames of a patch."""
FAR = (
    (-64, -48),
    (-48, -32),
    (-32, -24),
    (-24, -16),
    (48, 56),
    (56, 64),
    (64, 80),
    (80, 96),
    (96, 120),
)
"""Spans of frames farther away, before and after, that are told as one level per band."""
BEFORE = ((-9, -4), (-4, -1))
"""Frames just before, of which the quieter is what sounded before."""
LOUDEST_WITHIN = (0, 26)
"""Frames in which a candidate's loudest band is sought."""
EARLY = (0, 8)
"""Frames whose level is compared with that of the recording's own loud candidates."""
LOUD_PERCENTILE = 90.0
"""Which of its candidates count as loud, %."""
NOTHING_DB = -160.0
FLOOR_DB = -70.0
"""Level where there is no recording; levels are held above the second re the loudest, dB."""
RELATIVE_DB = (-40.0, 20.0)
"""Levels re the recording's loud candidates are held between these, dB."""
CHANNELS = 3
"""See above."""
FRAMES = NEAR[1] - NEAR[0]
"""Frames of a patch."""
AROUND = len(FAR) * BANDS + len(FLAT_AT) * FLAT_BANDS + TONES
BLOCK = 256
"""So many candidates are looked at at once."""


def level_db(power: Rows) -> Rows:
    """Return powers in dB, nothing as ``NOTHING_DB``."""
    return np.asarray(10.0 * np.log10(np.maximum(power, 10.0 ** (NOTHING_DB / 10.0))))


def windows_of(
    level: Rows,
    first: NDArray[np.int64],
    start: int | NDArray[np.int64] = 0,
    stop: int | NDArray[np.int64] | None = None,
) -> Rows:
    """Return the windows around frames of a recording, shape (candidates, frames, BANDS).

    Recordings may lie one after another in ``level``: then ``start`` and ``stop`` are those of each
    candidate's own, shape (candidates, 1).

    Parameters
    ----------
    level
        Level of every band, dB, shape (frames, BANDS).
    first
        Frames to look around, shape (candidates,).
    start
        First frame of the recording, one for all or for each.
    stop
        Frame after its last, likewise; the end of ``level`` if left out.
    """
    position = first[:, None] + np.arange(*REACH)[None, :]
    result: Rows = level[np.clip(position, 0, len(level) - 1)].astype(np.float32)
    result[(position < start) | (position >= (len(level) if stop is None else stop))] = NOTHING_DB
    return result


def loud_db(level: Rows, first: NDArray[np.int64]) -> Rows:
    """Return the level of each band early in a recording's loud candidates, shape (BANDS,)."""
    frames = np.clip(first[:, None] + np.arange(*EARLY)[None, :], 0, len(level) - 1)
    early = level[frames].astype(np.float32).mean(axis=1)
    return np.asarray(np.percentile(early, LOUD_PERCENTILE, axis=0), np.float32)


def patches_of(windows: Rows, loud: Rows) -> tuple[Rows, Rows]:
    """Return patches and what lies around them.

    Parameters
    ----------
    windows
        Shape (candidates, frames, BANDS), dB; not kept.
    loud
        The recording's ``loud_db``, shape (candidates or 1, BANDS).

    Returns
    -------
    patches
        Shape (candidates, BANDS, FRAMES, CHANNELS).
    far
        Shape (candidates, len(FAR) × BANDS).
    """
    zero = -REACH[0]

    def span(rows: Rows, frames: tuple[int, int]) -> Rows:
        return rows[:, zero + frames[0] : zero + frames[1]]

    top = span(windows, LOUDEST_WITHIN).max(axis=(1, 2))[:, None, None]
    power = 10.0 ** ((windows - top) / 10.0)
    before = np.minimum(*(span(power, frames).mean(axis=1) for frames in BEFORE))[:, None]
    near = span(windows, NEAR)
    added = np.maximum(span(power, NEAR) - before, 0.0)
    # About unit range, so that the weights stay small.
    channels = (
        _unit(near - top),
        _unit(10.0 * np.log10(added + 1e-7)),
        np.clip(near - loud[:, None, :], *RELATIVE_DB) / 20.0,
    )
    far = [10.0 * np.log10(span(power, frames).mean(axis=1) + 1e-7) for frames in FAR]
    patches = np.stack(channels, axis=-1).transpose(0, 2, 1, 3)
    return (
        np.ascontiguousarray(patches, np.float32),
        _unit(np.stack(far, axis=1)).reshape(len(windows), -1).astype(np.float32),
    )


def _unit(level: Rows) -> Rows:
    return np.asarray(np.maximum(level, FLOOR_DB) / 35.0 + 1.0)


def around_of(far: Rows, flat_db: Rows, tone: Rows) -> Rows:
    """Return the plain numbers of candidates, shape (candidates, AROUND).

    Parameters
    ----------
    far
        Levels farther away, shape (candidates, spans × BANDS).
    flat_db
        Flatness (``flatness``), shape (candidates, spans × FLAT_BANDS).
    tone
        What the partials say (``tonality``), shape (candidates, TONES).
    """
    flat = np.maximum(flat_db, FLATTEST_DB) / 8.0 + 1.0
    return np.concatenate([far, flat, tone], axis=1).astype(np.float32)


def patches(frames: Frames, times_s: NDArray[np.float64]) -> Iterator[tuple[Rows, Rows]]:
    """Yield patches and plain numbers of a recording's candidates, ``BLOCK`` by ``BLOCK``."""
    if len(times_s) == 0:
        return
    first = np.round(np.asarray(times_s) / HOP_S).astype(np.int64)
    level, flat, tone = level_db(frames.power), flatness(frames, times_s), tonality(frames, times_s)
    loud = loud_db(level, first)[None, :]
    for start in range(0, len(first), BLOCK):
        part = slice(start, start + BLOCK)
        near, far = patches_of(windows_of(level, first[part]), loud)
        yield near, around_of(far, flat[part], tone[part])
