"""The way back to an earlier setup: ``python -m bench.returning [--drums N]``.

A drum is even and on its note, its rods were read, and then ten changes are made to it at random:
turns on every rod or on one, dampers, wires, the striker. Every turn, there and on the way back,
does up to some 15 % more or less than it says. Printed: how far the heads stand from where they
did after the turns alone, and after tapping round and the next turns to the pitch they stood at;
and how many come within 10 cents a rod and one step in everything the model foretells.
"""

import argparse
from dataclasses import dataclass, replace

import numpy as np

from bench.hidden_head import HiddenHead, tune
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.matching.moves import effect_of
from emblar.core.matching.way_back import Node, way_between
from emblar.core.planning.kit import OwnedDrum
from emblar.core.quantities.registry import steps
from emblar.core.tuning.head_response import goal_per_turn
from emblar.core.tuning.head_state import HeadState, after_readings, after_turns, head_at
from emblar.core.tuning.next_turns import next_turns

CHANGES = 10
TURN_ERROR = 0.15
FURTHEST_TURNS = 0.75
MOST_ROUNDS = 4
CLOSE_CENTS = 10.0
CLOSE_STEPS = 1.0
HEADS = {"batter": "single-coated", "reso": "single-clear"}
DRUM = OwnedDrum("Tom", "tom", 12, 8, 6, "flanged", "maple-lacquer", HEADS["batter"], HEADS["reso"])
LUG_HZ = {"batter": 190.0, "reso": 210.0}
"""A drum for what the heads being off does to the sound."""
DAMPERS = ("gel-pad", "tape-flag", "thin-ring")


class Head:
    """A head that was brought to its note, with everything that was turned and read on it since."""

    def __init__(self, seed: int) -> None:
        self.real = HiddenHead(seed)
        self.good = tune(self.real).good
        self.stood = self.real.cents()
        self.history: list[tuple[str, list[float]]] = []
        self.tapped()
        self.goal = self.state(0.0).mean_cents()

    def tapped(self) -> None:
        """Tap round it."""
        self.history.append(("read", self.real.read()))

    def turned(self, turns: np.ndarray) -> None:
        """Turn its rods; each does what it likes within the error."""
        self.real.turn(turns, TURN_ERROR)
        self.history.append(("turned", turns.tolist()))

    def state(self, goal: float) -> HeadState:
        """Return what is known of it, against a goal in cents from the one it was tuned to."""
        hz = self.real.goal_hz * 2.0 ** (goal / 1200.0)
        rods = self.real.drum.rods
        state = head_at(rods, 1.0, goal_per_turn(self.real.drum, "batter", hz))
        for what, values in self.history:
            if what == "turned":
                state = after_turns(state, values)
            else:
                state = after_readings(state, [value - goal for value in values], 5.0)
        return state

    def off(self) -> np.ndarray:
        """Return how far each rod is from where it stood, cents."""
        return np.asarray(self.real.cents() - self.stood)


@dataclass(frozen=True, slots=True)
class Apart:
    """How far a drum is from where it was: the head and the rod furthest off, what is heard."""

    head_cents: float
    rod_cents: float
    steps: float


@dataclass(frozen=True, slots=True)
class Returned:
    """How a drum came back: by the turns alone, and after taps and so many rounds of turns."""

    turns: Apart
    taps: Apart
    rounds: int


def _changes(rng: np.random.Generator, heads: dict[str, Head]) -> list[Node]:
    """Make changes at random and return the journey."""
    journey = [Node(0, HEADS, stood=LUG_HZ)]
    dampers: set[str] = set()
    net = {side: np.zeros(head.real.drum.rods) for side, head in heads.items()}
    for number in range(1, CHANGES + 1):
        turned = {}
        if rng.random() < 0.7:
            side = str(rng.choice(list(heads)))
            rods = heads[side].real.drum.rods
            row = np.full(rods, float(rng.choice([-0.5, -0.25, -0.125, 0.125, 0.25, 0.5])))
            if rng.random() < 0.3:
                row[np.arange(rods) != rng.integers(rods)] = 0.0
            if np.abs(net[side] + row).max() > FURTHEST_TURNS:
                row = -row
            net[side] += row
            heads[side].turned(row)
            turned = {side: row.tolist()}
        else:
            dampers ^= {str(rng.choice(DAMPERS))}
        journey.append(Node(number, HEADS, turned, dampers=frozenset(dampers)))
    return journey


def _apart(heads: dict[str, Head]) -> Apart:
    """Return how far the heads are from where they stood."""
    off = {side: head.off() for side, head in heads.items()}
    before = Setup(
        HEADS["batter"],
        HEADS["reso"],
        LUG_HZ["batter"],
        LUG_HZ["reso"],
        (),
        "stick-medium",
        "medium",
    )
    hz = {side: LUG_HZ[side] * 2.0 ** (float(rods.mean()) / 1200.0) for side, rods in off.items()}
    after = replace(before, batter_hz=hz["batter"], reso_hz=hz["reso"])
    effect = effect_of(SHIPPED, DRUM, before, after)
    return Apart(
        max(abs(float(rods.mean())) for rods in off.values()),
        max(float(np.abs(rods).max()) for rods in off.values()),
        max((abs(e) for name, e in effect.items() if name in steps()), default=0.0),
    )


def come_back(seed: int) -> Returned | None:
    """Change a drum ten times and go the way back; None if it never was on its note."""
    rng = np.random.default_rng(seed)
    heads = {"batter": Head(2 * seed), "reso": Head(2 * seed + 1)}
    if not all(head.good for head in heads.values()):
        return None
    way = way_between(_changes(rng, heads), CHANGES, 0)
    for side, rods in way.turns.items():
        down, up = (np.zeros(heads[side].real.drum.rods) for _ in range(2))
        for row in rods:
            down[row.rod], up[row.rod] = -row.down, row.up
        heads[side].turned(down)
        heads[side].turned(up)
    turned = _apart(heads)
    rounds = 0
    for side in way.pitches:
        rounds += _return_head(heads[side])
    return Returned(turned, _apart(heads), rounds)


def _return_head(head: Head) -> int:
    """Tap a head round and follow the next turns to where it stood; return the rounds."""
    for done in range(MOST_ROUNDS):
        head.tapped()
        result = next_turns(head.state(head.goal))
        if result.done:
            return done
        head.turned(np.array(result.turns))
    return MOST_ROUNDS


def main(drums: int = 100) -> None:
    """Run all."""
    tried = [come_back(seed) for seed in range(drums)]
    result = [one for one in tried if one is not None]
    print(f"{len(result)} drums on their note, {CHANGES} changes each, turns off by 15 %")
    _print_differences("by the turns alone", [f.turns for f in result])
    _print_differences("tapped round and brought to its pitch", [f.taps for f in result])
    print(f"rounds of turns after the taps, both heads: {np.mean([f.rounds for f in result]):.1f}")


def _print_differences(title: str, differences: list[Apart]) -> None:
    heads, rods, audible = (
        np.array([getattr(f, name) for f in differences])
        for name in ("head_cents", "rod_cents", "steps")
    )
    close = 100.0 * np.mean((heads <= CLOSE_CENTS) & (audible <= CLOSE_STEPS))
    every = 100.0 * np.mean((rods <= CLOSE_CENTS) & (audible <= CLOSE_STEPS))
    print(
        f"{title}: {close:.0f} % with every head within {CLOSE_CENTS:.0f} ct and {CLOSE_STEPS:.0f} "
        f"step, {every:.0f} % with every rod; worst head {np.quantile(heads, 0.9):.0f} ct, worst "
        f"rod {np.quantile(rods, 0.9):.0f} ct (nine in ten), {audible.max():.1f} steps at most"
    )


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--drums", type=int, default=100)
    main(parser.parse_args().drums)
