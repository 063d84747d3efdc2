"""Toms under backings, of which the networks of ``embedding`` learn: what is heard of each stroke.

Conventions
-----------
``strokes_of(seed)`` is the same for the same seed: one kit of two to four toms, no two of them tuned
alike, whose fills are played under two backings. Strokes begin a few milliseconds off, as they are
found.
"""

import itertools
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from emblar.core.analysis.signal.low_band import StrokeSpan, low_band
from emblar.core.analysis.voices.embedding import levels_db
from training.backings import backing
from training.modelled import model_drum
from training.scenes import MODELLED_ODDS, Band, pattern, perform, rendered, under
from training.sounds import drum, metal

SECONDS = 12.0
BACKINGS = 2
TURNS = 2
BEHIND_DB = (-8.0, 13.0)
"""How loud the backing is, RMS re the drums."""
APART_OCTAVES = 0.15
WITHIN_OCTAVES = 1.6
LONGEST_RUN = 9
PAUSE = 8
GAPS = (1, 1, 2, 2, 3)
RUN_ODDS = 0.5
OTHER_TOM_ODDS = 0.5
OFF_S = 0.003
AFTER_S = 0.004
DEAD_S = 0.008
LAST_S = 0.1
DRUMS = ("kick", "snare")
Row = tuple[int, str, float]


@dataclass(frozen=True, slots=True)
class Fills:
    """The strokes on toms of one scene.

    ``levels`` as in ``embedding``, float16; ``tom`` which one each is on; ``tuned_hz`` of each
    stroke's tom; ``kit`` by its seed.
    """

    levels: np.ndarray
    tom: np.ndarray
    tuned_hz: np.ndarray
    kit: int


def strokes_of(seed: int) -> list[Fills]:
    """Return what is heard of the toms of one drawn kit, scene by scene."""
    rng = np.random.default_rng([13, seed])
    kit, tuned = _kit(rng)
    step_s, result = 15.0 / rng.uniform(70, 190), []
    for _ in range(BACKINGS):
        behind = backing(rng, SECONDS, step_s)
        for _ in range(TURNS):
            rows = _fills(rng, int(SECONDS / step_s), len(tuned))
            drums, events = perform(rng, kit, step_s, SECONDS, lambda *_, rows=rows: rows)
            low = low_band(under(rng, drums, behind, BEHIND_DB))
            toms = [(t, int(v[4:])) for t, v in events if v[:3] == "tom" and t < SECONDS - LAST_S]
            if len({tom for _, tom in toms}) < 2:
                continue
            struck = np.array(sorted(t for t, v in events if v in DRUMS or v[:3] == "tom"))
            spans = [_span(t + rng.normal(0, OFF_S), struck) for t, _ in toms]
            members = np.array([tom for _, tom in toms])
            levels = levels_db(low, spans).astype(np.float16)
            result.append(Fills(levels, members, tuned[members], seed))
    return result


def gathered(kits: int, cache: Path | None) -> list[Fills]:
    """Return the scenes of so many kits, those that are in the cache folder from there."""
    with ProcessPoolExecutor() as pool:
        return list(
            itertools.chain.from_iterable(
                pool.map(_kept, range(kits), itertools.repeat(cache), chunksize=4)
            )
        )


def _kept(seed: int, cache: Path | None) -> list[Fills]:
    position = cache / f"fills-{seed}.npz" if cache is not None else None
    if position is not None and position.exists():
        with np.load(position) as kept:
            parts = [np.split(kept[name], kept["ends"][:-1]) for name in ("levels", "tom", "hz")]
        return [Fills(levels, tom, hz, seed) for levels, tom, hz in zip(*parts, strict=True)]
    result = strokes_of(seed)
    if position is not None and result:
        levels, tom, hz = (
            np.concatenate([getattr(f, name) for f in result])
            for name in ("levels", "tom", "tuned_hz")
        )
        ends = np.cumsum([len(f.tom) for f in result])
        np.savez(position, levels=levels, tom=tom, hz=hz, ends=ends)
    return result


def _kit(rng: np.random.Generator) -> tuple[Band, np.ndarray]:
    """Draw a kit; return it and where its toms are tuned, Hz."""
    count = int(rng.integers(2, 5))
    while True:
        maker = drum if rng.random() > MODELLED_ODDS else model_drum
        toms = [maker(rng, "tom") for _ in range(count)]
        tuned = np.array([hz for _, hz in toms])
        octaves = np.sort(np.log2(tuned))
        if np.diff(octaves).min() > APART_OCTAVES and np.ptp(octaves) < WITHIN_OCTAVES:
            break
    makers = {f"tom-{i}": members for i, (members, _) in enumerate(toms)}
    makers |= {kind: drum(rng, kind)[0] for kind in DRUMS}
    makers |= {kind: metal(rng, kind) for kind in ("hat", "cymbal")}
    return rendered(rng, makers), tuned


def _fills(rng: np.random.Generator, steps: int, toms: int) -> list[Row]:
    """Return a pattern whose toms are struck in runs, on one and then on another."""
    rows = [row for row in pattern(rng, steps, toms) if not row[1].startswith("tom")]
    step = 0
    while step < steps:
        if rng.random() < RUN_ODDS:
            length, gap = int(rng.integers(1, LONGEST_RUN)), int(rng.choice(GAPS))
            tom = int(rng.integers(toms))
            for _ in range(length):
                if rng.random() < OTHER_TOM_ODDS:
                    tom = int(rng.integers(toms))
                if step < steps:
                    rows.append((step, f"tom-{tom}", rng.uniform(0.35, 1.0)))
                step += gap
        step += int(rng.integers(1, PAUSE))
    return rows


def _span(time_s: float, struck: np.ndarray) -> StrokeSpan:
    later = struck[struck > time_s + AFTER_S]
    return StrokeSpan(time_s, float(later[0]) - time_s - DEAD_S if len(later) else 2.0)
