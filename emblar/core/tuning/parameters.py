"""The tuned numbers of this package, from ``parameters.toml``."""

import tomllib
from functools import lru_cache
from importlib import resources


@lru_cache(maxsize=1)
def _rows() -> dict[str, float]:
    text = (resources.files(__package__) / "parameters.toml").read_text("utf-8")
    return {name: float(row["value"]) for name, row in tomllib.loads(text).items()}


def parameter(name: str) -> float:
    """Return the value of a tuned number, in the unit that the file gives."""
    return _rows()[name]
