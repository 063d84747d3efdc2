"""Between which lug pitches a kick is tuned, by its size: ``kick.toml``."""

import math
import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any, Literal

import numpy as np

Manner = Literal["wrinkle", "wrinkle-large", "finger", "tone"]


@dataclass(frozen=True, slots=True)
class Window:
    """Between which lug pitches in Hz a kick's batter is tuned."""

    low_hz: float
    high_hz: float


@lru_cache(maxsize=1)
def _file() -> dict[str, Any]:
    text = (resources.files(__package__) / "kick.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def kick_window(diameter_in: float) -> Window:
    """Return the lug pitches that a kick's batter of a size is tuned between."""
    rows = _file()["window"]
    sizes = [row["diameter_in"] for row in rows]
    low, high = (
        float(np.interp(diameter_in, sizes, [row[name] for row in rows]))
        for name in ("low_hz", "high_hz")
    )
    return Window(low, high)


def kick_manner(diameter_in: float, lug_hz: float) -> Manner:
    """Return how a kick's head is brought to a lug pitch, by where that lies in its window.

    At the bottom the wrinkle point, which a large drum passes: it goes flat and papery there; then
    just above finger-tight; at the top a real tone.
    """
    window, rule = kick_window(diameter_in), _file()["manner"]
    place = math.log(lug_hz / window.low_hz) / math.log(window.high_hz / window.low_hz)
    if place >= rule["tone_from"]:
        return "tone"
    if place >= rule["finger_from"]:
        return "finger"
    return "wrinkle" if diameter_in <= rule["wrinkle_most_in"] else "wrinkle-large"
