"""Our stroke in the record's place: struck at its times and levels, over what else plays.

Conventions
-----------
Mono float64 at one rate; levels in dB. Nothing clips: everything comes down together if it must.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]
HIGHEST_PEAK = 0.95
FADE_S = 0.02


def struck_again(
    stroke: Samples,
    lead: int,
    rate_hz: int,
    times_s: Sequence[float],
    levels_db: Sequence[float],
    length: int,
) -> Samples:
    """Return a stroke repeated at other times and levels, each ended by the next.

    Parameters
    ----------
    stroke, lead
        One stroke, and how many samples of it lie before its onset.
    rate_hz
        Samples per second.
    times_s, levels_db
        When it is to sound, and how loud against the loudest.
    length
        How many samples to return.
    """
    out = np.zeros(length)
    loudest = max(levels_db, default=0.0)
    fade = round(FADE_S * rate_hz)
    starts = [round(t * rate_hz) - lead for t in times_s]
    for i, (start, level) in enumerate(zip(starts, levels_db, strict=True)):
        stop = starts[i + 1] + lead if i + 1 < len(starts) else length
        size = min(len(stroke), stop - start + fade, length - start)
        skip = max(-start, 0)
        if size <= skip:
            continue
        piece = stroke[:size] * 10.0 ** ((level - loudest) / 20.0)
        ramp = min(fade, size)
        piece[size - ramp :] *= np.linspace(1.0, 0.0, ramp)
        out[start + skip : start + size] += piece[skip:]
    return out


def over_rest(strokes: Samples, rest: Samples, drums_level: float) -> Samples:
    """Return strokes over what else plays, at the level that the record's own have.

    Parameters
    ----------
    strokes, rest
        Both of one length and rate.
    drums_level
        Peak of the record's own strokes, full scale 1.0.
    """
    size = min(len(strokes), len(rest))
    peak = max(float(np.abs(strokes).max(initial=0.0)), 1e-9)
    total = rest[:size] + strokes[:size] * drums_level / peak
    return np.asarray(total * min(1.0, HIGHEST_PEAK / max(float(np.abs(total).max()), 1e-9)))
