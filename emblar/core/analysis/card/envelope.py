"""The broadband shape of one stroke: attack, click, body, length, wires.

Conventions
-----------
Works on one channel at ``ANALYSIS_RATE_HZ``. Levels are ratios in dB within one stroke, so gain
does not matter. ``available_s`` is the time until the next stroke of anything.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.quantities.spans import (
    AFTER_S,
    ATTACK_S,
    BODY_HZ,
    BODY_OCTAVES,
    BODY_S,
    CLICK_FROM_HZ,
    LEAST_CLICK_DB,
    LENGTH_DROP_DB,
    LENGTH_FRAME_S,
    TONAL_HZ,
    WIRES_HZ,
    WIRES_S,
)

Array = NDArray[np.float64]
WIRES_FRAME = 512
"""Samples of a frame in which the wires' level is read: 12 ms."""
NEAR_S = 0.002
PEAK_S = 0.010
BEGUN_SHARE = 0.1
"""How far from its time a stroke may begin, how much of it is looked at, s, and the share of its
peak at which it has begun."""


@dataclass(frozen=True, slots=True)
class StrokeShape:
    """Numbers of one stroke; None where it was cut short before they could be told."""

    attack_db: float | None
    click_hz: float | None
    body_db: float | None
    length_s: float | None
    wires_db: float | None
    wires_t60_s: float | None


def _piece(mono: Samples, time_s: float, start_s: float, stop_s: float) -> Samples:
    first = max(round((time_s + start_s) * ANALYSIS_RATE_HZ), 0)
    return mono[first : max(round((time_s + stop_s) * ANALYSIS_RATE_HZ), 0)]


def _energy(piece: Samples) -> float:
    return float(np.sum(piece**2))


def _band_energy(piece: Samples, low_hz: float, high_hz: float) -> float:
    spectrum = np.abs(np.fft.rfft(piece)) ** 2
    bins = np.fft.rfftfreq(len(piece), 1.0 / ANALYSIS_RATE_HZ)
    return float(spectrum[(bins >= low_hz) & (bins < high_hz)].sum())


def _ratio_db(top: float, bottom: float) -> float | None:
    return 10.0 * float(np.log10(top / bottom)) if top > 0 and bottom > 0 else None


def _begun_s(mono: Samples, time_s: float) -> float:
    """Return to the sample when a stroke begins: half a millisecond changes a kick's click.

    The first sample near the time that stands out of the first ``PEAK_S``; the time itself where
    something else is as loud before it.
    """
    start = max(round((time_s - NEAR_S) * ANALYSIS_RATE_HZ), 0)
    piece = np.abs(_piece(mono, time_s, -NEAR_S, PEAK_S))
    if len(piece) == 0:
        return time_s
    over = np.nonzero(piece > BEGUN_SHARE * piece.max())[0]
    if len(over) == 0 or over[0] == 0 or over[0] > 2.0 * NEAR_S * ANALYSIS_RATE_HZ:
        return time_s
    return float(start + over[0]) / ANALYSIS_RATE_HZ


def stroke_shape(
    mono: Samples, time_s: float, pitch_hz: float | None, available_s: float
) -> StrokeShape:
    """Measure the shape of one stroke.

    Parameters
    ----------
    mono
        One channel at ``ANALYSIS_RATE_HZ``, shape (n,).
    time_s
        When, s.
    pitch_hz
        The drum's pitch, Hz; None if it has none.
    available_s
        How long nothing else is struck, s.
    """
    time_s = _begun_s(mono, time_s)
    first = _piece(mono, time_s, *ATTACK_S)
    attack = None
    if available_s > 0.12 and len(first) > 0:
        attack = _ratio_db(_energy(first), _energy(_piece(mono, time_s, *AFTER_S)))
    spectrum = np.abs(np.fft.rfft(first * np.hanning(len(first)))) ** 2
    bins = np.fft.rfftfreq(len(first), 1.0 / ANALYSIS_RATE_HZ) if len(first) else np.zeros(1)
    click = _click_hz(spectrum, bins)
    body = wires = None
    if available_s > 0.15:
        span = _piece(mono, time_s, BODY_S[0], min(available_s, BODY_S[1]))
        wires_span = _piece(mono, time_s, *WIRES_S)
        tonal = _band_energy(wires_span, *TONAL_HZ)
        wires = _ratio_db(_band_energy(wires_span, *WIRES_HZ), tonal)
        if pitch_hz is not None:
            third = 2.0**BODY_OCTAVES
            inside = _band_energy(span, pitch_hz / third, pitch_hz * third)
            body = _ratio_db(inside, _band_energy(span, *BODY_HZ))
    length = _length_s(mono, time_s, available_s)
    return StrokeShape(attack, click, body, length, wires, _wires_t60_s(mono, time_s, available_s))


def _click_hz(spectrum: Samples, bins: NDArray[np.floating[Any]]) -> float | None:
    """Return the spectral centroid in Hz from ``CLICK_FROM_HZ`` up; None if too little is there."""
    above = bins >= CLICK_FROM_HZ
    bright, total = float(spectrum[above].sum()), float(spectrum.sum())
    if bright <= total * 10.0 ** (LEAST_CLICK_DB / 10.0):
        return None
    return float((bins * spectrum)[above].sum()) / bright


def _wires_t60_s(mono: Samples, time_s: float, available_s: float) -> float | None:
    """Return T60 in s of the level between 2 and 10 kHz, first 20 dB; None if cut off before."""
    span = _piece(mono, time_s, 0.020, min(available_s, 0.8))
    if len(span) < WIRES_FRAME * 8:
        return None
    frames = len(span) // WIRES_FRAME
    pieces = span[: frames * WIRES_FRAME].reshape(frames, WIRES_FRAME) * np.hanning(WIRES_FRAME)
    bins = np.fft.rfftfreq(WIRES_FRAME, 1.0 / ANALYSIS_RATE_HZ)
    inside = (bins >= WIRES_HZ[0]) & (bins < WIRES_HZ[1])
    power = (np.abs(np.fft.rfft(pieces)) ** 2)[:, inside].sum(axis=1)
    level = 10.0 * np.log10(power + 1e-14)
    under = np.nonzero(level < level[:3].max() - LENGTH_DROP_DB)[0]
    last = int(under[0]) if len(under) else frames
    if last < 5:
        return None
    time = np.arange(last) * WIRES_FRAME / ANALYSIS_RATE_HZ
    slope = float(np.polyfit(time, level[:last], 1)[0])
    fell = -slope * float(time[-1])
    return -60.0 / slope if slope < 0 and fell > 6.0 else None


def _length_s(mono: Samples, time_s: float, available_s: float) -> float | None:
    """Return the time until the 5 ms level stays 20 dB under its peak, or None if cut short."""
    size = round(LENGTH_FRAME_S * ANALYSIS_RATE_HZ)
    span = _piece(mono, time_s, 0.0, min(available_s, 6.0))
    frames = len(span) // size
    if frames < 4:
        return None
    power = (span[: frames * size].reshape(frames, size) ** 2).mean(axis=1)
    level = 10.0 * np.log10(power + 1e-14)
    over = np.nonzero(level > level.max() - LENGTH_DROP_DB)[0]
    last = int(over[-1])
    return (last + 1) * LENGTH_FRAME_S if last < frames - 2 else None
