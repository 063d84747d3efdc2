"""The strokes of a drum cut out of a low band, each beginning exactly on a sample.

Conventions
-----------
A sample of the low band lasts half a millisecond, and a kick's pitch falls by a third of a semitone
in one: what is read of a stroke would hang on where it happens to lie between two samples. So the
band is moved by what is left, by a windowed sinc, stroke by stroke, before anything is read of it.
Times in s; before each stroke there is ``BEFORE_S`` of what sounded before it, nothing where the
recording has not begun.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan

Array = NDArray[np.float64]
BEFORE_S = 0.3
BEYOND_S = 0.2
LONGEST_S = 8.0
"""What is kept before a stroke, after the next has begun, and at most."""
HALF_TAPS = 32
KAISER_BETA = 8.0
"""Half the sinc's length in samples of the low band, and its window's shape: exact to −80 dB below
900 Hz."""
BEFORE = round(BEFORE_S * LOW_RATE_HZ)


def aligned(low: Array, strokes: Sequence[StrokeSpan]) -> tuple[Array, list[StrokeSpan]]:
    """Return a low band that has only these strokes, one after the other, and where they are now.

    Parameters
    ----------
    low
        The low band of the whole recording at ``low_band.LOW_RATE_HZ``.
    strokes
        Where to look.
    """
    pieces, spans, position = [], [], 0
    for stroke in strokes:
        length = min(max(stroke.available_s, 0.0) + BEYOND_S, LONGEST_S)
        piece = _cut(low, stroke.time_s * LOW_RATE_HZ, round(length * LOW_RATE_HZ))
        spans.append(StrokeSpan((position + BEFORE) / LOW_RATE_HZ, stroke.available_s))
        pieces.append(piece)
        position += len(piece)
    return np.concatenate([*pieces, np.zeros(0)]), spans


def _cut(low: Array, place: float, length: int) -> Array:
    """Return ``BEFORE`` samples before a place between samples and ``length`` after it."""
    whole = int(np.floor(place))
    away = np.arange(1 - HALF_TAPS, HALF_TAPS + 1) - (place - whole)
    window = np.i0(KAISER_BETA * np.sqrt(np.maximum(1.0 - (away / HALF_TAPS) ** 2, 0.0)))
    taps = np.sinc(away) * window / np.i0(KAISER_BETA)
    first, last = whole - BEFORE + 1 - HALF_TAPS, whole + length + HALF_TAPS
    piece = low[max(first, 0) : max(min(last, len(low)), 0)]
    piece = np.pad(piece, (min(max(-first, 0), last - first), 0))
    piece = np.pad(piece, (0, last - first - len(piece)))
    return np.asarray(np.correlate(piece, taps, "valid"))
