"""What is heard around each candidate onset, as the numbers the classifier looks at.

Conventions
-----------
``evidence`` has one row per candidate: levels of ``WIDE`` bands in dB in ``SEGMENTS`` of frames
before and after the onset, relative to the loudest band after it, held at −70 dB; then the same of
what is added to the sound just before; then the level of groups of bands relative to the
recording's own loud candidates; then how flat the spectrum is before and after; then the level of
every band, early and later, relative to the loud candidates; then what its partials say
(``tones``). Gain therefore does not matter.
"""

import itertools
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.frames import BANDS, FLAT_BANDS, HOP_S, Frames, band_centres_hz
from emblar.core.analysis.tones import SIZE as TONES
from emblar.core.analysis.tones import tones

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
FLOOR_DB = -70.0
LOUD_PERCENTILE = 90.0
BAND_EDGES_HZ = (0, 52, 76, 110, 160, 230, 330, 600, 1200, 2400, 4800, 9000, 20000)
"""Wide on purpose: what depends on finer detail does not hold from one kit to the next."""
WIDE = len(BAND_EDGES_HZ) - 1
GROUPS = (slice(0, 4), slice(4, 9), slice(9, WIDE))
ADDED = 6
"""Segments after the onset of which it is also said what they add to the sound before."""
FLAT_AT = (-6, 5, 11, 24)
"""Frames relative to the onset at which flatness is taken: before, in the attack, after it."""
FLAT_SIZE = len(FLAT_AT) * FLAT_BANDS
FLATTEST_DB = -30.0
RELATIVE = (slice(0, 3), slice(3, 6))
"""Segments after the onset, early and later, whose bands are told relative to the loud ones."""
SIZE = (len(SEGMENTS) + ADDED) * WIDE + len(GROUPS) + FLAT_SIZE + len(RELATIVE) * WIDE + TONES


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


def evidence(frames: Frames, times_s: Array) -> Rows:
    """Return the evidence of each candidate, shape (candidates, SIZE)."""
    if len(times_s) == 0:
        return np.empty((0, SIZE), np.float32)
    power, flat = segment_power(frames, times_s), flatness(frames, times_s)
    return evidence_of(power, flat, tones(frames, times_s))


def flatness(frames: Frames, times_s: Array) -> Rows:
    """Return flatness in dB around the candidates, shape (candidates, FLAT_SIZE)."""
    first = np.round(np.asarray(times_s) / HOP_S).astype(np.int64)
    last = len(frames) - 1
    rows = [frames.flatness_db[np.clip(first + at, 0, last)] for at in FLAT_AT]
    return np.maximum(np.concatenate(rows, axis=1), FLATTEST_DB)


def evidence_of(power: Rows, flat_db: Rows, tone: Rows) -> Rows:
    """Return the evidence from powers, flatness and tones of one recording's candidates."""
    power = widened(power)
    after = power[:, BEFORE:]
    before = np.minimum(power[:, :1], power[:, 1:2])
    added = np.maximum(after - before, 0.0)[:, :ADDED]
    early = added[:, :3].mean(axis=1)
    sums = np.stack([early[:, group].sum(axis=1) for group in GROUPS], axis=1)
    # About unit range, so that the classifier's weights stay small.
    parts = [
        _levels(power, after).reshape(len(power), -1) / 35.0 + 1.0,
        _levels(added, added).reshape(len(power), -1) / 35.0 + 1.0,
        _relative(sums) / 20.0,
        flat_db / 8.0 + 1.0,
        *(_relative(added[:, span].mean(axis=1)) / 20.0 for span in RELATIVE),
        tone,
    ]
    return np.concatenate(parts, axis=1).astype(np.float32)


def _relative(rows: Rows) -> Rows:
    """Return levels in dB re the recording's own loud candidates, column by column."""
    loud = np.percentile(rows, LOUD_PERCENTILE, axis=0) + 1e-20
    return np.asarray(np.maximum(10.0 * np.log10(rows / loud + 1e-9), FLOOR_DB))


def _levels(power: Rows, against: Rows) -> Rows:
    loudest = against.max(axis=(1, 2), keepdims=True) + 1e-20
    return np.asarray(np.maximum(10.0 * np.log10(power / loudest + 1e-9), FLOOR_DB))
