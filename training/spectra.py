"""How loud a stroke is in each band as it dies, for each kind of drum: drawn, and made so.

Conventions
-----------
A *profile* is the level of a lone stroke in the wide bands of ``band_spans`` in each of its segments
after the onset, dB re the loudest of them, shape (SEGMENTS - BEFORE, WIDE). ``data/spectra.json``
holds the median and the spread of profiles of many drums of each kind, measured on sampled kits by
``python -m bench.spectra``; nothing of a single drum is in it. Made-up strokes are brought to a
profile drawn from there. Below ``FIRST_BAND`` the pitch decides, and they stay as they are.
"""

import json
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.signal import istft, stft

from emblar.core.analysis.signal.band_spans import (
    BAND_EDGES_HZ,
    BEFORE,
    SEGMENTS,
    segment_power,
    widened,
)
from emblar.core.analysis.signal.band_spectrogram import HOP_S, frames_of

Array = NDArray[np.floating[Any]]
Sound = NDArray[np.float32]
RATE = 44100
WHERE = Path(__file__).parent / "data" / "spectra.json"
FIRST_BAND = 5
FLOOR_DB = -90.0
MOST_GAIN_DB = 36.0
LIKE_NEXT = 0.86
"""Correlation of neighbouring bands and of neighbouring segments (measured on sampled kits)."""
SPREAD_MORE = 1.15
LEAST_SPREAD_DB = 4.0
WINDOW = 1024
HOP = 256
ROUNDS = 2
LEAD = 20 * 220
"""Samples of silence before a stroke whose profile is taken, whole frames."""


def profile(sound: Array) -> Array:
    """Return the profile of a stroke that starts at the first sample."""
    padded = np.pad(np.asarray(sound, np.float64), (LEAD, LEAD))
    frames = frames_of(padded)
    power = segment_power(frames, np.array([LEAD / RATE]))[:, BEFORE:]
    level = 10.0 * np.log10(widened(power)[0].astype(np.float64) + 1e-20)
    return np.asarray(np.maximum(level - level.max(), FLOOR_DB))


@lru_cache(maxsize=1)
def _usual() -> dict[str, tuple[Array, Array]]:
    kinds = json.loads(WHERE.read_text())["kinds"]
    return {
        kind: (np.array(row["median_db"]), np.array(row["spread_db"]))
        for kind, row in kinds.items()
    }


def drawn_profile(rng: np.random.Generator, kind: str) -> Array:
    """Draw the profile of one drum of a kind."""
    median, spread = _usual()[kind]
    along = [
        np.linalg.cholesky(LIKE_NEXT ** np.abs(np.subtract.outer(np.arange(n), np.arange(n))))
        for n in median.shape
    ]
    scatter = along[0] @ rng.standard_normal(median.shape) @ along[1].T
    spread = np.maximum(spread, LEAST_SPREAD_DB) * SPREAD_MORE
    return np.asarray(np.minimum(median + spread * scatter, 0.0))


def shaped(
    rng: np.random.Generator, kind: str, maker: Callable[[float], Sound], force: float
) -> Callable[[float], Sound]:
    """Return a maker of strokes with a drawn profile at a force, and alike at others."""
    wanted_db, usual = drawn_profile(rng, kind), maker(force)
    gain_db = np.zeros_like(wanted_db)
    for _ in range(ROUNDS):
        gain_db += wanted_db - profile(_shaped(usual, gain_db))
        gain_db[:, :FIRST_BAND] = 0.0
        gain_db = np.clip(gain_db, -MOST_GAIN_DB, MOST_GAIN_DB)

    def stroke(force: float) -> Sound:
        before = maker(force)
        after = _shaped(before, gain_db)
        return np.asarray(after * (np.abs(before).max() / (np.abs(after).max() + 1e-9)), np.float32)

    return stroke


def _shaped(sound: Sound, gain_db: Array) -> Sound:
    """Return a stroke with a gain in each segment and band, smooth in between."""
    edges = np.array([max(edge, 20.0) for edge in BAND_EDGES_HZ])
    middles = np.log2(np.sqrt(edges[1:] * edges[:-1]))
    bins = np.log2(np.maximum(np.arange(WINDOW // 2 + 1) * RATE / WINDOW, 10.0))
    _, times, spectrum = stft(sound, RATE, nperseg=WINDOW, noverlap=WINDOW - HOP)
    centres = np.array([(a + b) / 2 * HOP_S for a, b in SEGMENTS[BEFORE:]])
    over_bins = np.array([np.interp(bins, middles, row) for row in gain_db])
    place = np.clip(np.interp(times, centres, np.arange(len(centres))), 0, len(centres) - 1)
    low = np.minimum(place.astype(int), len(centres) - 2)
    share = (place - low)[:, None]
    curve = over_bins[low] * (1.0 - share) + over_bins[low + 1] * share
    _, out = istft(spectrum * 10.0 ** (curve.T / 20.0), RATE, nperseg=WINDOW, noverlap=WINDOW - HOP)
    return np.asarray(out[: len(sound)], np.float32)
