"""What earlier changes did on a drum, and what that says of the next ones.

Conventions
-----------
Of every kind of change one share is learned: what it did over what the model said, by weighted
least squares over all quantities it should have moved, from a prior of 1 ± ``MODEL_SHARE_SD``.
Effects are in audible steps.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

MODEL_SHARE_SD = 0.35
"""How far what a change does lies from what the model says, over it (assumption)."""
LEAST_SEEN_STEPS = 0.3
STROKE_SD_STEPS = 0.5
"""What the model moves by less says nothing; strokes differ by this however well they are read
(assumption)."""
LEAST_SHARE = 0.25
LARGEST_SHARE = 3.0
"""No change does nothing at all, and a key that stuck once turns again (assumptions)."""


@dataclass(frozen=True, slots=True)
class Share:
    """What changes of a kind do over what the model says, how sure, and from how many trials."""

    mean: float = 1.0
    sd: float = MODEL_SHARE_SD
    trials: int = 0


@dataclass(frozen=True, slots=True)
class Trial:
    """One change with a take before and a take after it.

    Parameters
    ----------
    kind
        What kind of change it was (``moves.Kind``).
    expected
        What the model said, steps per quantity.
    seen
        What the takes say, and the standard deviation of that, steps per quantity.
    """

    kind: str
    expected: Mapping[str, float]
    seen: Mapping[str, tuple[float, float]]


def learned_shares(trials: Iterable[Trial]) -> dict[str, Share]:
    """Return the share of every kind of change that was tried; kinds that tell nothing are out."""
    sums: dict[str, tuple[float, float, int]] = {}
    for trial in trials:
        weight = pull = 0.0
        for name, (steps, sd) in trial.seen.items():
            text = trial.expected.get(name, 0.0)
            if abs(text) >= LEAST_SEEN_STEPS:
                precision = 1.0 / (sd**2 + STROKE_SD_STEPS**2)
                weight += precision * text**2
                pull += precision * text * steps
        if weight > 0.0:
            w, p, count = sums.get(trial.kind, (0.0, 0.0, 0))
            sums[trial.kind] = (w + weight, p + pull, count + 1)
    prior = MODEL_SHARE_SD**-2
    return {
        kind: Share(
            min(max((prior + pull) / (prior + weight), LEAST_SHARE), LARGEST_SHARE),
            1.0 / math.sqrt(prior + weight),
            count,
        )
        for kind, (weight, pull, count) in sums.items()
    }
