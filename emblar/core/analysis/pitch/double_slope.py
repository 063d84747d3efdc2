"""A decay read as two slopes: a fast one, and a slower one that takes over from it.

Conventions
-----------
Levels in dB are those of one partial over time, from its peak on. They are explained as the power
of two exponentials added, the slower one the room's, by least squares over a grid (``T60_S``,
``ROOM_T60_S``, ``ROOM_DB``), each level standing for its own stretch of time and none counted for
more than ``MOST_OFF_DB``, since partials beat. The faster one is the drum's only where two explain
much more than one (``BETTER``): drums with two slopes of their own are read as a whole.

Source: sums of exponentials as in coupled rooms (Xiang and Goggans 2001).
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Index = NDArray[np.int64]
T60_S = np.geomspace(0.04, 5.0, 40)
"""Decays of the drum that are tried, s."""
ROOM_T60_S = np.geomspace(0.25, 6.0, 28)
"""Decays of the room that are tried, s."""
ROOM_DB = -np.arange(6.0, 30.0, 2.0)
"""Level of the room's part at the peak, re the drum's."""
SLOWER = 2.0
"""How many times as long as the drum the room rings at least."""
MOST_OFF_DB = 6.0
"""What one level counts for at most, dB."""
FEWEST = 5
"""Levels that two slopes need."""
LONGEST_S = 1.0
"""How much of a track is looked at, s."""
POWER_T60 = 2.0 * np.log(1e3)
"""Power falls by 60 dB in T60: 2 ln 1000."""


@cache
def _grid() -> tuple[Index, Index, Array]:
    """Return of every pair of slopes the place of the drum's and of the room's, and its share."""
    decay_rate, room, share = np.meshgrid(
        np.arange(len(T60_S)), np.arange(len(ROOM_T60_S)), 10.0 ** (ROOM_DB / 10.0), indexing="ij"
    )
    slower = ROOM_T60_S[room] > SLOWER * T60_S[decay_rate]
    return decay_rate[slower], room[slower], share[slower]


@dataclass(frozen=True, slots=True)
class TwoSlopes:
    """A decay read as two slopes: T60 of the faster and of the slower, s, and the misfit.

    ``left`` is the misfit of two slopes over that of one slope.
    """

    fast_s: float
    slow_s: float
    left: float


def two_slopes(time_s: Array, level_db: Array) -> TwoSlopes | None:
    """Return the two slopes that explain a decay best, or None where there are too few levels.

    Parameters
    ----------
    time_s, level_db
        When, in s, and how loud, in dB, from the peak on; shape (levels,).
    """
    in_reach = time_s - time_s[0] < LONGEST_S if len(time_s) else np.empty(0, bool)
    if np.count_nonzero(in_reach) < FEWEST:
        return None
    time, level = time_s[in_reach] - time_s[0], level_db[in_reach]
    stretch = np.gradient(time)
    weight = stretch / stretch.sum()
    one = _off(level + 60.0 * time / T60_S[:, None], weight).min()
    fast, slow, share = _grid()
    dry, late = (np.exp(-POWER_T60 * time / t60[:, None]) for t60 in (T60_S, ROOM_T60_S))
    power = dry[fast] + share[:, None] * late[slow]
    off = _off(level - 10.0 * np.log10(power), weight)
    two = np.full(len(T60_S), np.inf)
    np.minimum.at(two, fast, off)
    best, pair = int(np.argmin(two)), int(np.argmin(off))
    fast_s = float(T60_S[best] * (T60_S[1] / T60_S[0]) ** _between(two, best))
    return TwoSlopes(fast_s, float(ROOM_T60_S[slow[pair]]), float(two[best] / max(one, 1e-9)))


def _off(residual_db: Array, weight: Array) -> Array:
    """Return the weighted mean square of residuals, shape (models, times), about their means."""
    about = residual_db - (residual_db @ weight)[:, None]
    return np.asarray(np.minimum(about**2, MOST_OFF_DB**2) @ weight)


def _between(values: Array, best: int) -> float:
    """Return where the least value lies, in steps from ``best``, by a parabola."""
    if not 0 < best < len(values) - 1 or not np.isfinite(values[best - 1 : best + 2]).all():
        return 0.0
    a, b, c = values[best - 1 : best + 2]
    curve = a - 2.0 * b + c
    return float(np.clip(0.5 * (a - c) / curve, -0.5, 0.5)) if curve > 0.0 else 0.0
