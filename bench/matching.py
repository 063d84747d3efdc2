"""The closed loop: ``python -m bench.matching [--records N] [--world own|unknown]``.

A record is rendered with a hidden recipe on one drum. Ours is another of a similar size: it is
planned, brought to the plan within 10 cents a head, and then follows the next moves only, each take
rendered and measured like a recording; what each move did is learned from. Printed: how many come
within 1.5 steps in pitch, bend, sustain, length, attack, ring (and wires) in at most eight moves,
and the moves needed against two other ways: changes drawn at random, and whatever helps the largest
difference most. Drums are either the model's own or those of ``bench.unknown_drums``.
"""

import argparse
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from bench.unknown_drums import UnknownDrum, in_another_room, strokes, unknown_drum
from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.forward import predict
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup, Wish
from emblar.core.errors import EmblarError
from emblar.core.matching.differences import Comparison, compare
from emblar.core.matching.learned import Trial, learned_shares
from emblar.core.matching.moves import LEARNED_AS, Move, drum_of, effect_of, next_moves
from emblar.core.planning.brief import Brief
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.target import Target, target_from_card
from emblar.core.synthesis.stroke import drum_voice, render_stroke

RATE = 44100
COUNTED = ("pitch", "bend", "sustain", "length", "attack", "ring", "wires")
CLOSE_STEPS = 1.5
MOST_MOVES = 8
BENCH_CENTS = 10.0
STROKES = 5
SIZES: dict[Kind, tuple[tuple[float, float, int, float, float], ...]] = {
    "tom": ((10, 7, 6, 180, 260), (12, 8, 6, 150, 220), (13, 9, 6, 140, 200), (16, 14, 8, 95, 150)),
    "snare": ((14, 5.5, 10, 290, 400), (14, 6.5, 10, 270, 380), (13, 6, 8, 310, 430)),
}
Choose = Callable[[Sequence[Move], Comparison, np.random.Generator], Move]


@dataclass(frozen=True, slots=True)
class Came:
    """What came of one record: moves made, whether it is close, what is still off."""

    kind: str
    moves: int
    close: bool
    off: dict[str, float]


World = Literal["own", "unknown"]


def rendered(
    owned: OwnedDrum, setup: Setup, seed: int, unknown: UnknownDrum | None = None
) -> Target:
    """Return what a recording of a drum as it is set up measures; the model's own if no other."""
    if unknown is None:
        out = _own_strokes(owned, setup, seed)
    else:
        out = strokes(unknown, owned, setup, rate=RATE, count=STROKES, seed=seed)
    name = "tom-1" if owned.kind == "tom" else owned.kind
    result = analyse(Audio(out[:, None].astype(np.float32), RATE), kind="drums", voice=name)
    return target_from_card(next(v for v in result.voices if v.voice == name))


def _own_strokes(owned: OwnedDrum, setup: Setup, seed: int) -> NDArray[np.float64]:
    voice = drum_voice(
        predict(drum_of(SHIPPED, owned, setup), setup.batter_hz, setup.reso_hz), owned.kind
    )
    gap = round(1.8 * RATE)
    rng = np.random.default_rng(seed)
    out = 1e-4 * rng.standard_normal(STROKES * gap + RATE // 2)
    for i in range(STROKES):
        force = float(np.exp(rng.normal(0.0, 0.1)))
        sound = render_stroke(voice, sample_rate_hz=RATE, force=force, rng=rng, length_s=1.7)
        start = 4000 + i * gap
        out[start : start + len(sound)] += 0.5 * sound
    return out


def a_setup(rng: np.random.Generator, kind: Kind, size: int) -> tuple[OwnedDrum, Setup]:
    """Return a drum of a size, and a setup of it drawn at random."""
    diameter, depth, rods, low, high = SIZES[kind][size]
    batter, reso = (
        str(rng.choice([c.id for c in SHIPPED.constructions_for(kind, side)]))
        for side in ("batter", "reso")
    )
    owned = OwnedDrum("Drum", kind, diameter, depth, rods, "flanged", "maple-lacquer", batter, reso)
    lug = float(rng.uniform(low, high))
    ratio = float(rng.choice([0.0, 0.0, 2.0, 4.0])) if kind == "tom" else 3.0
    available = [
        d.id
        for d in SHIPPED.dampers_for(kind)
        if d.least_in <= diameter
        and d.on_head
        and d.id not in ("disc", "laid-on-head", "small-cymbal")
    ]
    dampers = tuple(str(d) for d in rng.choice(available, int(rng.random() < 0.5), replace=False))
    strikers = [s.id for s in SHIPPED.strikers_for(kind) if not s.only_if_asked]
    wires = str(rng.choice(["medium", "medium", "loose", "tight"])) if kind == "snare" else "medium"
    reso_hz = lug * 2.0 ** (ratio / 12.0)
    striker = str(rng.choice(strikers))
    return owned, Setup(batter, reso, lug, reso_hz, dampers, striker, wires)


def is_close(comparison: Comparison) -> bool:
    """Whether nothing counted is further off than ``CLOSE_STEPS``."""
    return all(
        abs(d.steps) <= CLOSE_STEPS for n, d in comparison.differences.items() if n in COUNTED
    )


def best_move(moves: Sequence[Move], comparison: Comparison, rng: np.random.Generator) -> Move:
    """Return the move that is offered first."""
    del comparison, rng
    return moves[0]


def random_move(moves: Sequence[Move], comparison: Comparison, rng: np.random.Generator) -> Move:
    """Return any of the moves that help at all."""
    del comparison
    return moves[int(rng.integers(len(moves)))]


def largest_first(moves: Sequence[Move], comparison: Comparison, rng: np.random.Generator) -> Move:
    """Return the move that helps the largest difference most, whatever it does to the others."""
    del rng
    worst = max(
        (d for n, d in comparison.differences.items() if n in COUNTED), key=lambda d: abs(d.steps)
    )
    return min(moves, key=lambda m: abs(worst.steps + m.effect.get(worst.name, 0.0)))


def follow(seed: int, choose: Choose, world: World = "own") -> Came:
    """Plan, tune and follow moves for one record."""
    rng = np.random.default_rng(seed)
    drums = np.random.default_rng([seed, 41])
    # Both drums differ from the model in the same way: else no setup of ours may reach the record.
    theirs = unknown_drum(drums) if world == "unknown" else None
    our_own = None if theirs is None else in_another_room(theirs, drums)
    kind: Kind = "snare" if rng.random() < 0.4 else "tom"
    size = int(rng.integers(len(SIZES[kind])))
    record = rendered(*a_setup(rng, kind, size), seed, theirs)
    near = [s for s in (size - 1, size, size + 1) if 0 <= s < len(SIZES[kind])]
    owned, ours = a_setup(rng, kind, int(rng.choice(near)))
    try:
        recipe = plan_drum(SHIPPED, owned, record, Wish(), brief=Brief()).setup
        off = 2.0 ** (rng.normal(0.0, BENCH_CENTS, 2) / 1200.0)
        ours = replace(
            ours,
            batter=recipe.batter,
            reso=recipe.reso,
            batter_hz=recipe.batter_hz * off[0],
            reso_hz=None if recipe.reso_hz is None else recipe.reso_hz * off[1],
            dampers=tuple(recipe.dampers),
            striker=recipe.striker,
            wires=recipe.wires,
        )
    except EmblarError:
        pass
    moves, tried = 0, list[Trial]()
    take = rendered(owned, ours, seed + 1000, our_own)
    while True:
        result = compare(record, take)
        if is_close(result) or moves == MOST_MOVES:
            break
        offered = next_moves(SHIPPED, owned, ours, result, learned=learned_shares(tried))
        if not offered:
            break
        move, moves, before = choose(offered, result, rng), moves + 1, take
        take = rendered(owned, move.setup, seed + 1000 * (moves + 1), our_own)
        did = {n: (d.steps, d.sd_steps) for n, d in compare(before, take).differences.items()}
        kind_of = LEARNED_AS.get(move.kind, move.kind)
        tried.append(Trial(kind_of, effect_of(SHIPPED, owned, ours, move.setup), did))
        ours = move.setup
    left = {
        n: round(d.steps, 1)
        for n, d in result.differences.items()
        if n in COUNTED and abs(d.steps) > CLOSE_STEPS
    }
    return Came(kind, moves, is_close(result), left)


def _follow(job: tuple[int, Choose, World]) -> Came:
    return follow(*job)


def main(records: int = 40, world: World = "own") -> None:
    """Run all ways."""
    print(f"drums: {world}")
    for name, way in (
        ("next moves", best_move),
        ("changes at random", random_move),
        ("largest difference first", largest_first),
    ):
        with ProcessPoolExecutor(2) as pool:
            result = list(pool.map(_follow, [(seed, way, world) for seed in range(records)]))
        close = [f for f in result if f.close]
        print(
            f"{name}: {100 * len(close) / len(result):.0f} % of {len(result)} within {CLOSE_STEPS} "
            f"steps, {np.mean([f.moves for f in result]):.1f} moves on average"
        )
        if way is best_move:
            for f in result:
                if not f.close:
                    print(f"  {f.kind} after {f.moves}: {f.off}")


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--records", type=int, default=40)
    parser.add_argument("--world", choices=get_args(World), default="own")
    given = parser.parse_args()
    main(given.records, given.world)
