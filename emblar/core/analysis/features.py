"""What one stroke adds to the spectrum: the evidence for which drum it was.

Conventions
-----------
A *print* of a stroke is its added power in log-spaced bands (35 Hz to 16 kHz) in three slices of
time (2–24, 24–52, 52–92 ms), the 20 ms before it taken off, shape (slices × bands,). The *low
spectrum* is the added power at 20–150 ms on a fine grid, for the pitch of a membrane.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal.windows import hann

from emblar.core.analysis.audio import ANALYSIS_RATE_HZ, Samples

Array = NDArray[np.float64]
SLICES_S = ((0.002, 0.024), (0.024, 0.052), (0.052, 0.092))
BEFORE_S = (-0.022, -0.002)
BAND_EDGES_HZ = 35.0 * 2.0 ** (np.arange(0, 36) / 4.0)
FFT_SIZE = 4096
LOW_FFT = 32768
LOW_SPAN_S = (0.015, 0.150)
LOW_RANGE_HZ = (32.0, 420.0)
BANDS = len(BAND_EDGES_HZ) - 1


@dataclass(frozen=True, slots=True)
class Stroke:
    """Evidence about one onset.

    Attributes
    ----------
    time_s
        When it begins.
    added
        Print of shape (3, BANDS), power.
    low_power
        Added power on ``low_grid_hz()``.
    level_db
        RMS of the first 50 ms, dB re full scale.
    gap_s
        Time to the next onset.
    """

    time_s: float
    added: Array
    low_power: Array
    level_db: float
    gap_s: float


def band_centres_hz() -> Array:
    """Return the centre of each band of a print in Hz."""
    return np.sqrt(BAND_EDGES_HZ[:-1] * BAND_EDGES_HZ[1:])


def low_grid_hz() -> Array:
    """Return the frequencies of the low spectrum in Hz."""
    grid = np.fft.rfftfreq(LOW_FFT, 1.0 / ANALYSIS_RATE_HZ)
    return np.asarray(grid[(grid >= LOW_RANGE_HZ[0]) & (grid <= LOW_RANGE_HZ[1])], np.float64)


def _span(mono: Samples, start_s: float, stop_s: float) -> Samples:
    start, stop = round(start_s * ANALYSIS_RATE_HZ), round(stop_s * ANALYSIS_RATE_HZ)
    piece = mono[max(start, 0) : max(stop, 0)]
    if start < 0:
        piece = np.concatenate([np.zeros(min(-start, stop - start)), piece])
    return np.pad(piece, (0, max(stop - start - len(piece), 0)))


def _power(piece: Samples, size: int) -> Array:
    window = hann(len(piece), sym=False)
    spectrum = np.fft.rfft(piece * window, size)
    return np.asarray(np.abs(spectrum) ** 2 / np.sum(window**2))


def _banded(piece: Samples) -> Array:
    power = _power(piece, FFT_SIZE)
    bins = np.fft.rfftfreq(FFT_SIZE, 1.0 / ANALYSIS_RATE_HZ)
    cumulative = np.concatenate([[0.0], np.cumsum(power)])
    places = np.interp(BAND_EDGES_HZ, np.append(bins, bins[-1] + bins[1]), cumulative)
    return np.diff(places)


def strokes_at(mono: Samples, onsets_s: Array) -> list[Stroke]:
    """Return the evidence for each onset.

    Parameters
    ----------
    mono
        One channel at ``ANALYSIS_RATE_HZ``, shape (n,).
    onsets_s
        Times in s, ascending.
    """
    grid = np.fft.rfftfreq(LOW_FFT, 1.0 / ANALYSIS_RATE_HZ)
    low = (grid >= LOW_RANGE_HZ[0]) & (grid <= LOW_RANGE_HZ[1])
    end = len(mono) / ANALYSIS_RATE_HZ
    gaps = np.diff(np.append(onsets_s, end))
    strokes = []
    for time, gap in zip(onsets_s, gaps, strict=True):
        before = _banded(_span(mono, time + BEFORE_S[0], time + BEFORE_S[1]))
        rows = []
        for start, stop in SLICES_S:
            # A slice past the next stroke says nothing about this one.
            held = min(start, max(gap - 0.012, 0.002))
            piece = _span(mono, time + held, time + held + stop - start)
            rows.append(np.maximum(_banded(piece) - before, 0.0))
        long_before = _power(_span(mono, time - 0.14, time - 0.005), LOW_FFT)[low]
        stop = min(LOW_SPAN_S[1], max(gap - 0.004, 0.05))
        after = _power(_span(mono, time + LOW_SPAN_S[0], time + stop), LOW_FFT)[low]
        first = _span(mono, time, time + 0.05)
        level = 10.0 * np.log10(np.mean(first**2) + 1e-12)
        added = np.maximum(after - long_before, 0.0)
        strokes.append(Stroke(float(time), np.array(rows), added, float(level), float(gap)))
    return strokes


def share(added: Array, low_hz: float, high_hz: float, *, slices: slice = slice(None)) -> float:
    """Return the added energy of a print between two frequencies, summed over slices."""
    centres = band_centres_hz()
    inside = (centres >= low_hz) & (centres < high_hz)
    return float(added[slices][:, inside].sum())
