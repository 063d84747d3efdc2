"""The fundamental of one stroke: where it settles, how far it bends, how long it rings.

Conventions
-----------
Works on the low band decimated to ``LOW_RATE_HZ``. *Settled*: energy-weighted mean of the tracked
fundamental over 80–350 ms after the stroke for toms (150–450 ms while it still glides by more than
30 cents per 100 ms), 20–150 ms for snare and kick. *Onset pitch*: 15–60 ms. T60 is from the slope
of the tracked amplitude until the next stroke of any drum, or until it comes near the noise.

Source: partials by ESPRIT (``partials``) on consecutive windows.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin, upfirdn

from emblar.core.analysis.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.analysis.partials import DampedSinusoid, fit_damped_sinusoids
from emblar.core.notes import cents

Array = NDArray[np.float64]
DECIMATION = 21
LOW_RATE_HZ = ANALYSIS_RATE_HZ / DECIMATION
STEP_S, LATE_STEP_S, LATE_S = 0.010, 0.030, 0.150
TRACK_CENTS = 260.0
LONGEST_TRACK_S = 1.6
SETTLE_TOM_S = (0.080, 0.350)
SETTLE_LATE_S = (0.150, 0.450)
SETTLE_SHORT_S = (0.020, 0.150)
ONSET_S = (0.015, 0.060)
GLIDING_CENTS_PER_S = 300.0
NOISE_MARGIN_DB = 8.0
FAINTEST = 10.0**-4.5
OVERTONE_HIGHEST_HZ = 900.0


@dataclass(frozen=True, slots=True)
class Track:
    """The fundamental of one stroke over time: s after the stroke, Hz, amplitude."""

    time_s: Array
    frequency_hz: Array
    amplitude: Array


@dataclass(frozen=True, slots=True)
class StrokePitch:
    """What one clean stroke says of its drum's fundamental; None where it cannot tell."""

    settled_hz: float | None
    onset_hz: float | None
    t60_s: float | None
    overtone_ratio: float | None
    overtone_db: float | None
    track: Track


def low_band(mono: Samples) -> Array:
    """Return the recording below about 950 Hz at ``LOW_RATE_HZ``."""
    taps = firwin(60 * DECIMATION + 1, 0.9 / DECIMATION, window=("kaiser", 7.0))
    # Whole strides keep sample n of the result at n·DECIMATION of the input.
    padded = np.pad(mono, (30 * DECIMATION, 30 * DECIMATION))
    return np.asarray(upfirdn(taps, padded, 1, DECIMATION)[60 : 60 + -(-len(mono) // DECIMATION)])


def window_s(pitch_hz: float) -> float:
    """Return the window length in s for tracking near a pitch: four periods, 40 to 80 ms."""
    return float(np.clip(4.0 / pitch_hz, 0.040, 0.080))


def track_fundamental(low: Array, time_s: float, expected_hz: float, available_s: float) -> Track:
    """Follow the partial nearest to an expected pitch after a stroke.

    Parameters
    ----------
    low
        The low band at ``LOW_RATE_HZ``.
    time_s
        When the stroke begins.
    expected_hz
        Where the drum's fundamental is expected.
    available_s
        Time until something else covers it.
    """
    length = window_s(expected_hz)
    size = round(length * LOW_RATE_HZ)
    rows = []
    # Late windows are found first: the note is steady there, and the glide is followed backwards.
    last = min(available_s, LONGEST_TRACK_S) - length
    starts = np.concatenate(
        [np.arange(0.004, min(last, LATE_S), STEP_S), np.arange(LATE_S, last, LATE_STEP_S)]
    )
    firsts = [round((time_s + start) * LOW_RATE_HZ) for start in starts]
    windows = [low[first : first + size] for first in firsts]
    loudest = max((float(w @ w) for w in windows), default=0.0)
    # What has sunk this far says nothing any more, and would lead the way back astray.
    fits = [
        (start + length / 2.0, fit_damped_sinusoids(window, LOW_RATE_HZ))
        for start, window in zip(starts, windows, strict=True)
        if len(window) == size and float(window @ window) > FAINTEST * loudest
    ]
    near = expected_hz
    for middle, sinusoids in reversed(fits):
        best = _nearest(sinusoids, near)
        if best is None:
            continue
        near = 0.5 * near + 0.5 * best.frequency_hz
        at_middle = best.amplitude * np.exp(-best.decay_rate * length / 2.0)
        rows.append((middle, best.frequency_hz, at_middle))
    rows.reverse()
    table = np.array(rows).reshape(-1, 3)
    return Track(table[:, 0], table[:, 1], table[:, 2])


def _nearest(sinusoids: list[DampedSinusoid], near_hz: float) -> DampedSinusoid | None:
    close = [s for s in sinusoids if abs(cents(s.frequency_hz, near_hz)) < TRACK_CENTS]
    if not close:
        return None
    strongest = max(s.energy for s in close)
    loud = [s for s in close if s.energy > 0.05 * strongest]
    return min(loud, key=lambda s: abs(cents(s.frequency_hz, near_hz)))


def settled_hz(track: Track, *, tom: bool) -> float | None:
    """Return the settled fundamental in Hz by the convention above, or None if not heard."""
    span = SETTLE_TOM_S if tom else SETTLE_SHORT_S
    inside = _inside(track, span)
    if tom and np.count_nonzero(inside) >= 6:
        slope = np.polyfit(track.time_s[inside], np.log2(track.frequency_hz[inside]), 1)[0]
        late = _inside(track, SETTLE_LATE_S)
        if abs(1200.0 * slope) > GLIDING_CENTS_PER_S and np.count_nonzero(late) >= 6:
            inside = late
    if np.count_nonzero(inside) < 3:
        return None
    frequency, weight = track.frequency_hz[inside], track.amplitude[inside] ** 2
    middle = np.median(frequency)
    good = np.abs(1200.0 * np.log2(frequency / middle)) < 150.0
    return float(np.average(frequency[good], weights=weight[good]))


def _inside(track: Track, span: tuple[float, float]) -> NDArray[np.bool_]:
    return np.asarray((track.time_s >= span[0]) & (track.time_s <= span[1]))


def t60_s(track: Track, noise_amplitude: float) -> float | None:
    """Return T60 in s of the tracked fundamental, or None where less than 6 dB is seen to fall."""
    margin = 10.0 ** (NOISE_MARGIN_DB / 20.0)
    usable = (track.time_s > 0.03) & (track.amplitude > margin * noise_amplitude)
    if np.count_nonzero(usable) < 5:
        return None
    time, level = track.time_s[usable], 20.0 * np.log10(track.amplitude[usable])
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


def overtone(
    low: Array, time_s: float, pitch_hz: float, available_s: float
) -> tuple[float, float] | None:
    """Return (ratio, dB) of the strongest overtone against the fundamental at 40–120 ms."""
    length = min(0.080, available_s - 0.045)
    if length < 0.04:
        return None
    first = round((time_s + 0.040) * LOW_RATE_HZ)
    window = low[first : first + round(length * LOW_RATE_HZ)]
    sinusoids = fit_damped_sinusoids(window, LOW_RATE_HZ, count=8)
    own = _nearest(sinusoids, pitch_hz)
    above = [s for s in sinusoids if 1.25 * pitch_hz < s.frequency_hz < OVERTONE_HIGHEST_HZ]
    if own is None or not above:
        return None
    top = max(above, key=lambda s: s.energy)
    return top.frequency_hz / own.frequency_hz, 10.0 * np.log10(top.energy / own.energy)


def stroke_pitch(
    low: Array, time_s: float, expected_hz: float, available_s: float, *, tom: bool
) -> StrokePitch:
    """Measure the fundamental of one stroke."""
    track = track_fundamental(low, time_s, expected_hz, available_s)
    if len(track.time_s) == 0:
        return StrokePitch(None, None, None, None, None, track)
    settled = settled_hz(track, tom=tom)
    early = _inside(track, ONSET_S)
    onset = None
    if np.count_nonzero(early) >= 1:
        weight = track.amplitude[early] ** 2
        onset = float(np.average(track.frequency_hz[early], weights=weight))
    before = round((time_s - 0.06) * LOW_RATE_HZ), round((time_s - 0.01) * LOW_RATE_HZ)
    quiet = low[max(before[0], 0) : max(before[1], 0)]
    # An amplitude fitted to noise of this RMS in the same window.
    noise = float(np.sqrt(np.mean(quiet**2))) * 0.4 if len(quiet) > 8 else 0.0
    ring = overtone(low, time_s, settled, available_s) if settled else None
    return StrokePitch(
        settled_hz=settled,
        onset_hz=onset,
        t60_s=t60_s(track, noise),
        overtone_ratio=ring[0] if ring else None,
        overtone_db=ring[1] if ring else None,
        track=track,
    )
