"""Every quantity of a sound card: its name, unit, note, and the step that is just heard.

Conventions
-----------
A distance in steps is signed: positive if ``value`` is above ``reference`` in the quantity's own
unit. Rows are read from ``registry.toml``.
"""

import math
import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any, Literal


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


@dataclass(frozen=True, slots=True)
class Entry:
    """One quantity of the card."""

    name: str
    shown: str
    """What screen and CSV call it."""
    unit: str
    field: str
    """Its name in ``emblar.analysis/1``, and that of its standard deviation."""
    sd_field: str
    sd_unit: str
    note: str | None
    """What is said next to its number; None where the card does not show it."""
    step: Step | None
    """None where it is shown but not planned for."""


@lru_cache(maxsize=1)
def registry() -> dict[str, Entry]:
    """Return every quantity of a card by name, in the order listed."""
    text = (resources.files(__package__) / "registry.toml").read_text(encoding="utf-8")
    return {name: _entry(name, row) for name, row in tomllib.loads(text).items()}


def _entry(name: str, row: dict[str, Any]) -> Entry:
    unit = row["unit"]
    step = None
    if "step" in row:
        of_step = {key: row[key] for key in ("kind", "step", "source", "more", "less")}
        step = Step(name=name, unit=unit, **of_step)
    return Entry(
        name=name,
        shown=row.get("shown", name),
        unit=unit,
        field=row["field"],
        sd_field=row["sd_field"],
        sd_unit=row.get("sd_unit", unit),
        note=row.get("note"),
        step=step,
    )


@lru_cache(maxsize=1)
def steps() -> dict[str, Step]:
    """Return the step of every quantity that has one by name, in the order shown."""
    return {name: entry.step for name, entry in registry().items() if entry.step}
