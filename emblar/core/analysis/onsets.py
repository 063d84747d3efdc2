"""Where strokes begin.

Conventions
-----------
Times in s from the start. The novelty is the rise of a logarithmic filter bank over 10 ms: a long
window (46 ms) below 280 Hz, a shorter one (23 ms) above, each band compared with the strongest of
its neighbours just before, so that a gliding note is not a new stroke. Peaks are then moved to the
start of the rise on a 1 ms envelope.

Source: Böck & Widmer 2013 (flux with a maximum filter over frequency).
"""

import itertools

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.fft import rfft
from scipy.ndimage import maximum_filter1d, median_filter
from scipy.signal import butter, find_peaks, sosfilt
from scipy.signal.windows import hann

from emblar.core.analysis.audio import ANALYSIS_RATE_HZ, Samples

Array = NDArray[np.float64]
HOP = 220
HOP_S = HOP / ANALYSIS_RATE_HZ
LAG = 2
LOW_WINDOW, HIGH_WINDOW = 2048, 1024
SPLIT_HZ = 280.0
BLOCK_FRAMES = 2048
BANDS_PER_OCTAVE = 6
COMPRESSION_DB = 55.0
"""Levels this far below the loudest band are treated as nothing."""
CLOSEST_S = 0.028
"""Two strokes closer than this are taken as one."""
THRESHOLD = 0.15
OVER_LOCAL = 2.0
LEAST_RISE_DB = np.array([10.0, 4.0, 3.5, 3.0, 3.0])
LEAD_S = 0.1
WATCHED_S, LEAST_FALL_DB = 0.3, 1.5
SEARCH_BACK_S, SEARCH_AHEAD_S = 0.014, 0.024
LOCAL_FLOOR = 0.05
"""Share of the local peak below which a rise does not count."""


def _bank(low_hz: float, high_hz: float, window: int) -> Array:
    """Return weights from FFT bins to log-spaced bands, shape (bands, bins)."""
    edges = low_hz * 2.0 ** (np.arange(0, np.log2(high_hz / low_hz), 1 / BANDS_PER_OCTAVE))
    bins = np.fft.rfftfreq(window, 1.0 / ANALYSIS_RATE_HZ)
    rows = [(bins >= a) & (bins < b) for a, b in itertools.pairwise(edges)]
    return np.array([row / max(row.sum(), 1) for row in rows if row.any()], dtype=np.float64)


def _log_bands(mono: Samples, low_hz: float, high_hz: float, window: int) -> Array:
    bank = _bank(low_hz, high_hz, window).T
    shape = hann(window, sym=False) / (window / 2.0)
    padded = np.pad(mono, (window // 2, window))
    frames = sliding_window_view(padded, window)[::HOP][: len(mono) // HOP + 1]
    rows = []
    for first in range(0, len(frames), BLOCK_FRAMES):
        spectrum = rfft(frames[first : first + BLOCK_FRAMES] * shape)
        rows.append((spectrum.real**2 + spectrum.imag**2) @ bank)
    return np.concatenate(rows).T


def novelty(mono: Samples) -> tuple[Array, Array]:
    """Return how much begins in each frame of ``HOP`` samples.

    Returns
    -------
    curve
        Mean rise over the bands, shape (frames,). It is unchanged by gain: levels are taken
        relative to the recording's own loudest band.
    groups
        Power in wide groups of bands, low to high, shape (groups, frames).
    """
    bands = [
        _log_bands(mono, 30.0, SPLIT_HZ, LOW_WINDOW),
        _log_bands(mono, SPLIT_HZ, 16000.0, HIGH_WINDOW),
    ]
    total = np.zeros(bands[0].shape[1])
    wide = [bands[0].sum(axis=0), *(g.sum(axis=0) for g in np.array_split(bands[1], 4))]
    for power in bands:
        floor = power.max() * 10.0 ** (-COMPRESSION_DB / 10.0) + 1e-30
        level = np.log10(1.0 + power / floor)
        before = maximum_filter1d(level, 3, axis=0)[:, :-LAG]
        rise = np.maximum(level[:, LAG:] - before, 0.0)
        total[LAG:] += rise.mean(axis=0)
    return total, np.array(wide)


def find_onsets(mono: Samples) -> Array:
    """Return the times in s at which strokes begin, shape (n,), ascending.

    The first sample is held before the recording, so that a stroke at its very start is found too.
    """
    before = round(LEAD_S * ANALYSIS_RATE_HZ)
    found = _find_onsets(np.pad(mono, (before, 0), mode="edge"))
    return np.maximum(found - before / ANALYSIS_RATE_HZ, 0.0)


def _find_onsets(mono: Samples) -> Array:
    curve, groups = novelty(mono)
    local = median_filter(curve, size=round(0.4 / HOP_S))
    height = np.maximum(OVER_LOCAL * local + 0.04, THRESHOLD)
    peaks, _ = find_peaks(curve, distance=max(1, round(CLOSEST_S / HOP_S)))
    peaks = peaks[(curve[peaks] >= height[peaks]) & _stands_out(groups, peaks)]
    times = _start_of_rise(mono, np.asarray(peaks * HOP_S, np.float64))
    if len(times) == 0:
        return times
    keep = np.concatenate([[True], np.diff(times) >= CLOSEST_S])
    return _dying_away(mono, np.asarray(times[keep]))


def _stands_out(groups: Array, peaks: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Tell which peaks rise clearly in a wide band; noise by itself rises by a decibel or so."""
    frames = groups.shape[1]
    before = np.mean([groups[:, np.maximum(peaks - k, 0)] for k in (4, 5, 6)], axis=0)
    after = np.max([groups[:, np.minimum(peaks + k, frames - 1)] for k in (0, 1, 2, 3)], axis=0)
    floor = 1e-7 * groups.max(axis=1, keepdims=True) + 1e-30
    rise = 10.0 * np.log10((after + floor) / (before + floor))
    return np.asarray((rise >= LEAST_RISE_DB[:, None]).any(axis=0))


def _dying_away(mono: Samples, times: Array) -> Array:
    """Drop onsets after which nothing dies away though there is time: not struck, switched on."""
    kept: list[float] = []
    stop = len(mono) / ANALYSIS_RATE_HZ
    for time in times[::-1]:
        if stop - time >= WATCHED_S:
            last = min(stop, time + 2.0 * WATCHED_S)
            fall = _level_db(mono, time, time + 0.05) - _level_db(mono, last - 0.1, last - 0.02)
            if fall < LEAST_FALL_DB:
                continue
        kept.append(time)
        stop = time
    return np.array(kept[::-1])


def _level_db(mono: Samples, start_s: float, stop_s: float) -> float:
    piece = mono[round(start_s * ANALYSIS_RATE_HZ) : round(stop_s * ANALYSIS_RATE_HZ)]
    return float(10.0 * np.log10(np.mean(piece**2) + 1e-14))


def _start_of_rise(mono: Samples, times: Array) -> Array:
    """Move each time to the steepest rise of a 1 ms envelope near it."""
    step = ANALYSIS_RATE_HZ // 1000
    emphasised = sosfilt(butter(1, 800.0, "highpass", fs=ANALYSIS_RATE_HZ, output="sos"), mono)
    mixed = emphasised + 0.15 * mono
    # Frames are whole samples: a millisecond is 44 of them, not quite 1 ms.
    frame_s = step / ANALYSIS_RATE_HZ
    frames = len(mono) // step
    envelope = np.sqrt((mixed[: frames * step].reshape(frames, step) ** 2).mean(axis=1) + 1e-14)
    found = []
    for time in times:
        first = max(round((time - SEARCH_BACK_S) / frame_s), 2)
        last = min(round((time + SEARCH_AHEAD_S) / frame_s), frames - 2)
        if last <= first:
            continue
        near = envelope[first - 2 : last + 2]
        level = np.log(near + LOCAL_FLOOR * near.max())
        rise = level[3:] + level[2:-1] - level[1:-2] - level[:-3]
        found.append((first + int(np.argmax(rise))) * frame_s)
    return np.unique(np.array(found))
