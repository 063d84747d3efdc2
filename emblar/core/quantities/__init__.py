"""Numbers that reach a user: a value with its uncertainty, or the reason why there is none.

Conventions
-----------
``sd`` is one standard deviation in the unit of the value (in cents for pitches, where ``sd_cents``
says so). A quantity is never NaN and never silently zero.
"""

import math
from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge


@dataclass(frozen=True, slots=True)
class Measured:
    """A number with its standard deviation.

    Parameters
    ----------
    value
        The number, finite.
    sd
        One standard deviation in the same unit, 0 or more.
    unit
        The unit as shown, for example ``"Hz"`` or ``"s"``.
    """

    value: float
    sd: Annotated[float, Ge(0)]
    unit: str

    def __post_init__(self) -> None:
        if not (math.isfinite(self.value) and math.isfinite(self.sd) and self.sd >= 0):
            raise ValueError(f"not a measured quantity: {self.value} ± {self.sd} {self.unit}")


@dataclass(frozen=True, slots=True)
class Unknown:
    """A number that cannot be told, with its reason in the user's words."""

    reason: str


Quantity = Measured | Unknown


def value_or_none(quantity: Quantity) -> float | None:
    """Return the bare value, or None where it cannot be told."""
    return quantity.value if isinstance(quantity, Measured) else None


def reason_or_none(quantity: Quantity) -> str | None:
    """Return why the number cannot be told, or None where there is one."""
    return quantity.reason if isinstance(quantity, Unknown) else None
