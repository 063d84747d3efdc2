"""Tuning by the next turns against two common ways: ``python -m bench.tuning [--heads N]``.

Heads of 6 to 10 rods and 8 to 26 in, past finger-tight, rods up to 300 cents apart, readings off by
5 cents and turns by 15 %. Printed: how many are even (no rod further than 10 cents from the mean)
and within 10 cents of the goal after at most four rounds, and the key moves each way takes to get
there. Then, how near a drum's next pitch is foretold before and after its taps and one stroke.
"""

import argparse
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bench.hidden_head import HiddenHead, Response, tune
from emblar.core.acoustics.calibration import MeasuredTuning, calibrate
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH, Drum, Film, Kind, Side
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.head import lug_pitch_from_tension
from emblar.core.catalogue import SHIPPED
from emblar.core.notes import spread_hz
from emblar.core.quantities import Measured

SIDES: tuple[Side, Side] = ("batter", "reso")
EVEN_CENTS = 10.0
MOST_MOVES = 150
RESPONSES = {
    "as assumed": Response(),
    "turns do twice as much": Response(strength=2.0),
    "turns do half as much": Response(strength=0.5),
    "hoop shares nearly nothing": Response(sharing=0.05),
    "hoop shares twice as much": Response(sharing=0.5),
    "rods slip back": Response(slips=0.03),
}
MODEL_OFF_CENTS = 60.0
STROKE_SD_CENTS = 5.0
READ_SD_CENTS = 5.0


def is_good(head: HiddenHead) -> bool:
    """Whether a head is even and on its note."""
    cents = head.cents()
    return bool(
        np.abs(cents - cents.mean()).max() <= EVEN_CENTS and abs(cents.mean()) <= EVEN_CENTS
    )


def worst_first(head: HiddenHead) -> int | None:
    """Turn the rod that reads furthest off by what its own reading asks; return the key moves."""
    return _by_rod(head, lambda read, _: int(np.argmax(np.abs(read))))


def one_by_one(head: HiddenHead) -> int | None:
    """Bring one rod after another to the goal, round and round; return the key moves."""
    return _by_rod(head, lambda read, done: done % len(read))


def _by_rod(head: HiddenHead, choose: Callable[[np.ndarray, int], int]) -> int | None:
    per_turn = None
    for moves in range(MOST_MOVES):
        if is_good(head):
            return moves
        read = np.array(head.read())
        rod = choose(read, moves)
        # A person learns soon what an eighth does; quarters far away, eighths and sixteenths near.
        off = -float(read[rod])
        size = (
            0.5 if abs(off) > 200 else 0.25 if abs(off) > 80 else 0.125 if abs(off) > 25 else 0.0625
        )
        turns = np.zeros(head.drum.rods)
        turns[rod] = math.copysign(size, off)
        head.turn(turns)
        per_turn = size
    return None if per_turn else 0


def by_rounds(heads: int) -> None:
    """Print how many heads the next turns bring to their note in four rounds."""
    for name, response in RESPONSES.items():
        result = [tune(HiddenHead(seed, response)) for seed in range(heads)]
        good = np.mean([f.good for f in result])
        moves, rounds = np.mean([f.moves for f in result]), np.mean([f.rounds for f in result])
        print(
            f"next turns, {name}: {100 * good:.0f} % good, {moves:.0f} moves, {rounds:.1f} rounds"
        )


def against(heads: int) -> None:
    """Print the key moves of each way over those of the next turns, where all get there."""
    ours = [tune(HiddenHead(seed), rounds=8) for seed in range(heads)]
    for name, way in (("worst first", worst_first), ("one by one", one_by_one)):
        theirs = [way(HiddenHead(seed)) for seed in range(heads)]
        both = [(o.moves, t) for o, t in zip(ours, theirs, strict=True) if o.good and t is not None]
        ratio = np.median([t / max(o, 1) for o, t in both])
        available = np.mean([t is not None for t in theirs])
        print(
            f"{name}: {ratio:.1f} × the key moves of the next turns (median of {len(both)}), "
            f"{100 * available:.0f} % there within {MOST_MOVES} moves"
        )


@dataclass(frozen=True, slots=True)
class Foretold:
    """How far off a drum's next pitch was foretold, percent, before and after it was read."""

    before: float
    after: float


def _any_film(rng: np.random.Generator, kind: Kind, side: Side) -> Film:
    films = [made.film() for made in SHIPPED.constructions_for(kind, side)]
    return films[rng.integers(len(films))]


def foretold(seed: int) -> Foretold:
    """Foretell the second tuning of a drum off the model, before and after its first was read."""
    rng, k = np.random.default_rng(seed), prior_coefficients()
    size = float(rng.choice([10, 12, 13, 14, 16]))
    heads = [_any_film(rng, "tom", side) for side in SIDES]
    drum = Drum("tom", size * METRES_PER_INCH, 0.6 * size * METRES_PER_INCH, 8, heads[0], heads[1])
    off = float(rng.normal(0.0, MODEL_OFF_CENTS))

    def true_hz(batter: float, reso: float) -> float:
        return float(predict(drum, batter, reso).drum_pitch.value * 2.0 ** (off / 1200.0))

    def read(hz: float, sd_cents: float) -> float:
        return float(hz * 2.0 ** (rng.normal(0.0, sd_cents) / 1200.0))

    tensions = rng.uniform(500.0, 1800.0, 2)
    lugs = [
        lug_pitch_from_tension(drum, s, float(t), k) for s, t in zip(SIDES, tensions, strict=True)
    ]
    rods = math.sqrt(8.0)
    known = [read(hz, READ_SD_CENTS / rods) for hz in lugs]
    pitch = read(true_hz(*lugs), STROKE_SD_CENTS)
    take = MeasuredTuning(
        drum, known[0], known[1], Measured(pitch, spread_hz(pitch, STROKE_SD_CENTS), "Hz")
    )
    after = [hz * 2.0 ** (float(rng.uniform(-3.0, 3.0)) / 12.0) for hz in lugs]
    real = true_hz(*after)
    prior = predict(drum, after[0], after[1]).drum_pitch.value
    learned = calibrate([take]).predict(drum, after[0], after[1]).prediction.drum_pitch.value
    return Foretold(100.0 * abs(prior / real - 1.0), 100.0 * abs(learned / real - 1.0))


def calibration(drums: int) -> None:
    """Print how near the next drum pitch is foretold."""
    result = [foretold(seed) for seed in range(drums)]
    before, after = (np.median([getattr(f, n) for f in result]) for n in ("before", "after"))
    print(f"next drum pitch foretold: {before:.2f} % off before, {after:.2f} % after (median)")


def main(heads: int = 200, drums: int = 100) -> None:
    """Run all."""
    by_rounds(heads)
    against(heads)
    calibration(drums)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--heads", type=int, default=200)
    parser.add_argument("--drums", type=int, default=100)
    given = parser.parse_args()
    main(given.heads, given.drums)
