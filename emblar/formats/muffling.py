"""``emblar.muffling/1``: strokes while a drum is muffled in, what to do next out."""

from itertools import pairwise
from typing import Literal

from pydantic import Field

from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.tuning.muffling import (
    Do,
    Effect,
    Layer,
    LearnedDamper,
    MufflingStep,
    effects,
    learned,
    next_step,
    responses,
)
from emblar.formats.codec import Strict, publish

publish(Layer, LearnedDamper, Measured)


class MufflingFile(Strict):
    """What is wished, what is planned, what lies on the drum, and the strokes so far."""

    schema_: Literal["emblar.muffling/1"] = Field(alias="schema")
    target: dict[str, Measured]
    planned: list[str] = Field(default_factory=list, max_length=8)
    on: list[str] = Field(default_factory=list, max_length=8)
    layers: list[Layer] = Field(default_factory=list, max_length=200)


class EffectFile(Strict):
    """What a stroke lies above the one before in one quantity, audible steps."""

    steps: float
    sd_steps: float


class NextMuffleFile(Strict):
    """What to do next."""

    schema_: Literal["emblar.next-muffle/1"] = Field(default="emblar.next-muffle/1", alias="schema")
    do: Do
    damper: str | None
    apart: float | None = Field(description="how far the drum is from the wish now, audible steps")
    too_long: float | None = Field(description="steps it rings past the wish; null if not told")
    effects: list[dict[str, EffectFile]]
    """Per stroke after the first, by quantity: what lies between it and the one before."""
    learned: dict[str, LearnedDamper]


def next_muffle(file: MufflingFile, prior_sd: float) -> NextMuffleFile:
    """Return what to do next; ``prior_sd`` is how well the model's dampers are known, a share."""
    target = Target("", dict(file.target), {})
    layers = file.layers
    step: MufflingStep = next_step(target, file.planned, file.on, layers)
    between = [effects(one, two) for one, two in pairwise(layers)]
    known = learned(responses(layers), prior_sd)
    return NextMuffleFile(
        do=step.do,
        damper=step.damper,
        apart=step.apart,
        too_long=step.too_long,
        effects=[{e.quantity: _effect(e) for e in row} for row in between],
        learned=dict(known),
    )


def _effect(effect: Effect) -> EffectFile:
    return EffectFile(steps=effect.steps, sd_steps=effect.sd_steps)
