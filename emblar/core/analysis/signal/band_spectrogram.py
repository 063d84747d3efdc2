"""The recording as band powers every 5 ms: what strokes are found and told apart by.

Conventions
-----------
Frame n is centred at n · ``HOP`` samples. Below ``SPLIT_HZ`` the bands are single bins of a 46 ms
window (21.5 Hz each), above it quarter octaves of a 12 ms window, where time matters more. Powers
are linear, float32, shape (frames, ``BANDS``). *Flatness* is the geometric over the arithmetic mean
of the 46 ms window's bins in each of ``FLAT_EDGES_HZ``, in dB: near 0 for noise, low for notes.
``fine`` has the bins of a 186 ms window below ``FINE_HIGHEST_HZ`` at every ``FINE_EVERY``-th frame:
long enough to part the partials of a bass note.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.fft import rfft
from scipy.ndimage import uniform_filter1d
from scipy.signal.windows import hann

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples

Powers = NDArray[np.float32]
HOP = 220
"""Samples from frame to frame: 5 ms."""
HOP_S = HOP / ANALYSIS_RATE_HZ
LOW_WINDOW = 2048
HIGH_WINDOW = 512
"""Samples of the windows for low bands and for high ones: 46 and 12 ms."""
LOW_BINS = slice(1, 14)
"""Bins of the long window that are bands of their own."""
SPLIT_HZ = 290.0
"""Where single bins end and quarter octaves begin."""
HIGHEST_HZ = 16000.0
"""Where bands end: above it coded recordings have nothing."""
BANDS_PER_OCTAVE = 4
"""How wide the high bands are."""
BLOCK_FRAMES = 2048
"""Frames that are transformed at once."""
FLAT_EDGES_HZ = (300, 700, 1500, 3000, 6000, 12000)
"""Bands in which flatness is read, Hz."""
FLAT_BANDS = len(FLAT_EDGES_HZ) - 1
"""How many of them."""
QUIETEST = 1e-20
"""Power that is nothing."""
LOW_BANDS = LOW_BINS.stop - LOW_BINS.start
FINE_WINDOW = 8192
FINE_EVERY = 5
"""Samples of the long window, and every how-manieth frame it is taken at."""
FINE_HIGHEST_HZ = 1800.0
"""Up to where its bins are kept."""
FINE_BINS = int(FINE_HIGHEST_HZ * FINE_WINDOW / ANALYSIS_RATE_HZ)
FINE_HZ = ANALYSIS_RATE_HZ / FINE_WINDOW
FINE_BLOCK = 128
"""Long windows that are transformed at once."""
CLIFF = (0.93, 0.98, 1.06)
CLIFF_DB = 40.0
"""Shares of a frequency between and above which a cliff is looked for, and how deep one is, dB."""
LOWEST_CLIFF_HZ = 3000.0
HIGHEST_CLIFF_HZ = 19500.0
"""Where a recording is cut off: this much falls from the first two shares of a frequency to above
the third."""
LEAST_SHARE = 0.4
FALLS_OVER = 6
STEP_DOWN_DB = 2.0
"""Share of a band that must be heard; else it is taken to fall from the one below as much as those
below it do, over so many, and so much more (the least of sampled drums fall by more up there)."""
BED_HZ = (200.0, 2000.0)
BED_PERCENTILES = (20.0, 90.0)
"""Where other instruments are heard between strokes, Hz, and the levels that are compared, %."""
BED_FRAMES = 10
"""Frames over which that level is smoothed: 50 ms."""
BED_SPAN_DB = (1.8, 13.0)
"""Drums alone fall by 14 dB and more between strokes, a mix by 3 to 12, steady noise by 1."""


def _high_bank() -> Powers:
    count = int(np.log2(HIGHEST_HZ / SPLIT_HZ) * BANDS_PER_OCTAVE) + 1
    edges = SPLIT_HZ * 2.0 ** (np.arange(count + 1) / BANDS_PER_OCTAVE)
    bins = np.arange(HIGH_WINDOW // 2 + 1) * ANALYSIS_RATE_HZ / HIGH_WINDOW
    width = bins[1]
    # A band takes the share of each bin that lies in it, so that narrow bands are not empty.
    low = np.maximum(bins[:, None] - width / 2, edges[None, :-1])
    high = np.minimum(bins[:, None] + width / 2, edges[None, 1:])
    return np.asarray(np.maximum(high - low, 0.0) / width, np.float32)


HIGH_BANK = _high_bank()
BANDS = LOW_BANDS + HIGH_BANK.shape[1]
"""How many bands there are."""


def band_centres_hz() -> NDArray[np.float64]:
    """Return the centre of each band in Hz, shape (BANDS,)."""
    low = np.arange(LOW_BINS.start, LOW_BINS.stop) * ANALYSIS_RATE_HZ / LOW_WINDOW
    high = SPLIT_HZ * 2.0 ** ((np.arange(HIGH_BANK.shape[1]) + 0.5) / BANDS_PER_OCTAVE)
    return np.concatenate([low, high])


@dataclass(frozen=True, slots=True)
class Frames:
    """Band powers of a whole recording, shape (frames, BANDS); flatness, (frames, FLAT_BANDS)."""

    power: Powers
    flatness_db: Powers
    fine: Powers
    """Power per bin of ``FINE_HZ``, shape (frames / ``FINE_EVERY``, FINE_BINS)."""

    @property
    def is_mix(self) -> bool:
        """Whether something plays on between the strokes: the middle of the spectrum stays up."""
        centres = band_centres_hz()
        inside = (centres > BED_HZ[0]) & (centres < BED_HZ[1])
        smooth = uniform_filter1d(self.power[:, inside].sum(axis=1), BED_FRAMES)
        level = 10.0 * np.log10(np.maximum(smooth, 0.0) + QUIETEST)
        low, high = np.percentile(level, BED_PERCENTILES)
        return bool(BED_SPAN_DB[0] < high - low < BED_SPAN_DB[1])

    def without_lead(self, count: int) -> "Frames":
        """Return the frames from the ``count``-th on, a multiple of ``FINE_EVERY``."""
        return Frames(
            self.power[count:], self.flatness_db[count:], self.fine[count // FINE_EVERY :]
        )

    def __len__(self) -> int:
        return len(self.power)


def _transform(
    mono: Samples, window: int, hop: int = HOP, block: int = BLOCK_FRAMES
) -> Iterator[tuple[slice, Powers]]:
    shape = (hann(window, sym=False) / (window / 2.0)).astype(np.float32)
    padded = np.pad(mono.astype(np.float32), (window // 2, window))
    views = sliding_window_view(padded, window)[::hop][: len(mono) // hop + 1]
    for first in range(0, len(views), block):
        spectrum = rfft(views[first : first + block] * shape)
        rows = slice(first, first + len(spectrum))
        yield rows, np.asarray(spectrum.real**2 + spectrum.imag**2, np.float32)


def frames_of(mono: Samples) -> Frames:
    """Return the band powers of one channel at ``ANALYSIS_RATE_HZ``.

    What was cut off above a frequency, by a low sample rate or by coding, is taken to go on as it
    does below (``heard_to_hz``).
    """
    power = np.empty((len(mono) // HOP + 1, BANDS), np.float32)
    flatness = np.empty((len(power), FLAT_BANDS), np.float32)
    total = np.zeros(HIGH_WINDOW // 2 + 1)
    for rows, spectrum in _transform(mono, HIGH_WINDOW):
        power[rows, LOW_BANDS:] = spectrum @ HIGH_BANK
        total += spectrum.sum(axis=0)
    highest_hz = heard_to_hz(total)
    _go_on(power, highest_hz)
    edges = np.round(np.array(FLAT_EDGES_HZ) * LOW_WINDOW / ANALYSIS_RATE_HZ).astype(int)
    edges = edges[: max(int(np.searchsorted(FLAT_EDGES_HZ, 0.9 * highest_hz)), 1) + 1]
    edges[-1] = min(edges[-1], int(highest_hz * LOW_WINDOW / ANALYSIS_RATE_HZ))
    counts = np.diff(edges)
    for rows, spectrum in _transform(mono, LOW_WINDOW):
        power[rows, :LOW_BANDS] = spectrum[:, LOW_BINS]
        inside = spectrum[:, edges[0] : edges[-1]] + QUIETEST
        mean = np.add.reduceat(inside, edges[:-1] - edges[0], axis=1) / counts
        logs = np.add.reduceat(np.log10(inside), edges[:-1] - edges[0], axis=1) / counts
        flatness[rows, : len(counts)] = 10.0 * (logs - np.log10(mean))
    flatness[:, len(counts) :] = flatness[:, [len(counts) - 1]]
    fine = np.empty((len(mono) // (HOP * FINE_EVERY) + 1, FINE_BINS), np.float32)
    for rows, spectrum in _transform(mono, FINE_WINDOW, HOP * FINE_EVERY, FINE_BLOCK):
        fine[rows] = spectrum[:, :FINE_BINS]
    return Frames(power, flatness, fine)


def heard_to_hz(power: NDArray[np.float64]) -> float:
    """Return the frequency above which a recording was cut off, half the rate if it was not.

    ``power`` is that of the whole recording at the bins of ``HIGH_WINDOW``. No sound ends so steep
    as by ``CLIFF_DB`` within an eighth of its frequency.
    """
    bins = np.arange(len(power)) * ANALYSIS_RATE_HZ / HIGH_WINDOW
    above = np.maximum.accumulate(power[::-1])[::-1]
    for index in np.flatnonzero((bins >= LOWEST_CLIFF_HZ) & (bins < HIGHEST_CLIFF_HZ)):
        hz = bins[index]
        below = power[(bins >= CLIFF[0] * hz) & (bins <= CLIFF[1] * hz)].mean()
        beyond = above[min(int(np.searchsorted(bins, CLIFF[2] * hz)), len(above) - 1)]
        if beyond < below * 10.0 ** (-CLIFF_DB / 10.0):
            return float(CLIFF[1] * hz)
    return ANALYSIS_RATE_HZ / 2.0


def _go_on(power: Powers, highest_hz: float) -> None:
    """Put in what bands above a frequency would have: as far as heard, or as those below fall."""
    edges = SPLIT_HZ * 2.0 ** (np.arange(HIGH_BANK.shape[1] + 1) / BANDS_PER_OCTAVE)
    share = np.clip((highest_hz - edges[:-1]) / np.diff(edges), 0.0, 1.0)
    for band in np.flatnonzero(share < 1.0):
        column = LOW_BANDS + int(band)
        if share[band] >= LEAST_SHARE:
            power[:, column] /= share[band]
        else:
            falls = (power[:, column - 1] + QUIETEST) / (
                power[:, column - 1 - FALLS_OVER] + QUIETEST
            )
            step = np.minimum(falls, 1.0) ** (1.0 / FALLS_OVER) * 10.0 ** (-STEP_DOWN_DB / 10.0)
            power[:, column] = power[:, column - 1] * step
