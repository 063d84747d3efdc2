"""Many strokes to one number with an honest spread.

Conventions
-----------
The centre is the median; the spread is 1.4826 times the median absolute deviation. The uncertainty
of the centre is the spread over sqrt(n) plus, in quadrature, what the method itself leaves.
"""

import math
from collections.abc import Sequence

import numpy as np
from scipy.stats import theilslopes

from emblar.core.quantities import Measured, Quantity, Unknown


def centre_and_spread(values: Sequence[float]) -> tuple[float, float]:
    """Return the median and the robust standard deviation of at least one value."""
    array = np.asarray(values, dtype=np.float64)
    centre = float(np.median(array))
    return centre, 1.4826 * float(np.median(np.abs(array - centre)))


def combined(
    values: Sequence[float | None], unit: str, *, floor: float, lone: float, reason: str
) -> Quantity:
    """Combine one number per stroke.

    Parameters
    ----------
    values
        One per stroke, None where that stroke cannot tell.
    unit
        Unit of the result.
    floor
        Uncertainty that the method leaves however many strokes there are.
    lone
        Spread assumed when fewer than three strokes tell.
    reason
        Said when no stroke tells.
    """
    known = [v for v in values if v is not None and math.isfinite(v)]
    if not known:
        return Unknown(reason)
    centre, spread = centre_and_spread(known)
    if len(known) < 3:
        spread = max(spread, lone)
    return Measured(centre, math.hypot(spread / math.sqrt(len(known)), floor), unit)


LEAST_STROKES = 4
LEAST_RANGE_DB = 5.0
"""Strokes, and range of their levels in dB, that a slope over level needs."""


def slope_per_10_db(
    levels_db: Sequence[float], values: Sequence[float | None], unit: str, *, reason: str
) -> Quantity:
    """Return how much a quantity changes per 10 dB of stroke level (Theil–Sen).

    Parameters
    ----------
    levels_db, values
        One per stroke; strokes whose value is None are left out.
    unit
        Unit of the values.
    reason
        Said when the strokes are too few or about as loud as each other.
    """
    rows = [(x, y) for x, y in zip(levels_db, values, strict=False) if y is not None]
    if len(rows) < LEAST_STROKES:
        return Unknown(reason)
    x, y = np.array(rows).T
    if float(x.max() - x.min()) < LEAST_RANGE_DB:
        return Unknown(reason)
    result = theilslopes(y, x, 0.68)
    half = 0.5 * float(result.high_slope - result.low_slope)
    return Measured(10.0 * float(result.slope), 10.0 * half, unit)
