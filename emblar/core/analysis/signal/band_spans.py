"""Power in a few spans before and after each candidate onset, and how flat the spectrum is there.

Conventions
-----------
``SEGMENTS`` are spans of frames relative to the onset. Powers are linear, shape (candidates,
SEGMENTS, BANDS); ``WIDE`` bands are wide on purpose: what depends on finer detail does not hold
from one kit to the next.
"""

import itertools
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.signal.band_spectrogram import BANDS, HOP_S, Frames, band_centres_hz

Array = NDArray[np.float64]
Rows = NDArray[np.float32]
SEGMENTS = (
    (-9, -4),
    (-4, -1),
    (0, 2),
    (2, 4),
    (4, 7),
    (7, 11),
    (11, 17),
    (17, 26),
    (26, 40),
    (40, 60),
    (60, 90),
)
"""First and last frame (5 ms each) relative to the onset."""
BEFORE = 2
"""So many of the segments lie before the onset."""
BAND_EDGES_HZ = (0, 52, 76, 110, 160, 230, 330, 600, 1200, 2400, 4800, 9000, 20000)
"""Edges of the wide bands, Hz."""
WIDE = len(BAND_EDGES_HZ) - 1
"""How many wide bands there are."""
FLAT_AT = (-6, 5, 11, 24)
"""Frames relative to the onset at which flatness is taken: before, in the attack, after it."""
FLATTEST_DB = -30.0
"""Flatness is held above this, dB: a pure note."""


def segment_power(frames: Frames, times_s: Array) -> Rows:
    """Return mean band powers, shape (candidates, SEGMENTS, BANDS); silence outside the sound."""
    total = np.concatenate(
        [np.zeros((1, BANDS)), np.cumsum(frames.power, axis=0, dtype=np.float64)]
    )
    first = np.round(np.asarray(times_s) / HOP_S).astype(np.int64)
    rows = np.empty((len(first), len(SEGMENTS), BANDS), np.float32)
    for index, (start, stop) in enumerate(SEGMENTS):
        a = np.clip(first + start, 0, len(frames))
        b = np.clip(first + stop, 0, len(frames))
        rows[:, index] = (total[b] - total[a]) / (stop - start)
    return np.maximum(rows, 0.0)


@lru_cache(maxsize=1)
def _widening() -> Rows:
    """Return weights from frame bands to the mean power of wide ones, shape (BANDS, WIDE)."""
    centres = band_centres_hz()
    rows = [(centres >= a) & (centres < b) for a, b in itertools.pairwise(BAND_EDGES_HZ)]
    return np.asarray([row / row.sum() for row in rows], np.float32).T


def widened(power: Rows) -> Rows:
    """Return mean powers of ``WIDE`` bands from those of the frames', last axis."""
    return power @ _widening()


def flatness(frames: Frames, times_s: Array) -> Rows:
    """Return flatness in dB around the candidates, shape (candidates, FLAT_AT × FLAT_BANDS)."""
    first = np.round(np.asarray(times_s) / HOP_S).astype(np.int64)
    last = len(frames) - 1
    rows = [frames.flatness_db[np.clip(first + position, 0, last)] for position in FLAT_AT]
    return np.maximum(np.concatenate(rows, axis=1), FLATTEST_DB)
