"""Just-noticeable steps: how far two numbers are apart as heard.

Conventions
-----------
A distance is signed: positive if ``value`` is above ``reference`` in the quantity's own unit.
Steps are read from ``steps.toml``.
"""

import math
import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Literal


@dataclass(frozen=True, slots=True)
class Step:
    """The just-noticeable step of one quantity."""

    name: str
    unit: str
    kind: Literal["ratio", "difference"]
    step: float
    source: str
    more: str
    less: str

    def apart(self, value: float, reference: float) -> float:
        """Return how many steps ``value`` lies above ``reference``."""
        if self.kind == "difference":
            return (value - reference) / self.step
        return math.log(value / reference) / math.log(self.step)

    def moved(self, reference: float, steps: float) -> float:
        """Return the value that lies some steps above ``reference``."""
        if self.kind == "difference":
            return reference + steps * self.step
        return float(reference * self.step**steps)

    def width(self, value: float, sd: float) -> float:
        """Return one standard deviation in steps."""
        if self.kind == "difference":
            return sd / self.step
        return math.log1p(sd / abs(value)) / math.log(self.step)


@lru_cache(maxsize=1)
def steps() -> dict[str, Step]:
    """Return the step of every quantity by name, in the order shown."""
    text = (resources.files(__package__) / "steps.toml").read_text(encoding="utf-8")
    return {name: Step(name=name, **row) for name, row in tomllib.loads(text).items()}
