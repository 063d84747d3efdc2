"""Whether a room answers a drum: heard where the drum itself has nothing left to sound.

Conventions
-----------
Of a tom or a kick hardly anything sounds above 2 kHz once the stick or beater is off the head; a
room answers the whole stroke, so that its tail is there as well. Read per stroke in frames of 10 ms
of that band, relative to its first 30 ms, and over what was there before the stroke.
"""

from collections.abc import Sequence

import numpy as np
from scipy.signal import butter, sosfilt

from emblar.core.analysis.pitch.decay import RoomTail
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.analysis.signal.low_band import StrokeSpan

BAND_HZ = (2000.0, 8000.0)
"""Where a tom or kick has nothing left to sound."""
FRAME_S = 0.010
BEFORE_S = 0.060
STROKE_S = 0.030
"""Up to when before the stroke what was there is heard, from when, and how long the stroke itself,
s."""
EARLY_S = (0.12, 0.20)
LATE_S = (0.24, 0.36)
"""Two spans of the tail: from the first to the second it has to fall, s."""
LEAST_DB = -40.0
OVER_BEFORE_DB = 6.0
"""Level of the early tail re the stroke's; how far it lies over what was there before."""
T60_S = (0.2, 8.0)
"""A tail that falls faster or slower than these is no room's, s."""
SHARE = 0.5
"""Share of the strokes that must have a tail."""


def room_tail(mono: Samples, strokes: Sequence[StrokeSpan]) -> RoomTail:
    """Return whether a room rings on after most strokes that leave it the time, and its T60.

    Where no stroke leaves it the time, a room is assumed and its T60 is not known.

    Parameters
    ----------
    mono
        The recording at the analysis rate.
    strokes
        Strokes of one drum, each with the time until anything else is struck.
    """
    tails = [_tail_t60_s(mono, s) for s in strokes if s.available_s >= LATE_S[1]]
    known = [t60 for t60 in tails if t60 is not None]
    present = not tails or len(known) / len(tails) >= SHARE
    return RoomTail(present, float(np.median(known)) if present and known else None)


def _tail_t60_s(mono: Samples, stroke: StrokeSpan) -> float | None:
    """Return T60 in s of the tail after a stroke, or None where there is no tail."""
    rate = ANALYSIS_RATE_HZ
    first = round((stroke.time_s - 2.0 * BEFORE_S) * rate)
    piece = mono[max(first, 0) : round((stroke.time_s + LATE_S[1]) * rate)]
    time_s = stroke.time_s - max(first, 0) / rate
    band = sosfilt(butter(4, BAND_HZ, "bandpass", fs=rate, output="sos"), piece)

    def level(start_s: float, stop_s: float) -> float:
        part = band[max(round((time_s + start_s) * rate), 0) : round((time_s + stop_s) * rate)]
        return 10.0 * float(np.log10(np.mean(part**2) + 1e-16)) if len(part) else -160.0

    struck, before = level(-0.005, STROKE_S), level(-BEFORE_S, -FRAME_S)
    early, late = level(*EARLY_S), level(*LATE_S)
    fall = (early - late) / (0.5 * (sum(LATE_S) - sum(EARLY_S)))
    t60 = 60.0 / max(fall, 1e-3)
    loud = early > struck + LEAST_DB and early > before + OVER_BEFORE_DB
    return t60 if loud and T60_S[0] < t60 < T60_S[1] else None
