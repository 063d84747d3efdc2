"""Does a note begin here, or a drum? What the partials of the sound that is added say.

Conventions
-----------
Taken from the fine spectrum (``band_spectrogram``) before and after a candidate, levels in dB
divided to about unit range. The *peak* is the strongest of what is added below ``HIGHEST_PEAK_HZ``.
A string's or a pipe's partials lie at its multiples and stay; a drum's lie between them, glide and
fall.
"""

import itertools

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.signal.band_spectrogram import (
    FINE_BINS,
    FINE_EVERY,
    FINE_HZ,
    HOP_S,
    Frames,
)

Array = NDArray[np.float64]
Rows = NDArray[np.float32]
LOWEST_PEAK_HZ = 30.0
HIGHEST_PEAK_HZ = 300.0
"""Where the strongest partial of a drum or a bass is sought, Hz."""
BEFORE_S = -0.1
AFTER_S = (0.05, 0.1, 0.2, 0.3)
"""When before and after the candidate the fine spectrum is read, s."""
MULTIPLES = np.array([0.5, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 4.5, 5.0, 5.5, 6.0])
"""Multiples of the peak at which partials are looked for: whole ones are a string's."""
REACH_BINS = 1
"""So many bins next to a place count as it."""
FLAT_EDGES_HZ = (60.0, 300.0, 700.0, 1800.0)
"""Bands in which flatness is read, Hz."""
FLOOR_DB = -50.0
"""Ratios are held above this, dB."""
NEAR_OCTAVES = 1.0 / 3.0
"""What lies this near the peak is round it."""
SIZE = len(MULTIPLES) + 3 + len(AFTER_S) + 2 * (len(FLAT_EDGES_HZ) - 1)
"""Numbers in a row."""
QUIETEST = 1e-16
FAINTEST = 1e-4
"""Power that is nothing, and the same re the strongest."""


def tonality(frames: Frames, times_s: Array) -> Rows:
    """Return what the partials say at each candidate, shape (candidates, SIZE)."""
    if len(times_s) == 0:
        return np.empty((0, SIZE), np.float32)
    before = _tonality_at(frames, times_s + BEFORE_S)
    after = [_tonality_at(frames, times_s + s) for s in AFTER_S]
    added = np.maximum(after[1] - before, 0.0)
    added += FAINTEST * added.max(axis=1, keepdims=True) + QUIETEST
    peak = _peak(added)
    level = added[np.arange(len(added)), np.round(peak).astype(int)]
    multiples = [_near(added, peak * k) / level for k in MULTIPLES]
    octave = 2.0**NEAR_OCTAVES
    around = _mean(added, peak / octave, peak * octave) / level
    held = [_near(row, peak) / (_near(after[1], peak) + QUIETEST) for row in (after[0], *after[2:])]
    known = _near(before, peak) / (_near(after[1], peak) + QUIETEST)
    parts = [_db(x) / 25.0 + 0.5 for x in (*multiples, around, known, *held)]
    parts.append(np.log2(peak * FINE_HZ / 95.0))
    for row in (after[1], added):
        parts += [_flat(row, a, b) for a, b in itertools.pairwise(FLAT_EDGES_HZ)]
    parts.append(_db(np.sort(added[:, :56], axis=1)[:, -12] / level) / 25.0 + 0.5)
    return np.stack(parts, axis=1).astype(np.float32)


def _tonality_at(frames: Frames, times_s: Array) -> Rows:
    """Return the fine spectra nearest to some times; silence before the start."""
    index = np.round(times_s / (HOP_S * FINE_EVERY)).astype(np.int64)
    rows = frames.fine[np.clip(index, 0, len(frames.fine) - 1)]
    return np.where((index >= 0)[:, None], rows, np.float32(0.0))


def _peak(added: Rows) -> Array:
    """Return the place of the strongest peak in bins, between them by a parabola."""
    first, last = round(LOWEST_PEAK_HZ / FINE_HZ), round(HIGHEST_PEAK_HZ / FINE_HZ)
    tilt = (np.arange(first, last) / first) ** -0.5
    top = first + np.argmax(added[:, first:last] * tilt, axis=1)
    rows = np.arange(len(added))
    a, b, c = (np.log(added[rows, top + d]) for d in (-1, 0, 1))
    curve = a - 2.0 * b + c
    shift = np.where(curve < -1e-6, 0.5 * (a - c) / np.minimum(curve, -1e-6), 0.0)
    return np.asarray(top + np.clip(shift, -0.5, 0.5))


def _near(rows: Rows, place: Array) -> Array:
    """Return the most within ``REACH_BINS`` of a place, one per row."""
    middle = np.round(place).astype(np.int64)
    index = np.arange(len(rows))
    result = [
        rows[index, np.clip(middle + d, 0, FINE_BINS - 1)]
        for d in range(-REACH_BINS, REACH_BINS + 1)
    ]
    return np.asarray(np.max(result, axis=0), np.float64)


def _mean(rows: Rows, start: Array, stop: Array) -> Array:
    total = np.concatenate([np.zeros((len(rows), 1)), np.cumsum(rows, axis=1)], axis=1)
    index = np.arange(len(rows))
    a, b = (np.clip(np.round(x).astype(np.int64), 0, FINE_BINS) for x in (start, stop + 1))
    return np.asarray((total[index, b] - total[index, a]) / np.maximum(b - a, 1))


def _flat(rows: Rows, low_hz: float, high_hz: float) -> Array:
    inside = rows[:, round(low_hz / FINE_HZ) : round(high_hz / FINE_HZ)] + QUIETEST
    logs = np.log10(inside).mean(axis=1) - np.log10(inside.mean(axis=1))
    return np.asarray(np.maximum(10.0 * logs, -30.0) / 8.0 + 1.0)


def _db(ratio: Array) -> Array:
    return np.asarray(np.clip(10.0 * np.log10(ratio + 1e-12), FLOOR_DB, 20.0))
