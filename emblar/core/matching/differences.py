"""How far a take lies from the record, quantity by quantity, in audible steps.

Conventions
-----------
Steps are positive where the take lies above the record. Uncertainties of both are added as
independent. A quantity that one of them does not tell is left out, with the reason.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps

HEARD_STEPS = 1.0
"""A difference this large is heard, steps."""
SURE_SDS = 1.0
"""And it has to be this many times its own uncertainty."""
FULL_STEPS = 6.0
"""Up to here each step counts in full."""
FAR_SHARE = 0.25
"""What a step beyond counts where a drum is so far off that nothing else is left to mend."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One quantity: both values, and how far the take lies above the record, in steps."""

    name: str
    record: Measured
    take: Measured
    steps: float
    sd_steps: float

    @property
    def is_audible(self) -> bool:
        """Whether it is heard, as far as can be told: more than a step and more than its doubt."""
        return abs(self.steps) > max(HEARD_STEPS, SURE_SDS * self.sd_steps)


@dataclass(frozen=True, slots=True)
class Comparison:
    """A take against the record: what can be told, and why the rest cannot."""

    differences: dict[str, Difference]
    untold: dict[str, str]

    @property
    def apart(self) -> float:
        """How far apart in all, steps: see ``score``."""
        return score({name: d.steps for name, d in self.differences.items()})

    @property
    def audible(self) -> tuple[Difference, ...]:
        """What is heard, the largest first."""
        return tuple(
            sorted(
                (d for d in self.differences.values() if d.is_audible), key=lambda d: -abs(d.steps)
            )
        )


def compare(record: Target, take: Target) -> Comparison:
    """Compare a take with the record.

    Parameters
    ----------
    record, take
        What each measures, by the names of ``registry.toml``.
    """
    known, untold = {}, {}
    for name in steps():
        ours, theirs = take.values.get(name), record.values.get(name)
        if ours is None or theirs is None:
            side, missing = ("record", record.missing) if theirs is None else ("take", take.missing)
            if name in record.values or name in take.values:
                untold[name] = f"{side}: {missing.get(name, 'not told')}"
            continue
        difference = _difference(name, theirs, ours)
        if difference is None:
            untold[name] = "nothing of it sounds"
        else:
            known[name] = difference
    return Comparison(known, untold)


def _difference(name: str, record: Measured, take: Measured) -> Difference | None:
    step = steps()[name]
    if step.kind == "ratio" and min(record.value, take.value) <= 0.0:
        return None
    sd = math.hypot(step.width(record.value, record.sd), step.width(take.value, take.sd))
    return Difference(name, record, take, step.apart(take.value, record.value), sd)


def score(apart: Mapping[str, float], *, far_share: float = 0.0) -> float:
    """Return how far off in all: the audible steps of every quantity, added up.

    Half a step is inaudible and left out.

    Parameters
    ----------
    apart
        Steps by quantity.
    far_share
        What a step beyond ``FULL_STEPS`` counts. By default nothing: one quantity that is far off
        must not hide the others.
    """
    inaudible = 0.5 * HEARD_STEPS
    sizes = (max(abs(steps) - inaudible, 0.0) for steps in apart.values())
    return sum(min(s, FULL_STEPS) + far_share * max(s - FULL_STEPS, 0.0) for s in sizes)
