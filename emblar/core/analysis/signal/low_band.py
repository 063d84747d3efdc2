"""The low band of a recording, strokes in it, and where after them a pitch is read.

Conventions
-----------
Decimated to ``LOW_RATE_HZ``; times in s from the start of the recording. The *settled* pitch of
toms is read 80–350 ms after the stroke, of snare and kick 20–150 ms.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin, upfirdn

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.quantities.spans import SETTLE_SHORT_S, SETTLE_TOM_S

Array = NDArray[np.float64]
DECIMATION = 21
"""Every so-manieth sample is kept."""
LOW_RATE_HZ = ANALYSIS_RATE_HZ / DECIMATION
SPECTRUM_SIZE = 16384
"""Samples a spectrum is filled up to: a grid of 0.13 Hz."""


@dataclass(frozen=True, slots=True)
class StrokeSpan:
    """A stroke and how long it stays undisturbed by other drums, s."""

    time_s: float
    available_s: float


def low_band(mono: Samples) -> Array:
    """Return the recording below about 950 Hz at ``LOW_RATE_HZ``, shape (n,)."""
    taps = firwin(40 * DECIMATION + 1, 0.88 / DECIMATION, window=("kaiser", 7.0))
    # Whole strides keep sample n of the result at n·DECIMATION of the input.
    padded = np.pad(mono, (20 * DECIMATION, 20 * DECIMATION))
    return np.asarray(upfirdn(taps, padded, 1, DECIMATION)[40 : 40 + -(-len(mono) // DECIMATION)])


def grid_hz() -> Array:
    """Return the frequencies of the spectra below, shape (SPECTRUM_SIZE // 2 + 1,)."""
    return np.asarray(np.fft.rfftfreq(SPECTRUM_SIZE, 1.0 / LOW_RATE_HZ))


def settle_span(kind: str) -> tuple[float, float]:
    """Return the span in s after the stroke in which this kind of drum's pitch is read."""
    return SETTLE_TOM_S if kind == "tom" else SETTLE_SHORT_S


def power_in(low: Array, start_s: float, stop_s: float) -> Array:
    """Return the power of a stretch of the low band at ``grid_hz``; none of hardly any.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    start_s
        Where it begins, s.
    stop_s
        Where it ends, s.
    """
    first, last = round(start_s * LOW_RATE_HZ), round(stop_s * LOW_RATE_HZ)
    piece = low[max(first, 0) : max(last, 0)]
    if len(piece) < 8:
        return np.zeros(SPECTRUM_SIZE // 2 + 1)
    shape = np.hanning(len(piece))
    return np.asarray(np.abs(np.fft.rfft(piece * shape, SPECTRUM_SIZE)) ** 2 / np.sum(shape**2))
