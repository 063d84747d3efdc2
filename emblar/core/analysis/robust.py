"""Many strokes to one number with an honest spread.

Conventions
-----------
The centre is the median; the spread is 1.4826 times the median absolute deviation. The uncertainty
of the centre is the spread over sqrt(n) plus, in quadrature, what the method itself leaves.
"""

import math
from collections.abc import Sequence

import numpy as np

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
    told = [v for v in values if v is not None and math.isfinite(v)]
    if not told:
        return Unknown(reason)
    centre, spread = centre_and_spread(told)
    if len(told) < 3:
        spread = max(spread, lone)
    return Measured(centre, math.hypot(spread / math.sqrt(len(told)), floor), unit)
