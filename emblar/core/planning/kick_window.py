"""Between which lug pitches a kick is tuned, by its size: ``kick.toml``."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import numpy as np


@dataclass(frozen=True, slots=True)
class Window:
    """Between which lug pitches in Hz a kick's batter is tuned."""

    low_hz: float
    high_hz: float


@lru_cache(maxsize=1)
def _windows() -> list[dict[str, float]]:
    text = (resources.files(__package__) / "kick.toml").read_text(encoding="utf-8")
    rows: list[dict[str, float]] = tomllib.loads(text)["window"]
    return rows


def kick_window(diameter_in: float) -> Window:
    """Return the lug pitches that a kick's batter of a size is tuned between."""
    rows = _windows()
    sizes = [row["diameter_in"] for row in rows]
    low, high = (
        float(np.interp(diameter_in, sizes, [row[name] for row in rows]))
        for name in ("low_hz", "high_hz")
    )
    return Window(low, high)
