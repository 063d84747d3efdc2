"""Learning to tune: practice drums out of tune by level, and exercises for the ear.

Conventions
-----------
Everything follows from a level or exercise and a seed; nothing here is kept. Rods count from 0,
turns are turns of the key.
"""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH, Drum, Kind, PlacedDamper, Side
from emblar.core.acoustics.head import lug_pitch_from_tension
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import InputError
from emblar.core.synthesis.practice import PracticeDrum
from emblar.core.synthesis.stroke import Samples

INTERVALS = {"second": 2.0, "third": 4.0, "fourth": 5.0, "fifth": 7.0}
LEAST_APART = 12.0
MOST_APART = 90.0
PAUSE_S = 0.35
TAP_S = 0.8
STROKE_S = 1.4
TOP_TENSION = 1100.0


@dataclass(frozen=True, slots=True)
class Level:
    """A practice drum: what it is, where its batter is to go, how far off it begins."""

    id: str
    name: str
    kind: Kind
    diameter_in: float
    depth_in: float
    rods: int
    batter: str
    reso: str
    goal_n_per_m: float
    start: float
    uneven_cents: float

    def drum(self) -> Drum:
        """Return the drum for the model."""
        return Drum(
            self.kind,
            self.diameter_in * METRES_PER_INCH,
            self.depth_in * METRES_PER_INCH,
            self.rods,
            SHIPPED.construction(self.batter).film(),
            SHIPPED.construction(self.reso).film(),
        )

    def goal_hz(self) -> float:
        """Return the lug pitch that the batter is to be brought to, Hz."""
        k = prior_coefficients()
        return lug_pitch_from_tension(self.drum(), "batter", self.goal_n_per_m, k)


@dataclass(frozen=True, slots=True)
class Exercise:
    """An ear exercise: what is asked, and the answers to choose from."""

    id: str
    name: str
    asks: str
    options: tuple[str, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Question:
    """What is played, at ``rate`` samples a second, and the right answer with what it was."""

    samples: Samples
    answer: str
    says: str


@lru_cache(maxsize=1)
def _file() -> dict[str, Any]:
    text = (resources.files(__package__) / "training.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def levels() -> dict[str, Level]:
    """Return the practice drums by id, the easiest first."""
    return {row["id"]: Level(**row) for row in _file()["level"]}


def exercises() -> dict[str, Exercise]:
    """Return the ear exercises by id."""
    return {
        row["id"]: Exercise(**{**row, "options": tuple(row["options"])})
        for row in _file()["exercise"]
    }


def level(level_id: str) -> Level:
    """Return one level.

    Raises
    ------
    InputError
        There is none of that name.
    """
    result = levels().get(level_id)
    if result is None:
        raise InputError(
            f"“{level_id}” is not possible. Choose {', '.join(levels())}.", field="level"
        )
    return result


def begin(level_id: str, seed: int) -> PracticeDrum:
    """Return a level's practice drum as it is found: only its batter is out of tune."""
    request = level(level_id)
    rng = np.random.default_rng(seed)
    apart = 2.0 ** (2.0 * rng.uniform(-1.0, 1.0, request.rods) * request.uneven_cents / 1200.0)
    start = request.goal_n_per_m * request.start * apart / apart.mean()
    reso = np.full(request.rods, request.goal_n_per_m)
    strength = float(np.exp(rng.normal(0.0, 0.3)))
    return PracticeDrum(
        request.drum(),
        {"batter": start, "reso": reso},
        {"batter": strength, "reso": 1.0},
        seed=seed,
    )


def question(exercise_id: str, seed: int, *, rate: int) -> Question:
    """Return a question to the ear.

    Parameters
    ----------
    exercise_id, seed
        Which exercise; the seed draws what is played and the answer.
    rate
        Samples per second.

    Raises
    ------
    InputError
        There is no such exercise.
    """
    makers = {"higher": _higher, "fault": _fault, "interval": _interval, "change": _change}
    if exercise_id not in makers:
        raise InputError(
            f"“{exercise_id}” is not possible. Choose {', '.join(makers)}.", field="exercise"
        )
    return makers[exercise_id](np.random.default_rng([seed, len(exercise_id)]), rate)


def _tom(rng: np.random.Generator, tension: float, reso: float | None = None) -> PracticeDrum:
    drum = levels()["first-round"].drum()
    heads = {"batter": np.full(drum.rods, tension), "reso": np.full(drum.rods, reso or tension)}
    seed = int(rng.integers(1 << 30))
    return PracticeDrum(drum, heads, {"batter": 1.0, "reso": 1.0}, seed=seed)  # type: ignore[arg-type]


def _joined(pieces: list[Samples], rate: int) -> Samples:
    gap = np.zeros(round(PAUSE_S * rate))
    return np.concatenate([x for piece in pieces for x in (piece, gap)])


def _sharper(tension: Array | float, cents: float) -> Any:
    return tension * 2.0 ** (2.0 * cents / 1200.0)


def _higher(rng: np.random.Generator, rate: int) -> Question:
    apart = float(np.exp(rng.uniform(np.log(LEAST_APART), np.log(MOST_APART))))
    answer = str(rng.choice(["first", "second"]))
    low = float(rng.uniform(500.0, TOP_TENSION))
    taps = [
        _tom(rng, _sharper(low, apart if answer == name else 0.0)) for name in ("first", "second")
    ]
    played = [drum.tap("batter", 0, rate=rate, seconds=TAP_S) for drum in taps]
    return Question(_joined(played, rate), answer, f"The {answer} is {apart:.0f} ct higher.")


def _fault(rng: np.random.Generator, rate: int) -> Question:
    apart = float(np.exp(rng.uniform(np.log(4.0 * LEAST_APART), np.log(3.0 * MOST_APART))))
    answer = str(rng.choice(["batter", "reso"]))
    drum = _tom(rng, 800.0, 900.0)
    side: Side = "batter" if answer == "batter" else "reso"
    rods = drum.drum.rods
    pattern = np.where(np.arange(rods) % (rods // 2) == 0, apart, -apart / 2.0)
    drum.tensions[side] = _sharper(drum.tensions[side], 1.0) * 2.0 ** (2.0 * pattern / 1200.0)
    played = [drum.tap("batter", r, rate=rate, seconds=TAP_S) for r in range(4)]
    played.append(np.zeros(round(PAUSE_S * rate)))
    played += [drum.tap("reso", r, rate=rate, seconds=TAP_S) for r in range(4)]
    spread_cents = np.ptp(1200.0 * np.log2(drum.rod_pitches_hz(side)))
    return Question(
        _joined(played, rate), answer, f"The {answer}: its taps lie {spread_cents:.0f} ct apart."
    )


def _interval(rng: np.random.Generator, rate: int) -> Question:
    answer = str(rng.choice(list(INTERVALS)))
    low = float(rng.uniform(450.0, 650.0))
    high = _sharper(low, 100.0 * INTERVALS[answer])
    played = [_tom(rng, t).strike(rate=rate, seconds=STROKE_S) for t in (high, low)]
    return Question(
        _joined(played, rate), answer, f"A {answer}, {INTERVALS[answer]:.0f} semitones."
    )


def _change(rng: np.random.Generator, rate: int) -> Question:
    answer = str(rng.choice(list(exercises()["change"].options)))
    tension = float(rng.uniform(600.0, 900.0))
    cents = float(rng.uniform(40.0, 120.0))
    moved = {"tuned up": cents, "tuned down": -cents}.get(answer, 0.0)
    before, after = _tom(rng, tension), _tom(rng, _sharper(tension, moved))
    if answer == "damped":
        pad = PlacedDamper("batter", 0.75, 4.0, 0.006)
        after.drum = Drum(
            after.drum.kind,
            after.drum.diameter_m,
            after.drum.depth_m,
            after.drum.rods,
            after.drum.batter,
            after.drum.reso,
            dampers=(pad,),
        )
    force = 2.2 if answer == "struck harder" else 1.0
    played = [
        before.strike(rate=rate, seconds=STROKE_S),
        after.strike(force=force, rate=rate, seconds=STROKE_S),
    ]
    by = f" by {abs(moved):.0f} ct" if moved else ""
    return Question(_joined(played, rate), answer, f"It was {answer}{by}.")
