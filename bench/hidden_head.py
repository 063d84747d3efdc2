"""Practice heads whose rods nobody sees, tuned by following the next turns only."""

import math
from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH, Drum, Kind
from emblar.core.acoustics.head import lug_pitch_from_tension
from emblar.core.acoustics.inverse import tension_per_turn
from emblar.core.acoustics.uneven import rod_pitches_hz
from emblar.core.catalogue import SHIPPED
from emblar.core.tuning.head_response import goal_per_turn
from emblar.core.tuning.head_state import HeadState, after_readings, after_turns, head_at
from emblar.core.tuning.next_turns import NextTurns, next_turns

Array = np.ndarray
LOWEST = 60.0


@dataclass
class Response:
    """What a head does with turns that the model does not know of."""

    strength: float | None = None
    sharing: float | None = None
    slips: float = 0.0


class HiddenHead:
    """A head past finger-tight, its rods up to 300 cents apart, and a goal."""

    def __init__(self, seed: int, response: Response | None = None) -> None:
        self.rng = rng = np.random.default_rng(seed)
        self.response = response or Response()
        size = float(rng.choice([8, 10, 12, 13, 14, 16, 18, 20, 22, 24, 26]))
        kind: Kind = "kick" if size >= 18 else "tom"
        films = [made.film() for made in SHIPPED.constructions_for(kind, "batter")]
        film = films[rng.integers(len(films))]
        rods, depth = int(rng.choice([6, 8, 10])), (0.4 if kind == "kick" else 0.2)
        self.drum = Drum(kind, size * METRES_PER_INCH, depth, rods, film, film)
        k = prior_coefficients()
        goal = float(rng.uniform(500, 3500) if kind == "tom" else rng.uniform(250, 1200))
        self.goal_hz = lug_pitch_from_tension(self.drum, "batter", goal, k)
        apart = 2.0 ** (2.0 * rng.uniform(-300, 300, rods) / 1200.0)
        self.tensions = goal * float(rng.uniform(0.15, 0.6)) * apart / apart.mean()
        strength = self.response.strength or math.exp(rng.normal(0.0, 0.3))
        self.per_turn = tension_per_turn(self.drum, "batter", k).value * strength
        sharing = self.response.sharing or k["hoop_sharing"]
        around = np.roll(np.eye(rods), 1, axis=0) + np.roll(np.eye(rods), -1, axis=0)
        self.shares = (np.eye(rods) + sharing * around) / (1.0 + 2.0 * sharing)

    def cents(self) -> Array:
        k = prior_coefficients()
        mean = lug_pitch_from_tension(self.drum, "batter", float(self.tensions.mean()), k)
        return 1200.0 * np.log2(rod_pitches_hz(self.tensions.tolist(), mean) / self.goal_hz)

    def read(self, noise: float = 5.0) -> list[float]:
        read = self.cents() + self.rng.normal(0.0, noise, self.drum.rods)
        return [float(cents) for cents in read]

    def turn(self, turns: Array, error: float = 0.15) -> None:
        real = turns * (1.0 + self.rng.normal(0.0, error, len(turns)))
        real -= self.response.slips * self.rng.random(len(turns)) * (turns != 0.0)
        self.tensions = np.maximum(self.tensions + self.per_turn * self.shares @ real, LOWEST)

    def state(self) -> HeadState:
        return head_at(self.drum.rods, 0.3, goal_per_turn(self.drum, "batter", self.goal_hz))


@dataclass
class Tuned:
    """How a head came out."""

    uneven: float
    off: float
    moves: int
    rounds: int
    last: NextTurns

    @property
    def good(self) -> bool:
        return self.uneven <= 10.0 and abs(self.off) <= 10.0


def tune(head: HiddenHead, rounds: int = 4) -> Tuned:
    """Follow the next turns."""
    state, moves = head.state(), 0
    for done in range(rounds + 1):
        state = after_readings(state, head.read(), 5.0)
        result = next_turns(state)
        if result.done or done == rounds:
            break
        turns = np.array(result.turns)
        moves += int((turns != 0.0).sum())
        head.turn(turns)
        state = after_turns(state, result.turns)
    cents = head.cents()
    mean = float(cents.mean())
    return Tuned(float(np.abs(cents - mean).max()), mean, moves, done, result)
