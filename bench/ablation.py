"""What each hand-set rule brings: ``python -m bench.ablation [--only RULE …] [--kits 0 4 …]``.

Over grooves on sampled kits (``bench.real``), alone and under a backing: the mean F1 over voices
and onsets with all rules less that without one, in hundredths, and the noise of that mean over
recordings. What brings less than its noise does not pay.
"""

import argparse
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from bench.material import Kit
from bench.real import cached_kits, one
from bench.rules import RULES, without

CONDITIONS = ("drums", "mix+0")
Work = tuple[Kit, str, int]


def scored(work: Work) -> float:
    """Return the mean F1 over voices and onsets of one recording."""
    score = one(*work)
    return float(np.mean([np.mean(values) for values in score.f1.values()]))


def run(work: list[Work], name: str | None) -> np.ndarray:
    """Return the F1 of every recording, without a rule if one is named."""
    take_out = partial(without, name) if name else None
    with ProcessPoolExecutor(2, get_context("fork"), initializer=take_out) as pool:
        return np.array(list(pool.map(scored, work)))


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--only", nargs="*", default=list(RULES), choices=list(RULES))
    parser.add_argument("--cache", type=Path)
    parser.add_argument("--kits", type=int, nargs="*")
    parser.add_argument("--seed", type=int, default=4)
    parser.add_argument("--in", nargs="*", default=CONDITIONS, dest="conditions")
    arguments = parser.parse_args()
    every = list(enumerate(cached_kits(arguments.cache)))
    chosen = [(i, kit) for i, kit in every if arguments.kits is None or i in arguments.kits]
    work = {
        c: [(kit, c, 100 * arguments.seed + i) for i, kit in chosen] for c in arguments.conditions
    }
    base = {c: run(work[c], None) for c in arguments.conditions}
    known = ", ".join(f"{c} {values.mean():.3f}" for c, values in base.items())
    print(f"{len(chosen)} kits, mean F1 with all rules: {known}", flush=True)
    for name in arguments.only:
        cells = []
        for c in arguments.conditions:
            gain = base[c] - run(work[c], name)
            noise = gain.std(ddof=1) / np.sqrt(len(gain)) if len(gain) > 1 else float("nan")
            cells.append(f"{100 * gain.mean():+.2f} ± {100 * noise:.2f}")
        print(f"| `{name}` | {RULES[name].what} | {' | '.join(cells)} |", flush=True)


if __name__ == "__main__":
    main()
