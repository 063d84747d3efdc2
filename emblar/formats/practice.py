"""``emblar.practice/1``: a practice drum as kept; answers to ear exercises."""

from typing import Literal

from pydantic import Field

from emblar.formats.codec import Strict
from emblar.formats.tuning import MeasuredStep, TurnedStep


class PracticeDone(Strict):
    """How a practice drum came out, by its hidden rods."""

    spread_cents: float
    mean_cents: float


class PracticeFile(Strict):
    """A practice drum under way: its hidden rods, what was turned, what was read if asked for."""

    schema_: Literal["emblar.practice/1"] = Field(default="emblar.practice/1", alias="schema")
    level: str
    seed: int
    tensions: list[float]
    """Hidden: N/m at each rod of the batter."""
    rod: int = 0
    taps: int = 0
    moves: int = 0
    numbers: bool = False
    """Whether readings and advice are shown."""
    readings: list[float | None] = Field(default_factory=list)
    """Hz read next to each rod since the last turn, where numbers were asked for."""
    steps: list[MeasuredStep | TurnedStep] = Field(default_factory=list)
    done: PracticeDone | None = None


class EarAnswer(Strict):
    """An answer to an ear exercise."""

    schema_: Literal["emblar.ear/1"] = Field(default="emblar.ear/1", alias="schema")
    exercise: str
    seed: int
    answered: str
    right: str
