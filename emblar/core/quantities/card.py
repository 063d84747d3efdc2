"""The sound card of one voice: the same quantities for every drum, each with its uncertainty.

Conventions
-----------
A card is a mapping from the names of ``registry.toml`` to quantities; it always holds every one of
them. Quantities that a hat or cymbal does not have are ``Unknown`` with the reason.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.quantities import Measured, Quantity, Unknown, value_or_none
from emblar.core.quantities.registry import registry

Array = NDArray[np.float64]
MODES = {1.59: "(1,1)", 2.14: "(2,1)", 2.30: "(0,2)", 2.65: "(3,1)", 2.92: "(1,2)", 3.16: "(4,1)"}
"""Ratios to the fundamental of an ideal film in vacuo; air lowers the lowest modes most."""
MODE_WITHIN = 0.10


@dataclass(frozen=True, slots=True)
class Alternative:
    """Another mode that may be heard as the pitch: Hz, and dB re the strongest."""

    frequency_hz: float
    level_db: float


@dataclass(frozen=True, slots=True)
class Track:
    """The fundamental of one stroke over time: s after the stroke, Hz, amplitude."""

    time_s: Array
    frequency_hz: Array
    amplitude: Array


@dataclass(frozen=True, slots=True)
class Ring:
    """An overtone group: Hz over the fundamental's, dB re it with its spread, T60 in s if read."""

    ratio: float
    level_db: float
    level_sd_db: float
    t60_s: float | None

    @property
    def mode(self) -> str:
        """The mode of an ideal film that this ratio fits, or an empty string."""
        near = min(MODES, key=lambda ratio: abs(ratio / self.ratio - 1.0))
        return MODES[near] if abs(near / self.ratio - 1.0) < MODE_WITHIN else ""


@dataclass(frozen=True, slots=True)
class Part:
    """The soft or the loud strokes of a voice: how many, their level in dBFS, what they measure."""

    strokes: int
    level_db: float
    values: dict[str, Measured]


@dataclass(frozen=True, slots=True, eq=False)
class Card(Mapping[str, Quantity]):
    """What is known of one voice.

    Raises
    ------
    KeyError
        A quantity is missing, or there is no such quantity.
    """

    voice: str
    hits: int
    clean_hits: int
    quantities: Mapping[str, Quantity]
    pitch_sd_cents: float | None = None
    pitch_spread_cents: float | None = None
    """How far its strokes' pitches lie apart."""
    alternatives: tuple[Alternative, ...] = ()
    ring_modes: tuple[Ring, ...] = ()
    tracks: tuple[Track, ...] = ()
    pitch_chosen: bool = False
    """Whether a person said which reading of the pitch it is."""
    parts: tuple[Part, Part] | None = None
    """The soft and the loud strokes, by the names of ``registry.toml``."""

    def __post_init__(self) -> None:
        odd = set(self.quantities) ^ set(registry())
        if odd:
            raise KeyError(f"missing or unknown on a card: {', '.join(sorted(odd))}")

    def __getitem__(self, name: str) -> Quantity:
        """Return one quantity."""
        return self.quantities[name]

    def __iter__(self) -> Iterator[str]:
        """Go through the quantities' names."""
        return iter(self.quantities)

    def __len__(self) -> int:
        """Return how many quantities there are."""
        return len(self.quantities)

    def value(self, name: str) -> float | None:
        """Return one quantity's bare value, or None where it cannot be told."""
        return value_or_none(self.quantities[name])

    def having(self, quantities: Mapping[str, Quantity]) -> "Card":
        """Return the card with some quantities replaced."""
        return replace(self, quantities={**self.quantities, **quantities})


def blank_card(voice: str, why: str) -> Card:
    """Return the card of a voice of which nothing is told, for a reason."""
    return Card(voice, 0, 0, dict.fromkeys(registry(), Unknown(why)))
