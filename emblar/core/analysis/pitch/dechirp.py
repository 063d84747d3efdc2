"""A stroke's glide taken out: its partials as they would sound if the note did not fall.

Conventions
-----------
Works on the low band at ``LOW_RATE_HZ``. A loud stroke stretches the film, so all modes start sharp
together and come down as the energy leaves: octaves above the settled note fall as exp(−rate·t).
That law is fitted to the phase of the fundamental alone, moved to 0 Hz; then the sound is read off
at times at which that phase runs evenly.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline
from scipy.signal import resample_poly

from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan

Array = NDArray[np.float64]
WIDTH = 0.22
"""Half the band round the fundamental that is followed, over its pitch."""
FINER = 4
"""The sound is read between samples so many times as finely."""
RATES = np.geomspace(4.0, 60.0, 24)
"""Rates at which a glide leaves that are tried, 1/s."""
MOST_OCTAVES = 0.35
"""No film is stretched sharper than this by a stroke."""
FAINTEST = 0.01
"""Where the partial is fainter than this share of its peak its phase is not followed."""
AS_GOOD = 2.0
"""The rate of the energy itself is taken unless another fits this many times better."""
LEAST_SAMPLES = 24
"""Fewer samples tell no glide."""


@dataclass(frozen=True, slots=True)
class Glide:
    """Where a note comes to in Hz, octaves sharp at the stroke, and how fast that leaves, 1/s."""

    settled_hz: float
    octaves: float
    rate: float

    def stretched(self, time_s: Array) -> Array:
        """Return the time in which the note is even: ∫ 2^(octaves · exp(−rate·t)) dt.

        Shape of ``time_s``.
        """
        step = np.diff(time_s, prepend=2.0 * time_s[0] - time_s[1])
        return np.asarray(np.cumsum(step * 2.0 ** (self.octaves * np.exp(-self.rate * time_s))))


def stroke_glide(
    low: Array, stroke: StrokeSpan, pitch_hz: float, span_s: tuple[float, float]
) -> Glide:
    """Fit the glide of one stroke.

    Parameters
    ----------
    low
        The low band at ``LOW_RATE_HZ``.
    stroke
        The stroke.
    pitch_hz
        About where its fundamental is.
    span_s
        Where to read it, s after the stroke.

    Returns
    -------
    glide
        Steady at ``pitch_hz`` where too little is heard to fit one.
    """
    steady = Glide(pitch_hz, 0.0, 1.0)
    start, stop = span_s
    first = max(round((stroke.time_s - 0.1) * LOW_RATE_HZ), 0)
    piece = low[first : round((stroke.time_s + stop) * LOW_RATE_HZ)]
    time = (first + np.arange(len(piece))) / LOW_RATE_HZ - stroke.time_s
    half = int(LOW_RATE_HZ / (WIDTH * pitch_hz))
    if len(piece) < 2 * half + 1:
        return steady
    window = np.hanning(2 * half + 1)
    moved = np.convolve(piece * np.exp(-2j * np.pi * pitch_hz * time), window, "same")
    reach = half / LOW_RATE_HZ
    inside = (time > start + 0.7 * reach) & (time < stop - reach)
    size = np.abs(moved)
    inside &= size > FAINTEST * max(float(size[inside].max(initial=0.0)), 1e-12)
    if np.count_nonzero(inside) < LEAST_SAMPLES:
        return steady
    time, size, phase = time[inside], size[inside], np.unwrap(np.angle(moved[inside]))
    weight = size / size.max()
    fall = -float(np.polyfit(time, np.log(size), 1, w=weight)[0])
    matching, *others = (
        _fitted(time, phase, weight, pitch_hz, rate)
        for rate in (float(np.clip(2.0 * fall, RATES[0], RATES[-1])), *RATES.tolist())
    )
    best = min(others, key=lambda matches: matches[0])
    error, glide = matching if matching[0] <= AS_GOOD * best[0] else best
    return glide if math.isfinite(error) else steady


def _fitted(
    time: Array, phase: Array, weight: Array, pitch_hz: float, rate: float
) -> tuple[float, Glide]:
    """Return the squared error in phase of the best glide of a rate, and that glide."""
    rows = np.stack([np.ones_like(time), time, (1.0 - np.exp(-rate * time)) / rate], axis=1)
    weighted = rows * weight[:, None]
    result = np.linalg.solve(weighted.T @ weighted, weighted.T @ (phase * weight))
    error = float(np.sum(((rows @ result - phase) * weight) ** 2))
    settled = pitch_hz + result[1] / (2.0 * np.pi)
    if settled <= 0.5 * pitch_hz:
        return math.inf, Glide(pitch_hz, 0.0, rate)
    sharp = math.log2(max(1.0 + result[2] / (2.0 * np.pi * settled), 1.0))
    return error, Glide(float(settled), min(sharp, MOST_OCTAVES), rate)


def dechirped(low: Array, stroke: StrokeSpan, glide: Glide, span_s: tuple[float, float]) -> Array:
    """Return a span of a stroke with its glide taken out, at ``LOW_RATE_HZ``.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    stroke
        The stroke, with the time until the next one.
    glide
        How its pitch falls (``stroke_glide``).
    span_s
        From when to when after the stroke, s.
    """
    start, stop = span_s
    first = max(round((stroke.time_s + start) * LOW_RATE_HZ) - 40, 0)
    piece = low[first : round((stroke.time_s + stop) * LOW_RATE_HZ) + 40]
    fine = resample_poly(piece, FINER, 1)
    time = (first + np.arange(len(fine)) / FINER) / LOW_RATE_HZ - stroke.time_s
    inside = np.arange(start, min(stop, float(time[-1])), 1.0 / (FINER * LOW_RATE_HZ))
    even = glide.stretched(inside)
    request = np.arange(even[0], even[-1], 1.0 / LOW_RATE_HZ)
    return np.asarray(CubicSpline(time, fine)(np.interp(request, even, inside)))
