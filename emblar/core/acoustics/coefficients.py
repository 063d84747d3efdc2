"""The coefficients of the drum model, read from ``coefficients.toml``.

Conventions
-----------
SI units. Every coefficient has a standard deviation and a source; ``shifted`` gives a copy with one
of them moved by some standard deviations, which is how uncertainty is carried to the results.
"""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources


@dataclass(frozen=True, slots=True)
class Coefficient:
    """One number of the model with its unit, uncertainty and source."""

    name: str
    value: float
    sd: float
    unit: str
    source: str


@dataclass(frozen=True, slots=True, eq=False)
class Coefficients:
    """All coefficients; index by name for the bare value. Compared by identity, so hashable."""

    rows: Mapping[str, Coefficient]

    def __getitem__(self, name: str) -> float:
        return self.rows[name].value

    def shifted(self, name: str, *, by_sd: float) -> "Coefficients":
        """Return a copy in which ``name`` is moved by ``by_sd`` standard deviations."""
        row = self.rows[name]
        moved = Coefficient(row.name, row.value + by_sd * row.sd, row.sd, row.unit, row.source)
        return Coefficients({**self.rows, name: moved})


@lru_cache(maxsize=1)
def prior_coefficients() -> Coefficients:
    """Return the coefficients that ship with Emblar, before any calibration."""
    text = (resources.files(__package__) / "coefficients.toml").read_text(encoding="utf-8")
    return Coefficients(
        {name: Coefficient(name=name, **row) for name, row in tomllib.loads(text).items()}
    )
