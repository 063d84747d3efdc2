"""What the plan aims at: the record's card in the quantities that steps are defined for."""

from collections.abc import Mapping
from dataclasses import dataclass

from emblar.core.analysis.card import VoiceCard
from emblar.core.errors import InputError
from emblar.core.planning.steps import steps
from emblar.core.quantities import Measured, Quantity

ATTRIBUTES = {
    "pitch": "fundamental",
    "bend": "glide_cents",
    "sustain": "decay",
    "length": "length",
    "attack": "attack",
    "click": "click",
    "body": "body",
    "ring": "ring",
    "wires": "wires",
}
"""The card's attribute by the name of the quantity."""


MOST_STEPS = 30.0


@dataclass(frozen=True, slots=True)
class Target:
    """A voice's quantities by the names of ``steps.toml``; only those that can be told."""

    voice: str
    values: dict[str, Measured]
    missing: dict[str, str]

    def value(self, name: str) -> float | None:
        """Return one quantity's value, or None where it cannot be told."""
        return self.values[name].value if name in self.values else None


def moved(target: Target, by_steps: Mapping[str, float]) -> Target:
    """Return a target moved by the artist's wish, in steps per quantity.

    Raises
    ------
    InputError
        There is no such quantity, or it is wished further away than ``MOST_STEPS``.
    """
    values = dict(target.values)
    for name, by in by_steps.items():
        if name not in steps():
            raise InputError(f"No quantity is called {name}: {', '.join(steps())}.")
        if abs(by) > MOST_STEPS:
            raise InputError(f"{name}: {by:+g} steps is outside ±{MOST_STEPS:g}.")
        if name in values:
            old = values[name]
            values[name] = Measured(steps()[name].moved(old.value, by), old.sd, old.unit)
    return Target(target.voice, values, target.missing)


def target_from_card(card: VoiceCard) -> Target:
    """Return the target that a measured voice sets."""
    quantities: dict[str, Quantity] = {n: getattr(card, a) for n, a in ATTRIBUTES.items()}
    told = {n: q for n, q in quantities.items() if isinstance(q, Measured)}
    missing = {n: q.reason for n, q in quantities.items() if not isinstance(q, Measured)}
    return Target(card.voice, told, missing)
