"""Muffling one thing at a time: a stroke before, a stroke after, and what to do next.

Conventions
-----------
A *layer* is one stroke with what lay on the drum when it was struck. What is looked at is what
muffling moves: ``MOVED``. The drum rings *past the wish* by so many steps of sustain, length and
ring together, weighed by their doubt; under one step nobody hears it. A damper that leads away from
the wish comes off again, and so does one that lay there before the first stroke of a drum that is
deader than wished. What a damper does is told as how many times what the model expects: the loss it
adds, as a change of decay rate (1/T60), measured over predicted.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Gt

from emblar.core.matching.differences import Comparison, compare, score
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.tuning.parameters import parameter

MOVED = ("sustain", "length", "ring", "body", "attack", "wires")
LIVELY = ("sustain", "length", "ring")
"""What is longer or louder the less lies on a drum."""
LEAST_DOUBT_STEPS = 0.5
"""No quantity is weighed against another as if it were exact."""
Do = Literal["strike", "lay", "take off", "enough", "all on", "too dead"]
TOO_DEAD_STEPS = -1.0
"""A drum that rings this much less than the wish is too dead, steps."""


@dataclass(frozen=True, slots=True)
class Layer:
    """One stroke: what lay on the drum, what it measured, and the sustain the model gives, s."""

    dampers: tuple[str, ...]
    card: Mapping[str, Measured]
    expected_s: Annotated[float, Gt(0)] | None = None


@dataclass(frozen=True, slots=True)
class MufflingStep:
    """What to do next, with which damper, and how far the drum is from the wish now, steps."""

    do: Do
    damper: str | None = None
    apart: float | None = None
    too_long: float | None = None
    """Steps that sustain, length and ring lie above the wish, taken together; None if not told."""
    worst: "Effect | None" = None
    """What lies furthest from the wish now."""


@dataclass(frozen=True, slots=True)
class Effect:
    """What one damper did to one quantity, in steps, positive upwards, with its doubt."""

    quantity: str
    steps: float
    sd_steps: float


@dataclass(frozen=True, slots=True)
class Response:
    """How many times what the model expects a damper does, in the logarithm, with its doubt."""

    damper: str
    log_times: float
    sd: float


@dataclass(frozen=True, slots=True)
class LearnedDamper:
    """What strokes say of a damper: times the model's loss, ± share, from how many."""

    times: float
    sd_share: float
    strokes: int


def next_step(
    target: Target, planned: Sequence[str], on: Sequence[str], layers: Sequence[Layer]
) -> MufflingStep:
    """Return what to do next.

    Parameters
    ----------
    target
        What is wished.
    planned
        Dampers of the plan, in the order they go on.
    on
        What lies on the drum now.
    layers
        Strokes so far, in order.
    """
    current = _with(layers, on)
    if current is None:
        return MufflingStep("strike")
    do, damper = _next(target, planned, on, layers, current)
    past, rows = rings_past(target, current), effects(Layer((), target.values), current)
    worst = max(rows, key=lambda e: abs(e.steps), default=None)
    return MufflingStep(do, damper, _apart(target, current), past.steps if past else None, worst)


def _next(
    target: Target,
    planned: Sequence[str],
    on: Sequence[str],
    layers: Sequence[Layer],
    present: Layer,
) -> tuple[Do, str | None]:
    apart, past = _apart(target, present), rings_past(target, present)
    last = on[-1] if on else None
    before = _with(layers, on[:-1]) if last is not None else None
    was = _apart(target, before) if before is not None else None
    if apart is not None and was is not None and apart > was + parameter("muffling_worse"):
        return "take off", last
    if past is not None and past.steps < TOO_DEAD_STEPS:
        # Taking the last damper off is tried once; with nothing on it no damper can help.
        return ("take off", last) if last is not None and before is None else ("too dead", None)
    if past is not None and past.steps < 1.0:
        return "enough", None
    for damper in planned:
        tried = damper in on or _with(layers, [*on, damper]) is not None
        if not tried:
            return "lay", damper
    return "all on", None


def effects(before: Layer, after: Layer) -> tuple[Effect, ...]:
    """Return what lies between two strokes, of the quantities that muffling moves."""
    result = _compared(Target("", dict(before.card), {}), after)
    return tuple(
        Effect(name, result.differences[name].steps, result.differences[name].sd_steps)
        for name in MOVED
        if name in result.differences
    )


def responses(layers: Sequence[Layer]) -> tuple[Response, ...]:
    """Return what strokes with one damper more than another tell of that damper."""
    result = []
    for place, after in enumerate(layers):
        if not after.dampers:
            continue
        before = _with(layers[:place], after.dampers[:-1])
        known = _response(before, after) if before is not None else None
        if known is not None:
            result.append(known)
    return tuple(result)


def learned(rows: Sequence[Response], prior_sd: float) -> dict[str, LearnedDamper]:
    """Return what is learned of each damper, the model's own number weighed in.

    Parameters
    ----------
    rows
        Everything that strokes told.
    prior_sd
        How well the model's number is known, as a share of it.
    """
    result: dict[str, LearnedDamper] = {}
    for damper in dict.fromkeys(row.damper for row in rows):
        members = [row for row in rows if row.damper == damper]
        weights = [1.0 / (row.sd**2 + parameter("damper_between_drums") ** 2) for row in members]
        total = sum(weights) + 1.0 / prior_sd**2
        mean = sum(w * row.log_times for w, row in zip(weights, members, strict=True)) / total
        result[damper] = LearnedDamper(math.exp(mean), 1.0 / math.sqrt(total), len(members))
    return result


def _response(before: Layer, after: Layer) -> Response | None:
    """Return what one damper added to the decay rate over what the model says, or None."""
    one, two = before.card.get("sustain"), after.card.get("sustain")
    if one is None or two is None or before.expected_s is None or after.expected_s is None:
        return None
    added = 1.0 / two.value - 1.0 / one.value
    expected = 1.0 / after.expected_s - 1.0 / before.expected_s
    sd = math.hypot(one.sd / one.value**2, two.sd / two.value**2)
    # What is not clear of its doubt, or hardly expected, says nothing of how strong it is.
    clear = parameter("damper_least_change")
    if added < sd or expected < clear / before.expected_s:
        return None
    return Response(after.dampers[-1], math.log(added / expected), sd / added)


def _with(layers: Sequence[Layer], on: Sequence[str]) -> Layer | None:
    """Return the last stroke with just these things on the drum."""
    return next((row for row in reversed(layers) if set(row.dampers) == set(on)), None)


def _compared(target: Target, layer: Layer) -> Comparison:
    return compare(target, Target(target.voice, dict(layer.card), {}))


def _apart(target: Target, layer: Layer) -> float | None:
    known = _compared(target, layer).differences
    rows = {name: known[name].steps for name in MOVED if name in known}
    return score(rows) if rows else None


def rings_past(target: Target, layer: Layer) -> Effect | None:
    """Return how far a drum rings past the wish: sustain, length and ring, weighed by their doubt.

    Returns
    -------
    Effect
        Steps, positive where it rings on too long; None where neither side tells any of them.
    """
    known = _compared(target, layer).differences
    rows = [known[name] for name in LIVELY if name in known]
    if not rows:
        return None
    weights = [1.0 / (row.sd_steps**2 + LEAST_DOUBT_STEPS**2) for row in rows]
    total = sum(weights)
    mean = sum(w * r.steps for w, r in zip(weights, rows, strict=True)) / total
    return Effect("rings past", mean, 1.0 / math.sqrt(total))
