"""How much of what is heard is the room: the energy of a second, slower slope.

Conventions
-----------
The median level over strokes in frames of 10 ms is explained as the sum of two exponentials; the
slower one is the room if it is clearly slower. Shown, and left out of every decision about a drum.

Source: Schroeder 1965 for reading decay from energy; two slopes as in coupled rooms.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.quantities import Measured, Quantity, Unknown

Array = NDArray[np.float64]
FRAME_S = 0.010
"""Step in which the level is read, s."""
LEAST_GAP_S = 0.45
LONGEST_S = 2.0
"""Quiet a stroke needs after it to hear a room, and as much as is read, s."""
SLOWER = 2.5
"""How many times as long as the drum a room rings at least."""
T60_GRID_S = np.geomspace(0.06, 4.0, 22)
"""Decays that are tried, s."""
ENERGY_T60 = 2.0 * 6.908
"""Energy falls by 60 dB in T60: 2 ln 1000."""
BETTER = 0.75
"""Two slopes must leave less than this share of what one leaves unexplained."""
CUT = "no stroke is followed by enough quiet to hear the room"
ONE_SLOPE = "the sound dies away in one slope: no room is heard apart from the drum"


def room_share(mono: Samples, strokes: Sequence[tuple[float, float]]) -> Quantity:
    """Return the energy of the second slope over the whole in dB.

    Parameters
    ----------
    mono
        One channel at the analysis rate.
    strokes
        Time of each stroke and how long nothing else is struck, s.
    """
    long = [(t, min(gap, LONGEST_S)) for t, gap in strokes if gap >= LEAST_GAP_S]
    if not long:
        return Unknown(CUT)
    size = round(FRAME_S * ANALYSIS_RATE_HZ)
    count = int(min(gap for _, gap in sorted(long, key=lambda row: -row[1])[:6]) / FRAME_S)
    rows = []
    for time, gap in long:
        first = round(time * ANALYSIS_RATE_HZ)
        piece = mono[first : first + count * size]
        if gap < count * FRAME_S - 1e-9 or len(piece) < count * size:
            continue
        power = (piece.reshape(count, size) ** 2).mean(axis=1)
        rows.append(power / (power.sum() + 1e-20))
    if not rows:
        return Unknown(CUT)
    return _two_slopes(np.median(rows, axis=0))


def _two_slopes(power: Array) -> Quantity:
    time = (np.arange(len(power)) + 0.5) * FRAME_S
    peak = int(np.argmax(power))
    time, power = time[: len(power) - peak], np.maximum(power[peak:], 1e-12)
    # Weighted by level, so that the tail counts as much as the start.
    weight = 1.0 / power
    curves = np.exp(-ENERGY_T60 * time[:, None] / T60_GRID_S[None, :]) * weight[:, None]
    target = np.ones(len(power))
    single = min(nnls(curves[:, [i]], target)[1] for i in range(len(T60_GRID_S)))
    best: tuple[float, float] | None = None
    for fast in range(len(T60_GRID_S)):
        for slow in range(fast + 1, len(T60_GRID_S)):
            if T60_GRID_S[slow] < SLOWER * T60_GRID_S[fast]:
                continue
            parts, left = nnls(curves[:, [fast, slow]], target)
            if parts.min() > 0.0 and (best is None or left < best[0]):
                energy = parts * T60_GRID_S[[fast, slow]]
                best = (left, float(energy[1] / energy.sum()))
    if best is None or best[0] > BETTER * single:
        return Unknown(ONE_SLOPE)
    return Measured(10.0 * float(np.log10(best[1])), 2.0, "dB")
