"""Where strokes may begin: candidates, many on purpose; the classifier says which are strokes.

Conventions
-----------
Times in s from the start. The novelty of a group of bands is the mean rise of their logarithmic
power over 10 ms, each band compared with the strongest of its neighbours just before, so that a
gliding note is not a new stroke. Peaks of any group are candidates; peaks close together are one.
Candidates are then moved, to the sample, to the start of the rise of the level in 1 ms.

Source: Böck & Widmer 2013 (flux with a maximum filter over frequency).
"""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, median_filter
from scipy.signal import butter, find_peaks, sosfilt

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.analysis.signal.band_spectrogram import (
    HOP,
    HOP_S,
    Frames,
    band_centres_hz,
    frames_of,
)

Array = NDArray[np.float64]
LAG = 2
"""Frames (5 ms) over which a rise is taken: 10 ms."""
GROUP_EDGES_HZ = (0.0, 140.0, 650.0, 3500.0, 20000.0)
"""Groups of bands in which rises are sought: kicks, toms, snares, metal."""
COMPRESSION_DB = 50.0
"""Levels this far below the group's loudest band are treated as nothing."""
CLOSEST_S = 0.028
"""Two strokes closer than this are taken as one."""
LEAST_RISE = 0.10
"""Least mean rise of a group's log power, decades."""
LEAST_RISE_DB = (6.5, 4.5, 3.5, 3.0)
LEAST_RISE_IN_MIX_DB = (4.5, 3.0, 2.3, 2.0)
"""Where other instruments play on, drums rise out of them by less."""
OVER_LOCAL = 1.5
"""A peak is this much over the median of 0.3 s round it."""
LEAD_S = 0.1
END_S = 0.05
"""Held before the recording, so that its first stroke has a before; what begins so near the end is
the cut itself, s."""
WATCHED_S = 0.3
LEAST_FALL_DB = 1.5
"""How long after a stroke the sound is watched, s, and how far it has to fall, dB."""
SEARCH_BACK_S = 0.014
SEARCH_AHEAD_S = 0.020
"""How far from a peak its steepest rise is sought, s."""
LOCAL_FLOOR = 0.05
"""Share of the local peak below which a rise does not count."""
RISE_STEP = ANALYSIS_RATE_HZ // 1000
"""Samples of a millisecond."""
QUIETEST = 1e-14
"""Power that is nothing."""


def novelty(frames: Frames) -> Array:
    """Return how much begins in each frame, shape (groups, frames); unchanged by gain."""
    centres = band_centres_hz()
    curves = np.zeros((len(GROUP_EDGES_HZ) - 1, len(frames)))
    loudest = float(frames.power.max()) + 1e-30
    for index in range(len(curves)):
        inside = (centres >= GROUP_EDGES_HZ[index]) & (centres < GROUP_EDGES_HZ[index + 1])
        power = frames.power[:, inside]
        floor = max(float(power.max()) * 10.0 ** (-COMPRESSION_DB / 10.0), 1e-9 * loudest)
        level = np.log10(1.0 + power / floor)
        before = maximum_filter1d(level, 3, axis=1)[:-LAG]
        curves[index, LAG:] = np.maximum(level[LAG:] - before, 0.0).mean(axis=1)
    return curves


def find_candidates(mono: Samples) -> tuple[Frames, Array]:
    """Return the frames of a recording and the times in s at which strokes may begin.

    The first sample is held before the recording, so that a stroke at its very start is found too;
    times are then of the recording itself, the frames of the lengthened one (see ``LEAD_S``). Being
    cut off at the end is a click, too: what begins in the last ``END_S`` is left out.
    """
    lead = round(LEAD_S * ANALYSIS_RATE_HZ / HOP) * HOP
    held = np.pad(mono, (lead, 0), mode="edge")
    frames = frames_of(held)
    peaks = _peaks(novelty(frames))
    times = _refined(held, peaks[_rising(frames, peaks)]) - lead / ANALYSIS_RATE_HZ
    times = times[times < len(mono) / ANALYSIS_RATE_HZ - END_S]
    return frames.without_lead(lead // HOP), np.maximum(times, 0.0)


def _peaks(curves: Array) -> Array:
    """Return the times in s of peaks in any group, those close together merged."""
    apart = max(1, round(CLOSEST_S / HOP_S))
    together = curves.sum(axis=0)
    chosen = np.zeros(curves.shape[1], bool)
    for curve in (*curves, together / len(curves)):
        local = median_filter(curve, size=round(0.3 / HOP_S))
        result, _ = find_peaks(curve, distance=apart)
        chosen[result[curve[result] >= np.maximum(OVER_LOCAL * local[result], LEAST_RISE)]] = True
    # The strongest first: each takes its neighbours with it.
    frames = np.nonzero(chosen)[0]
    taken = np.zeros(len(together), bool)
    kept = []
    for frame in frames[np.argsort(-together[frames], kind="stable")]:
        if not taken[frame]:
            kept.append(frame)
            taken[max(frame - apart + 1, 0) : frame + apart] = True
    return np.sort(np.array(kept, np.float64)) * HOP_S


def _rising(frames: Frames, times: Array) -> NDArray[np.bool_]:
    """Tell which times rise clearly in a group; steady noise by itself rises by a little."""
    centres = band_centres_hz()
    peaks = np.round(times / HOP_S).astype(np.int64)
    result = np.zeros(len(peaks), bool)
    for index, least in enumerate(LEAST_RISE_IN_MIX_DB if frames.is_mix else LEAST_RISE_DB):
        inside = (centres >= GROUP_EDGES_HZ[index]) & (centres < GROUP_EDGES_HZ[index + 1])
        power = frames.power[:, inside].sum(axis=1)
        before = np.mean([power[np.maximum(peaks - k, 0)] for k in (4, 5, 6, 7)], axis=0)
        after = np.max([power[np.minimum(peaks + k, len(power) - 1)] for k in range(4)], axis=0)
        floor = 1e-7 * float(power.max()) + 1e-30
        result |= 10.0 * np.log10((after + floor) / (before + floor)) >= least
    return result


def _refined(mono: Samples, times: Array) -> Array:
    """Move each time, to the sample, to the steepest rise of the level in 1 ms near it."""
    if len(times) == 0:
        return times
    emphasised = sosfilt(butter(1, 800.0, "highpass", fs=ANALYSIS_RATE_HZ, output="sos"), mono)
    power = (emphasised + 0.15 * mono) ** 2
    back, ahead = (round(s * ANALYSIS_RATE_HZ) for s in (SEARCH_BACK_S, SEARCH_AHEAD_S))
    # Two steps before the first place and after the last, and the edge of a step.
    place = np.arange(-back - 2 * RISE_STEP, ahead + 2 * RISE_STEP + 1)
    padded = np.pad(power, (back + 2 * RISE_STEP, ahead + 2 * RISE_STEP + 1))
    firsts = np.round(times * ANALYSIS_RATE_HZ).astype(np.int64)
    result = np.empty(len(times))
    for index, first in enumerate(np.clip(firsts, 0, len(power))):
        total = np.cumsum(padded[first : first + len(place)])
        near = np.sqrt((total[RISE_STEP:] - total[:-RISE_STEP]) / RISE_STEP + QUIETEST)
        level = np.log(near + LOCAL_FLOOR * near.max())
        one, two, three = RISE_STEP, 2 * RISE_STEP, 3 * RISE_STEP
        rise = level[three:] + level[two:-one] - level[one:-two] - level[:-three]
        result[index] = first + int(np.argmax(rise)) - back + 1
    result = np.sort(result) / ANALYSIS_RATE_HZ
    keep = np.concatenate([[True], np.diff(result) >= CLOSEST_S * 0.7])
    return np.asarray(result[keep])


def dying_away(mono: Samples, times_s: Array) -> NDArray[np.bool_]:
    """Tell after which strokes the sound falls where there is time to; others were switched on.

    Shape of ``times_s``, which are strokes, ascending; each is watched until the next.
    """
    total = np.concatenate([[0.0], np.cumsum(mono**2)])
    end = len(mono) / ANALYSIS_RATE_HZ

    def level_db(start_s: Array, stop_s: Array) -> Array:
        first, last = (
            np.clip(np.round(t * ANALYSIS_RATE_HZ).astype(np.int64), 0, len(mono))
            for t in (start_s, stop_s)
        )
        mean = (total[last] - total[first]) / np.maximum(last - first, 1)
        return np.asarray(10.0 * np.log10(np.maximum(mean, 0.0) + 1e-14))

    stop = np.append(times_s[1:], end)
    last = np.minimum(stop, times_s + 2.0 * WATCHED_S)
    fall = level_db(times_s, times_s + 0.05) - level_db(last - 0.1, last - 0.02)
    return np.asarray((stop - times_s < WATCHED_S) | (fall >= LEAST_FALL_DB))
