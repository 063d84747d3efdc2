"""Which rods to turn next, and how far: the turns of the least expected cost.

Conventions
-----------
Turns of the key in sixteenths, tightening positive; cents from the goal; rods count from 0. A turn
down is what remains of it: the rod goes below by a little and comes back up, so that no rod is left
turned down. The cost is what is expected over all that is not known of the head (``head_state``),
the turning error included, so that a head about which little is known is brought near in small
steps.
"""

from dataclasses import dataclass
from math import inf
from typing import Literal

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.tuning.head_response import CENTS_PER_LOG
from emblar.core.tuning.head_state import HeadState, after_turns
from emblar.core.tuning.parameters import parameter

Order = Literal["cross", "round"]
Why = Literal[
    "turn",
    "there",
    "as near as it gets",
    "not the tuning",
    "tap first",
    "tap again",
    "check reading",
    "no effect",
]
NOT_DONE = {"turn", "tap first", "tap again", "check reading", "no effect"}
SIXTEENTH = 1.0 / 16.0
SURE_SDS = 1.64
"""A rod counts as near its goal if it is so with 95 % certainty."""
MOST_AGAIN = 4
"""Rounds of taps, the first included, without a turn after which a head is left as it is."""
MOST_CHANGES = 200
"""Changes of the turns that are tried one after another."""


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
        not the tuning's fault, the head has to be tapped first or once more, one reading is too far
        from the others, or the last turns changed nothing.
    spread_cents, mean_cents
        How far apart the rods' lug pitches lie, and their mean from the goal, as known now.
    after_spread_cents, after_mean_cents
        The same as expected after these turns.
    tap_again
        With ``"check reading"`` the rods whose reading is too far from the others.
    """

    turns: tuple[float, ...]
    order: tuple[int, ...]
    why: Why
    spread_cents: float
    mean_cents: float
    after_spread_cents: float
    after_mean_cents: float
    tap_again: tuple[int, ...] = ()

    @property
    def done(self) -> bool:
        """Whether the head is left as it is."""
        return self.why not in NOT_DONE


def rods_in_order(rods: int, order: Order) -> tuple[int, ...]:
    """Return the rods in the order they are turned: across and on to the next, or straight round.

    With an odd number of rods the one after half way round stands in for the opposite.
    """
    if order == "round":
        return tuple(range(rods))
    half, result = rods // 2, []
    for i in range((rods + 1) // 2):
        # Every second pair first, so that the pull goes round the hoop evenly.
        step = (2 * i) % ((rods + 1) // 2) + (
            1 if 2 * i >= (rods + 1) // 2 and rods % 4 == 0 else 0
        )
        result += [step % rods, (step + half) % rods]
    seen = list(dict.fromkeys([*result, *range(rods)]))
    return tuple(seen)


def next_turns(
    state: HeadState,
    *,
    order: Order = "cross",
    tolerance_cents: float | None = None,
    most_tension: float = inf,
) -> NextTurns:
    """Return the next turns of a head.

    Parameters
    ----------
    state
        What is known of it.
    order
        In which the person likes to go.
    tolerance_cents
        How far from the goal a rod's lug pitch may stay; the usual if left out.
    most_tension
        Tension over the goal's that no rod may pass.
    """
    near = parameter("near_enough") if tolerance_cents is None else tolerance_cents
    off_cents, sd = state.cents(), state.cents_sd()
    spread, mean = float(np.ptp(off_cents)), float(off_cents.mean())

    def leave(why: Why, rods: tuple[int, ...] = ()) -> NextTurns:
        nothing = (0.0,) * state.rods
        return NextTurns(nothing, (), why, spread, mean, spread, mean, rods)

    if state.suspects:
        return leave("check reading", tuple(rod for rod, _ in state.suspects))
    if state.stuck:
        return leave("no effect")

    available = float(np.abs(off_cents).max()) <= near
    sure = bool(np.all(np.abs(off_cents) + SURE_SDS * sd <= near * parameter("audible_over_near")))
    if state.read and available and sure:
        return leave("there")
    if state.read and available and state.misfit > parameter("misfit_too_large"):
        return leave("not the tuning")
    steps = _steps(state, most_tension)
    after = after_turns(state, (steps * SIXTEENTH).tolist()).cents()
    if not steps.any() or np.sum(after**2) >= np.sum(off_cents**2):
        if not state.read:
            return leave("tap first")
        return leave("as near as it gets" if sure or state.again >= MOST_AGAIN else "tap again")
    turns = tuple((steps * SIXTEENTH).tolist())
    goes = tuple(r for r in rods_in_order(state.rods, order) if steps[r] != 0)
    return NextTurns(turns, goes, "turn", spread, mean, float(np.ptp(after)), float(after.mean()))


@dataclass(frozen=True, slots=True)
class _Cost:
    """The expected cost of turns in sixteenths: t·Q·t − 2 b·t, and what each move costs."""

    square: Array
    linear: Array

    def of(self, steps: Array) -> Array:
        """Return the cost of turns, shape (..., rods), without what stays whatever is turned."""
        bent = ((steps @ self.square) * steps).sum(axis=-1)
        moves = (steps != 0.0).sum(axis=-1) * parameter("move_cost")
        down = (steps < 0.0).sum(axis=-1) * parameter("down_cost")
        return np.asarray(bent - 2.0 * steps @ self.linear + moves + down)


def _expected_cost(state: HeadState) -> _Cost:
    """Return the expected cost: what is heard and what is not off the goal, in squared costs."""
    cost_scale = (0.5 * CENTS_PER_LOG / parameter("heard_cost")) ** 2
    hidden = (0.5 * CENTS_PER_LOG / parameter("hidden_cost")) ** 2
    moves = SIXTEENTH * state.strengths[:, None, None] * state.spreading()
    hearing = state.hearing()
    seen = hearing @ moves
    wanted = 1.0 - (hearing @ state.mean[:, :, None])[:, :, 0]
    each = cost_scale * np.swapaxes(seen, 1, 2) @ seen + hidden * np.swapaxes(moves, 1, 2) @ moves
    square = np.tensordot(state.weight, each, 1)
    linear = state.weight * cost_scale @ (wanted[:, None] @ seen)[:, 0]
    linear += state.weight * hidden @ ((1.0 - state.mean)[:, None] @ moves)[:, 0]
    error = parameter("turning_error") ** 2 * np.diag(np.diag(square))
    return _Cost(square + error, linear)


def _steps(state: HeadState, most_tension: float) -> Array:
    """Return sixteenths per rod, shape (rods,), of about the least expected cost."""
    cost = _expected_cost(state)
    known = state.gain_sd <= parameter("turn_effect_known")
    most = parameter("most_turns_known" if known else "most_turns") / SIXTEENTH
    best = np.linalg.solve(cost.square + 1e-9 * np.eye(state.rods), cost.linear)
    steps = _improved(cost, _coarse(np.clip(best, -most, most)), most)
    return _within(state, steps, most_tension)


def _coarse(steps: Array) -> Array:
    """Round to quarters far away, eighths nearer, sixteenths for the last nudge."""
    size = np.abs(steps)
    grain = np.select([size >= 16, size >= 8], [4.0, 2.0], 1.0)
    return np.asarray(np.sign(steps) * np.round(size / grain) * grain)


def _improved(cost: _Cost, steps: Array, most: float) -> Array:
    """Change the turns of one rod or of two, the most helpful change first, while it costs less."""
    rods = len(steps)
    eye = np.eye(rods)
    pairs = [a + sign * b for i, a in enumerate(eye) for b in eye[:i] for sign in (1.0, -1.0)]
    changes = np.array([*eye, *(2.0 * eye), *pairs])
    changes = np.concatenate([changes, -changes])
    best = float(cost.of(steps))
    for _ in range(MOST_CHANGES):
        tries = np.clip(np.concatenate([steps + changes, steps * (1.0 - eye)]), -most, most)
        costs = cost.of(tries)
        first = int(np.argmin(costs))
        if float(costs[first]) >= best - 1e-9:
            break
        steps, best = tries[first], float(costs[first])
    return _coarse(steps)


def _within(state: HeadState, steps: Array, most_tension: float) -> Array:
    """Shorten turns up until no rod is expected to pass the most tension it may have."""
    moves = SIXTEENTH * state.gain * np.einsum("s,sij->ij", state.weight, state.spreading())
    for _ in range(int(np.abs(steps).sum()) + 1):
        after = state.tensions + moves @ steps
        worst = int(np.argmax(after))
        if after[worst] <= most_tension or steps.max() <= 0.0:
            break
        pulls = np.where(steps > 0.0, moves[worst], 0.0)
        steps = steps - np.eye(len(steps))[int(np.argmax(pulls))]
    return steps
