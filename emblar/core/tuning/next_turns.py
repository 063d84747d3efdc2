"""Which rods to turn next, and how far: the fewest safe turns that bring a head to its note evenly.

Conventions
-----------
Turns of the key in sixteenths, tightening positive; cents from the goal; rods count from 0. A rod
that has to come down goes below where it will be and comes up again in a later round, so that no
head is left with a rod that was last turned down.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.tuning.head_state import CENTS_PER_LOG, HeadState, after_turns, heard_cents
from emblar.core.tuning.parameters import parameter

Order = Literal["cross", "round"]
Why = Literal["turn", "there", "as near as it gets", "not the tuning", "tap first"]
SIXTEENTH = 1.0 / 16.0
MOST_CHANGES = 80


@dataclass(frozen=True, slots=True)
class NextTurns:
    """What to do next on one head.

    Parameters
    ----------
    turns
        Turns of the key per rod, multiples of 1/16; all 0 where there is nothing to turn.
    order
        Rods with a turn in the order to go in.
    why
        ``"turn"``; or why not: it is there, a sixteenth would not bring it nearer, what is left is
        not the tuning's fault, or the head has to be tapped first.
    spread_cents, mean_cents
        How far apart the rods' lug pitches lie, and their mean from the goal, as known now.
    after_spread_cents, after_mean_cents
        The same as expected after these turns.
    """

    turns: tuple[float, ...]
    order: tuple[int, ...]
    why: Why
    spread_cents: float
    mean_cents: float
    after_spread_cents: float
    after_mean_cents: float

    @property
    def done(self) -> bool:
        """Whether the head is left as it is."""
        return self.why not in {"turn", "tap first"}


def rods_in_order(rods: int, order: Order) -> tuple[int, ...]:
    """Return the rods in the order they are turned: across and on to the next, or straight round.

    With an odd number of rods the one after half way round stands in for the opposite.
    """
    if order == "round":
        return tuple(range(rods))
    half, found = rods // 2, []
    for i in range((rods + 1) // 2):
        # Every second pair first, so that the pull goes round the hoop evenly.
        step = (2 * i) % ((rods + 1) // 2) + (
            1 if 2 * i >= (rods + 1) // 2 and rods % 4 == 0 else 0
        )
        found += [step % rods, (step + half) % rods]
    seen = list(dict.fromkeys([*found, *range(rods)]))
    return tuple(seen)


def next_turns(
    state: HeadState,
    *,
    order: Order = "cross",
    owed: Sequence[int] = (),
    tolerance_cents: float | None = None,
) -> NextTurns:
    """Return the next turns of a head.

    Parameters
    ----------
    state
        What is known of it.
    order
        In which the person likes to go.
    owed
        Rods that were last turned down: they come up before the head is done.
    tolerance_cents
        How far from the goal a rod's lug pitch may stay; the usual if left out.
    """
    near = parameter("near_enough") if tolerance_cents is None else tolerance_cents
    heard = state.cents()
    spread, mean = float(np.ptp(heard)), float(heard.mean())
    nothing = tuple(0.0 for _ in heard)
    there = float(np.abs(heard).max()) <= near and not owed
    if state.read and there and float(state.cents_sd().max()) <= near:
        return NextTurns(nothing, (), "there", spread, mean, spread, mean)
    if state.read and state.misfit > parameter("misfit_too_large") and there:
        return NextTurns(nothing, (), "not the tuning", spread, mean, spread, mean)
    steps = _steps(state, owed)
    turns = steps * SIXTEENTH
    if not steps.any():
        why: Why = "as near as it gets" if state.read else "tap first"
        return NextTurns(nothing, (), why, spread, mean, spread, mean)
    after = after_turns(state, turns.tolist()).cents()
    goes = tuple(r for r in rods_in_order(state.rods, order) if steps[r] != 0)
    return NextTurns(
        tuple(turns.tolist()), goes, "turn", spread, mean, float(np.ptp(after)), float(after.mean())
    )


def _steps(state: HeadState, owed: Sequence[int]) -> Array:
    """Return sixteenths per rod, shape (rods,), of the least cost that a search finds."""
    effect, aim = state.gain * state.shares(), _aim(state)
    most = parameter("most_turns") / SIXTEENTH
    even = float(np.clip((aim - state.tensions.mean()) / state.gain / SIXTEENTH, -most, most))
    starts = [np.zeros(state.rods), np.full(state.rods, float(np.round(even)))]
    tried = [_better(state, effect / aim, aim, start, owed, most) for start in starts]
    best = min(tried, key=lambda t: float(_seen_cost(state, effect / aim, aim, t[None], owed)[0]))
    return _coarse(best)


def _aim(state: HeadState) -> float:
    """Return the tension to go for now, over the goal's: short of it by what may go wrong.

    A rod that came too far has to go down and up again, which costs two rounds.
    """
    way = 1.0 - float(state.tensions.mean())
    if way <= 0.0:
        return 1.0
    error = math.hypot(state.gain_sd, parameter("turning_error") / math.sqrt(state.rods))
    return 1.0 - way * min(parameter("caution_sds") * error, parameter("most_short"))


@lru_cache(maxsize=16)
def _changes(rods: int) -> Array:
    """Return changes of turns to try, sixteenths per rod, shape (changes, rods).

    One rod, two that face each other, all; a sixteenth from one rod to another; a pair up and
    another down.
    """
    eye = np.eye(rods)
    pairs = [] if rods % 2 else [eye[i] + eye[i + rods // 2] for i in range(rods // 2)]
    groups = [*eye, *pairs, np.ones(rods)]
    rows = [size * group for group in groups for size in (-8, -4, -2, -1, 1, 2, 4, 8)]
    rows += [a - b for some in (list(eye), pairs) for a in some for b in some if a is not b]
    return np.stack(rows)


def _cost(tensions: Array, steps: Array, owed: Sequence[int]) -> Array:
    """Return the cost of turns, shape of all but the last axis."""
    heard = heard_cents(tensions) / parameter("heard_cost")
    apart = CENTS_PER_LOG * 0.5 * np.log(np.maximum(tensions, 0.01)) / parameter("hidden_cost")
    down = (steps < 0.0).sum(axis=-1) * parameter("down_cost")
    moves = (steps != 0.0).sum(axis=-1) * parameter("move_cost")
    left_down = 0.0
    if owed:
        left_down = (steps[..., list(owed)] <= 0.0).sum(axis=-1) * parameter("owed_cost")
    return np.asarray((heard**2).sum(axis=-1) + (apart**2).sum(axis=-1) + down + moves + left_down)


def _seen_cost(
    state: HeadState, effect: Array, aim: float, tries: Array, owed: Sequence[int]
) -> Array:
    """Return the cost of each of some turns in sixteenths, shape (tries,).

    A rod turned down counts as come up again to its note: it goes below by as much.
    """
    under = parameter("below_by") / SIXTEENTH
    settled = tries + np.where(tries < 0.0, under, 0.0)
    return _cost(state.tensions / aim + settled @ effect.T * SIXTEENTH, tries, owed)


def _better(
    state: HeadState, effect: Array, aim: float, steps: Array, owed: Sequence[int], most: float
) -> Array:
    """Change turns, the most helpful change first, as long as that costs less."""
    changes = _changes(state.rods)
    best = float(_seen_cost(state, effect, aim, steps[None, :], owed)[0])
    for _ in range(MOST_CHANGES):
        tries = np.clip(steps[None, :] + changes, -most, most)
        costs = _seen_cost(state, effect, aim, tries, owed)
        first = int(np.argmin(costs))
        if float(costs[first]) >= best - 1e-9:
            break
        steps, best = tries[first], float(costs[first])
    return steps


def _coarse(steps: Array) -> Array:
    """Round to halves and quarters far away, eighths nearer, sixteenths for the last nudge."""
    size = np.abs(steps)
    grain = np.select([size >= 16, size >= 8, size >= 4], [4.0, 2.0, 2.0], 1.0)
    return np.asarray(np.sign(steps) * np.round(size / grain) * grain)
