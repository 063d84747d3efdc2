"""The fundamental of a drum: which mode, where it settles, how far it bends, how long it rings.

Conventions
-----------
Works on the low band decimated to ``LOW_RATE_HZ``. *Settled*: energy-weighted mean of the tracked
fundamental over 80–350 ms after the stroke for toms (150–450 ms while it still glides by more than
30 cents per 100 ms), 20–150 ms for snare and kick. *Onset pitch*: 15–60 ms. T60 is from the slope
of the tracked amplitude until the next stroke of any drum, or until it comes near the noise.

The mode is chosen on the voice's own spectrum: what its strokes add, each scaled to unit energy,
the median over strokes. Toms and kicks: the strongest peak in range; snares: the lowest within
``SNARE_WITHIN_DB`` of it, since a higher one is often the louder.

Source: partials by ESPRIT (``partials``) on consecutive windows.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks, firwin, upfirdn

from emblar.core.analysis.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.analysis.partials import Fits, fit_pieces

Array = NDArray[np.float64]
DECIMATION = 21
LOW_RATE_HZ = ANALYSIS_RATE_HZ / DECIMATION
STEP_S, LATE_STEP_S, LATE_S = 0.012, 0.035, 0.150
TRACK_CENTS = 220.0
FARTHEST_OCTAVES = 0.27
"""A tracked partial stays this close to where the drum's spectrum has its mode."""
LONGEST_TRACK_S = 1.3
SETTLE_TOM_S = (0.080, 0.350)
SETTLE_LATE_S = (0.150, 0.450)
SETTLE_SHORT_S = (0.020, 0.150)
ONSET_S = (0.015, 0.060)
GLIDING_CENTS_PER_S = 300.0
NOISE_MARGIN_DB = 8.0
FIRST_SLOPE_DB = 22.0
FAINTEST = 10.0**-4.5
MOST_EARLY = 0.25
SPECTRUM_SIZE = 16384
RANGES_HZ = {"kick": (31.0, 135.0), "snare": (125.0, 340.0), "tom": (48.0, 260.0)}
LOWEST_WITHIN_DB = {"snare": 9.0, "tom": 4.0}
SHORTEST_SPAN_S = 0.06
BEFORE_SHARE = 0.35


@dataclass(frozen=True, slots=True)
class Track:
    """The fundamental of one stroke over time: s after the stroke, Hz, amplitude."""

    time_s: Array
    frequency_hz: Array
    amplitude: Array


@dataclass(frozen=True, slots=True)
class StrokeSpan:
    """A stroke and how long it stays undisturbed by other drums, s."""

    time_s: float
    available_s: float


@dataclass(frozen=True, slots=True)
class StrokePitch:
    """What one stroke says of its drum's fundamental; None where it cannot tell."""

    settled_hz: float | None
    onset_hz: float | None
    t60_s: float | None
    track: Track


def low_band(mono: Samples) -> Array:
    """Return the recording below about 950 Hz at ``LOW_RATE_HZ``."""
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


def _power(low: Array, start_s: float, stop_s: float) -> Array:
    first, last = round(start_s * LOW_RATE_HZ), round(stop_s * LOW_RATE_HZ)
    piece = low[max(first, 0) : max(last, 0)]
    if len(piece) < 8:
        return np.zeros(SPECTRUM_SIZE // 2 + 1)
    shape = np.hanning(len(piece))
    return np.asarray(np.abs(np.fft.rfft(piece * shape, SPECTRUM_SIZE)) ** 2 / np.sum(shape**2))


def added_spectrum(low: Array, stroke: StrokeSpan, kind: str) -> Array | None:
    """Return what a stroke adds in its settled span, power; None if it is cut off before."""
    start, stop = settle_span(kind)
    stop = min(stop, stroke.available_s)
    if stop - start < SHORTEST_SPAN_S:
        start = max(stop - SHORTEST_SPAN_S, 0.015)
    if stop - start < SHORTEST_SPAN_S * 0.8:
        return None
    before = _power(low, stroke.time_s - 0.20, stroke.time_s - 0.008)
    after = _power(low, stroke.time_s + start, stroke.time_s + stop)
    # A drum struck again goes on with the note it had: not all of that is another's.
    return np.maximum(after - BEFORE_SHARE * before, 0.0)


def voice_spectrum(low: Array, strokes: Sequence[StrokeSpan], kind: str) -> Array | None:
    """Return the median over strokes of what each adds, scaled to unit energy in range."""
    low_hz, high_hz = RANGES_HZ[kind]
    grid = grid_hz()
    inside = (grid >= low_hz) & (grid <= high_hz)
    rows = []
    for stroke in strokes:
        added = added_spectrum(low, stroke, kind)
        if added is not None and added[inside].sum() > 0.0:
            rows.append(added / added[inside].sum())
    return np.median(rows, axis=0) if rows else None


def modes_hz(spectrum: Array, kind: str) -> list[tuple[float, float]]:
    """Return the peaks in range as (Hz, dB re the strongest), the fundamental first."""
    low_hz, high_hz = RANGES_HZ[kind]
    grid = grid_hz()
    first, last = np.searchsorted(grid, [low_hz, high_hz])
    inside = spectrum[first:last]
    peaks, _ = find_peaks(inside)
    if len(peaks) == 0:
        peaks = np.array([int(np.argmax(inside))])
    level = 10.0 * np.log10(inside[peaks] / inside[peaks].max() + 1e-12)
    rows = [
        (float(grid[first + p]), float(v)) for p, v in zip(peaks, level, strict=True) if v > -12.0
    ]
    chosen = max(rows, key=lambda row: row[1])
    if kind in LOWEST_WITHIN_DB:
        within = LOWEST_WITHIN_DB[kind]
        chosen = min((r for r in rows if r[1] >= -within), key=lambda row: row[0])
    return [chosen, *sorted((r for r in rows if r != chosen), key=lambda r: -r[1])]


def window_s(pitch_hz: float) -> float:
    """Return the window length in s for tracking near a pitch: 4.5 periods, 40 to 80 ms."""
    return float(np.clip(4.5 / pitch_hz, 0.040, 0.080))


def _starts(available_s: float, length: float) -> Array:
    last = min(available_s, LONGEST_TRACK_S) - length
    return np.concatenate(
        [np.arange(0.004, min(last, LATE_S), STEP_S), np.arange(LATE_S, last, LATE_STEP_S)]
    )


def track_strokes(low: Array, strokes: Sequence[StrokeSpan], expected_hz: float) -> list[Track]:
    """Follow the partial nearest to an expected pitch after each stroke.

    Parameters
    ----------
    low
        The low band at ``LOW_RATE_HZ``.
    strokes
        Where to look.
    expected_hz
        Where the drum's fundamental is expected.
    """
    length = window_s(expected_hz)
    size = round(length * LOW_RATE_HZ)
    pieces, owner, middle = [], [], []
    for index, stroke in enumerate(strokes):
        starts = _starts(stroke.available_s, length)
        firsts = [round((stroke.time_s + start) * LOW_RATE_HZ) for start in starts]
        windows = [low[first : first + size] for first in firsts]
        loudest = max((float(w @ w) for w in windows), default=0.0)
        for start, window in zip(starts, windows, strict=True):
            # What has sunk this far says nothing any more, and would lead the way back astray.
            if len(window) == size and float(window @ window) > FAINTEST * loudest:
                pieces.append(window)
                owner.append(index)
                middle.append(start + length / 2.0)
    if not pieces:
        return [Track(np.zeros(0), np.zeros(0), np.zeros(0)) for _ in strokes]
    fits = fit_pieces(np.array(pieces), LOW_RATE_HZ, count=5, rows=size // 3)
    owners, middles = np.array(owner), np.array(middle)
    return [
        _track(fits, np.flatnonzero(owners == index).astype(np.int64), middles, expected_hz, length)
        for index in range(len(strokes))
    ]


def _track(
    fits: Fits, rows: NDArray[np.int64], middles: Array, expected_hz: float, length: float
) -> Track:
    # Late windows first: the note is steady there, and the glide is followed backwards.
    near, found = expected_hz, []
    for row in rows[::-1]:
        used = fits.used[row] & (
            np.abs(np.log2(np.maximum(fits.frequency_hz[row], 1e-3) / expected_hz))
            < FARTHEST_OCTAVES
        )
        frequency = np.where(used, fits.frequency_hz[row], 1e-3)
        off = np.abs(1200.0 * np.log2(np.maximum(frequency, 1e-3) / near))
        close = used & (off < TRACK_CENTS)
        if not close.any():
            continue
        energy = np.where(close, fits.energy[row], 0.0)
        loud = close & (energy > 0.05 * energy.max())
        best = int(np.argmin(np.where(loud, off, np.inf)))
        near = 0.5 * near + 0.5 * float(frequency[best])
        at_middle = fits.amplitude[row, best] * np.exp(-fits.decay_rate[row, best] * length / 2.0)
        # A dying note's frequency is that of where most of its energy lies: before the middle.
        early = min(max(float(fits.decay_rate[row, best]), 0.0) * length / 6.0, MOST_EARLY) * length
        found.append((middles[row] - early, frequency[best], at_middle))
    table = np.array(found[::-1]).reshape(-1, 3)
    return Track(table[:, 0], table[:, 1], table[:, 2])


def settled_hz(track: Track, *, tom: bool) -> float | None:
    """Return the settled fundamental in Hz by the convention above, or None if not heard."""
    span = SETTLE_TOM_S if tom else SETTLE_SHORT_S
    inside = _inside(track, span)
    if tom and np.count_nonzero(inside) >= 6:
        slope = np.polyfit(track.time_s[inside], np.log2(track.frequency_hz[inside]), 1)[0]
        late = _inside(track, SETTLE_LATE_S)
        if abs(1200.0 * slope) > GLIDING_CENTS_PER_S and np.count_nonzero(late) >= 5:
            inside = late
    if np.count_nonzero(inside) < 3:
        return None
    # Early windows lie closer together than late ones: each stands for its own stretch of time.
    stretch = np.gradient(track.time_s[inside])
    frequency, weight = track.frequency_hz[inside], track.amplitude[inside] ** 2 * stretch
    middle = np.median(frequency)
    good = np.abs(1200.0 * np.log2(frequency / middle)) < 150.0
    return float(np.average(frequency[good], weights=weight[good] + 1e-20))


def _inside(track: Track, span: tuple[float, float]) -> NDArray[np.bool_]:
    return np.asarray((track.time_s >= span[0]) & (track.time_s <= span[1]))


def t60_s(track: Track, noise_amplitude: float) -> float | None:
    """Return T60 in s of the tracked fundamental, or None where less than 6 dB is seen to fall."""
    margin = 10.0 ** (NOISE_MARGIN_DB / 20.0)
    usable = (track.time_s > 0.03) & (track.amplitude > margin * noise_amplitude)
    if np.count_nonzero(usable) < 5:
        return None
    time, level = track.time_s[usable], 20.0 * np.log10(track.amplitude[usable])
    # Below the first slope the room may take over: it is not the drum's.
    peak = int(np.argmax(level[: max(len(level) // 2, 1)]))
    under = np.nonzero(level[peak:] < level[peak] - FIRST_SLOPE_DB)[0]
    if len(under) and under[0] >= 5:
        time, level = time[: peak + under[0]], level[: peak + under[0]]
    # Robust line: fit, drop what lies far off (beats, a neighbour's tail), fit again.
    for _ in range(3):
        slope, offset = np.polyfit(time, level, 1)
        residual = level - (slope * time + offset)
        keep = np.abs(residual) <= max(2.0 * float(np.std(residual)), 0.3)
        if keep.all() or np.count_nonzero(keep) < 5:
            break
        time, level = time[keep], level[keep]
    seen = -slope * (time[-1] - time[0])
    return float(-60.0 / slope) if slope < 0 and seen >= 6.0 else None


def stroke_pitches(
    low: Array, strokes: Sequence[StrokeSpan], expected_hz: float, *, tom: bool
) -> list[StrokePitch]:
    """Measure the fundamental of each stroke of a drum."""
    return [
        _stroke_pitch(low, stroke, track, tom=tom)
        for stroke, track in zip(strokes, track_strokes(low, strokes, expected_hz), strict=True)
    ]


def _stroke_pitch(low: Array, stroke: StrokeSpan, track: Track, *, tom: bool) -> StrokePitch:
    if len(track.time_s) == 0:
        return StrokePitch(None, None, None, track)
    early = _inside(track, ONSET_S)
    onset = None
    if early.any():
        weight = track.amplitude[early] ** 2 + 1e-20
        onset = float(np.average(track.frequency_hz[early], weights=weight))
    first, last = (
        round((stroke.time_s - 0.06) * LOW_RATE_HZ),
        round((stroke.time_s - 0.01) * LOW_RATE_HZ),
    )
    quiet = low[max(first, 0) : max(last, 0)]
    # An amplitude fitted to noise of this RMS in the same window.
    noise = float(np.sqrt(np.mean(quiet**2))) * 0.4 if len(quiet) > 8 else 0.0
    return StrokePitch(settled_hz(track, tom=tom), onset, t60_s(track, noise), track)
