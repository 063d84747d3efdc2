"""From numbers to places on a drawing; every coordinate goes through here."""

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Linear:
    """A linear scale from ``low``–``high`` to ``start``–``stop``."""

    low: float
    high: float
    start: float
    stop: float

    def __call__(self, value: float) -> float:
        """Return the place of a value."""
        share = (value - self.low) / (self.high - self.low)
        return self.start + share * (self.stop - self.start)

    def held(self, value: float) -> float:
        """Return the place of a value, held within the scale's ends."""
        return self(min(max(value, self.low), self.high))


@dataclass(frozen=True, slots=True)
class Log:
    """A logarithmic scale from ``low``–``high`` (> 0) to ``start``–``stop``."""

    low: float
    high: float
    start: float
    stop: float

    def __call__(self, value: float) -> float:
        """Return the place of a value."""
        share = math.log(value / self.low) / math.log(self.high / self.low)
        return self.start + share * (self.stop - self.start)

    def held(self, value: float) -> float:
        """Return the place of a value, held within the scale's ends."""
        return self(min(max(value, self.low), self.high))


def round_steps(span: float, most: int) -> float:
    """Return a step of 1, 2 or 5 times a power of ten that gives at most ``most`` steps."""
    raw = span / most
    power = 10.0 ** math.floor(math.log10(raw))
    return float(next(f * power for f in (1.0, 2.0, 5.0, 10.0) if f * power >= raw * 0.999))
