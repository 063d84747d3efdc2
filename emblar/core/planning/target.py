"""What the plan aims at: the record's card in the quantities that steps are defined for."""

from collections.abc import Mapping
from dataclasses import dataclass

from emblar.core.errors import InputError
from emblar.core.quantities import Measured, Quantity, Unknown
from emblar.core.quantities.card import Card
from emblar.core.quantities.registry import steps

MOST_STEPS = 30.0
LOWEST_STRONG_DB = -8.0
DAMPED_KICK_S = 0.6
"""A mode this near the strongest may be a kick's pitch; a kick that rings shorter is damped."""


@dataclass(frozen=True, slots=True)
class Target:
    """A voice's quantities by the names of ``registry.toml``; only those that can be told."""

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
            raise InputError(f"“{name}” is not a quantity. Choose from {', '.join(steps())}.")
        if abs(by) > MOST_STEPS:
            raise InputError(f"{name}: {by:+g} steps is outside ±{MOST_STEPS:g}.")
        if name in values:
            old = values[name]
            values[name] = Measured(steps()[name].moved(old.value, by), old.sd, old.unit)
    return Target(target.voice, values, target.missing)


@dataclass(frozen=True, slots=True)
class Reading:
    """One way to hear a drum's pitch: Hz, level re the strongest in dB, planned for or not."""

    hz: float
    level_db: float
    planned: bool


def readings(card: Card) -> tuple[Reading, ...]:
    """Return the ways to hear a drum's pitch, the one that is planned for first.

    A person's choice counts; else it is the one measured, but of a damped kick the lowest strong
    one: what is louder above it is an overtone that the damping left.
    """
    known = card["pitch"]
    if not isinstance(known, Measured):
        return ()
    rows = [(known.value, 0.0), *((a.frequency_hz, a.level_db) for a in card.alternatives)]
    planned = rows[0]
    if card.voice == "kick" and not card.pitch_chosen and _is_damped(card):
        planned = min(row for row in rows if row[1] >= LOWEST_STRONG_DB)
    ordered = [planned, *(row for row in rows if row != planned)]
    return tuple(Reading(hz, db, i == 0) for i, (hz, db) in enumerate(ordered))


def _is_damped(card: Card) -> bool:
    sustain_s = card.value("sustain")
    return sustain_s is None or sustain_s < DAMPED_KICK_S


def target_from_card(card: Card) -> Target:
    """Return the target that a measured voice sets."""
    quantities: dict[str, Quantity] = {name: card[name] for name in steps()}
    planned, fundamental = next(iter(readings(card)), None), card["pitch"]
    if (
        planned is not None
        and isinstance(fundamental, Measured)
        and planned.hz != fundamental.value
    ):
        # Its sustain and body were read of the other mode, and say nothing of this one.
        why = "it was read at another pitch than the one planned for"
        sd = fundamental.sd * planned.hz / fundamental.value
        quantities |= {
            "pitch": Measured(planned.hz, sd, fundamental.unit),
            "bend": Unknown(why),
            "sustain": Unknown(why),
            "body": Unknown(why),
        }
    known = {n: q for n, q in quantities.items() if isinstance(q, Measured)}
    missing = {n: q.reason for n, q in quantities.items() if not isinstance(q, Measured)}
    return Target(card.voice, known, missing)
