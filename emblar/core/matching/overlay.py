"""Curves of record and take to lay over one another: how they die away, bend, and are made up.

Conventions
-----------
Curves are (x, y) arrays of one length. Spectra are levels of sixth-octave bands in dB, of the
first ``SPAN_S`` of a stroke and against all of it, so that two loudnesses compare.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]
Curve = tuple[Samples, Samples]
SPAN_S = 0.5
LOWEST_HZ = 40.0
HIGHEST_HZ = 12_000.0
BANDS_PER_OCTAVE = 6
BIN_S = 0.02


def middle_curve(
    curves: Sequence[tuple[Sequence[float], Sequence[float]]], longest_s: float
) -> Curve:
    """Return the median of several strokes' curves, in bins of ``BIN_S``.

    Parameters
    ----------
    curves
        Per stroke: times in s and values.
    longest_s
        Where to end.
    """
    if not curves:
        return np.zeros(0), np.zeros(0)
    times = np.concatenate([np.asarray(t, float) for t, _ in curves])
    values = np.concatenate([np.asarray(v, float) for _, v in curves])
    edges = np.arange(0.0, longest_s, BIN_S)
    which = np.floor(times / BIN_S).astype(int)
    result = [
        (edge + BIN_S / 2.0, float(np.median(values[which == i])))
        for i, edge in enumerate(edges)
        if np.any(which == i)
    ]
    known = np.array(result).reshape(-1, 2)
    return known[:, 0], known[:, 1]


def band_levels(strokes: Sequence[Samples], rate_hz: int, lead_s: float) -> Curve:
    """Return the spectrum of strokes: band centres in Hz, mean level of each band in dB.

    Parameters
    ----------
    strokes, rate_hz
        Each stroke, mono, its onset ``lead_s`` after its first sample.
    lead_s
        See above.

    Raises
    ------
    ValueError
        There is no stroke.
    """
    if not strokes:
        raise ValueError("no stroke")
    count = round(np.log2(HIGHEST_HZ / LOWEST_HZ) * BANDS_PER_OCTAVE)
    edges = LOWEST_HZ * 2.0 ** (np.arange(count + 1) / BANDS_PER_OCTAVE)
    size = round(SPAN_S * rate_hz)
    first = round(lead_s * rate_hz)
    hz = np.fft.rfftfreq(size, 1.0 / rate_hz)
    total = np.zeros(count)
    for stroke in strokes:
        piece = np.zeros(size)
        cut = stroke[first : first + size]
        piece[: len(cut)] = cut
        power = np.abs(np.fft.rfft(piece)) ** 2
        # A band narrower than a bin takes its share of it.
        summed = np.concatenate([[0.0], np.cumsum(power)])
        edges_hz = np.interp(edges, np.append(hz, hz[-1] + hz[1]) - hz[1] / 2.0, summed)
        bands = np.diff(edges_hz)
        total += bands / max(float(bands.sum()), 1e-20)
    levels = 10.0 * np.log10(np.maximum(total / len(strokes), 1e-9))
    return np.sqrt(edges[:-1] * edges[1:]), levels
