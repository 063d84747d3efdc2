"""Cymbals, stacks and other pads: what to try when a take lies off the record (``pads.toml``)."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

from emblar.core.matching.differences import Comparison


@dataclass(frozen=True, slots=True)
class PadAdvice:
    """What is off, by how many steps, and what to try, the least first."""

    quantity: str
    steps: float
    says: str
    tries: tuple[str, ...]


@lru_cache(maxsize=1)
def _rows() -> dict[str, dict[str, Any]]:
    text = (resources.files(__package__) / "pads.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def pad_advice(comparison: Comparison) -> tuple[PadAdvice, ...]:
    """Return what to try for everything that is heard to be off, the largest difference first.

    Quantities that no cymbal or stack is changed by (a drum's note) are left out.
    """
    rows = _rows()
    return tuple(
        PadAdvice(d.name, d.steps, row["says"], tuple(row["try"]))
        for d in comparison.audible
        if d.name in rows
        for row in [rows[d.name]["more" if d.steps > 0.0 else "less"]]
    )


def what_to_bring(part: str | None) -> str:
    """Return what to bring for a part of the record that no drum plays, in a sentence."""
    rows = _rows()["bring"]
    return str(rows.get(part or "", rows["other"])["says"])
