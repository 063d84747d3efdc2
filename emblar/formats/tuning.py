"""``emblar.tuning/1`` in, ``emblar.turns/1`` out; ``emblar.taps/1``: what taps told."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from emblar.core.catalogue import Catalogue
from emblar.core.notes import cents
from emblar.core.tuning.goals import Goal, tuning_goal
from emblar.core.tuning.head_response import goal_per_turn
from emblar.core.tuning.head_state import (
    HeadState,
    after_readings,
    after_turns,
    head_at,
    slack_head,
)
from emblar.core.tuning.next_turns import NextTurns, Order, Why
from emblar.core.tuning.sweep import Sweep, SweepPoint, Verdict
from emblar.core.tuning.tap import Tap
from emblar.formats.codec import Strict, publish
from emblar.formats.drum import DrumFile, LugHz
from emblar.formats.turn_words import turns_say

publish(Tap)

Side = Literal["batter", "reso"]
USUAL_SD_CENTS = 5.0
Turn = Annotated[float, Field(ge=-12.0, le=12.0)]


class MeasuredStep(Strict):
    """A round of taps: the lug pitch read next to each rod, rod 1 first; null where none was."""

    measured_hz: list[LugHz | None] = Field(min_length=4, max_length=20)
    sd_cents: float = Field(default=USUAL_SD_CENTS, gt=0.0, le=100.0)


class TurnedStep(Strict):
    """What was turned: turns of the key per rod, rod 1 first, tightening positive."""

    turned: list[Turn] = Field(min_length=4, max_length=20)


class TuningFile(Strict):
    """A head on its way to a lug pitch: what was measured and turned, in order."""

    schema_: Literal["emblar.tuning/1"] = Field(alias="schema")
    drum: DrumFile
    side: Side
    goal_hz: LugHz
    order: Order = "cross"
    steps: list[MeasuredStep | TurnedStep] = Field(default_factory=list, max_length=500)

    @model_validator(mode="after")
    def _fits_the_drum(self) -> Self:
        if self.side == "reso" and self.drum.reso is None:
            raise ValueError("side: this drum has no front head to tune")
        for number, step in enumerate(self.steps, start=1):
            rods = step.measured_hz if isinstance(step, MeasuredStep) else step.turned
            if len(rods) != self.drum.rods:
                raise ValueError(
                    f"steps: step {number} has {len(rods)} rods, the drum {self.drum.rods}; "
                    "give one value for each rod"
                )
        return self

    def state(self, catalogue: Catalogue) -> HeadState:
        """Return what is known of the head after these steps."""
        drum = self.drum.drum(catalogue)
        if not self.steps or isinstance(self.steps[0], TurnedStep):
            state = slack_head(drum, self.side, self.goal_hz)
        else:
            state = head_at(drum.rods, 1.0, goal_per_turn(drum, self.side, self.goal_hz))
        for step in self.steps:
            if isinstance(step, TurnedStep):
                state = after_turns(state, step.turned)
            else:
                off = [None if hz is None else cents(hz, self.goal_hz) for hz in step.measured_hz]
                state = after_readings(state, off, step.sd_cents)
        return state

    def goal(self, catalogue: Catalogue) -> Goal:
        """Return the lug pitch to go for, with what is safe on this head."""
        return tuning_goal(self.drum.drum(catalogue), self.side, self.goal_hz)


class TurnsFile(Strict):
    """What to turn next on a head."""

    schema_: Literal["emblar.turns/1"] = Field(default="emblar.turns/1", alias="schema")
    turns: list[float]
    """Turns of the key per rod, rod 1 first, multiples of 0.0625, tightening positive.

    A turn down is what remains of it: the rod goes a little lower and comes back up."""
    rods: list[int]
    """The rods to turn in the order to go in, counted from 1."""
    why: Why
    """What to do: turn, tap (again), check a reading; or why there is nothing to turn."""
    tap_again: list[int]
    """The rods whose reading is too far from the others: tap them again first. From 1."""
    safe_hz: tuple[float, float]
    """The lowest and the highest lug pitch that is safe on this head."""
    done: bool
    spread_cents: float
    mean_cents: float
    after_spread_cents: float
    after_mean_cents: float
    says: str


def turns_file(advice: NextTurns, goal: Goal) -> TurnsFile:
    """Return the published form of the next turns."""
    return TurnsFile(
        turns=list(advice.turns),
        rods=[rod + 1 for rod in advice.order],
        why=advice.why,
        tap_again=[rod + 1 for rod in advice.tap_again],
        safe_hz=(round(goal.low_hz, 1), round(goal.high_hz, 1)),
        done=advice.done,
        spread_cents=round(advice.spread_cents, 1),
        mean_cents=round(advice.mean_cents, 1),
        after_spread_cents=round(advice.after_spread_cents, 1),
        after_mean_cents=round(advice.after_mean_cents, 1),
        says=turns_say(advice),
    )


class TapsFile(Strict):
    """The taps of a recording, in order."""

    schema_: Literal["emblar.taps/1"] = Field(default="emblar.taps/1", alias="schema")
    side: Side
    taps: list[Tap]


def taps_file(side: Side, taps: tuple[Tap, ...]) -> TapsFile:
    """Return the published form of taps."""
    return TapsFile(
        side=side,
        taps=[
            replace(
                tap,
                time_s=round(tap.time_s, 4),
                hz=None if tap.hz is None else round(tap.hz, 3),
                sd_hz=None if tap.sd_hz is None else round(tap.sd_hz, 3),
            )
            for tap in taps
        ],
    )


class SweptStroke(Strict):
    """One stroke of a sweep: pitch, T60, its loudest overtone, and how good it is in steps."""

    hz: float
    t60_s: float
    ring_db: float
    goodness: float


class SweepFile(Strict):
    """A sweep by ear: its strokes in order, and where the drum sounds best."""

    schema_: Literal["emblar.sweep/1"] = Field(default="emblar.sweep/1", alias="schema")
    strokes: list[SweptStroke]
    verdict: Verdict
    sweet_hz: float | None
    """Where it sounds best; null where that cannot be told."""


def sweep_file(points: Sequence[SweepPoint], curve: Sweep) -> SweepFile:
    """Return a sweep as written to a file."""
    strokes = [
        SweptStroke(hz=p.hz, t60_s=p.t60_s, ring_db=p.ring_db, goodness=p.goodness) for p in points
    ]
    return SweepFile(strokes=strokes, verdict=curve.verdict, sweet_hz=curve.hz)
