"""Fit the classifier: ``python -m training.train [--kits N] [--cache FOLDER]``.

Prints how well held-out scenes (other kits) are told apart, then writes the weights. Needs torch,
which the product does not: ``pip install .[train]``.
"""

import argparse
from dataclasses import replace
from pathlib import Path

import numpy as np

from emblar.core.analysis.classify import model as classifier
from training.embedding import KITS, networks
from training.mid_side import both
from training.neighbours import FITS as AGAIN
from training.neighbours import again
from training.network import Fit, chances, fitted, weights_of
from training.rows import gather, parted
from training.stored import report

OUT = Path(classifier.__file__).parents[1] / "models" / "voices.npz"
WIDE = Fit(widths=(16, 32, 64, 96), hidden=(192, 96), epochs=9)
FITS = {
    "drums": (("drums", 320, Fit()),),
    "mix": (("mix", 480, WIDE), ("heavy", 600, replace(WIDE, seed=6))),
}
"""Of each family's networks the scenes, the number of kits, and how it is fitted."""


def family_of(family: str, kits: int | None, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit a family's networks, print how they do on held-out scenes, return their weights."""
    stored: dict[str, np.ndarray] = {}
    for number, (scenes, usual, size) in enumerate(FITS[family]):
        rows = gather(kits or usual, scenes, cache)
        fit, held = parted(rows)
        print(f"{scenes}: {len(rows.labels)} candidates in {len(rows.kit)} scenes", flush=True)
        network = fitted(rows, fit, size)
        report(scenes, classifier.KINDS, rows.labels[held], chances(network, rows, held))
        stored |= weights_of(f"{family}{number}", network)
    return stored


def save(stored: dict[str, np.ndarray]) -> None:
    """Write every family's weights into one file."""
    np.savez_compressed(OUT, allow_pickle=False, **stored)


def main() -> None:
    """Gather, fit, check, write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kits", type=int, help="fewer than usual, for a try")
    parser.add_argument("--cache", type=Path, help="folder to keep what was gathered in")
    parser.add_argument("--only", choices=list(FITS), nargs="*", default=list(FITS))
    parser.add_argument("--again", action="store_true", help="fit the later networks only")
    arguments = parser.parse_args()
    stored: dict[str, np.ndarray] = {}
    if OUT.exists():
        with np.load(OUT) as kept:
            stored = {name: kept[name] for name in kept.files}
    for family in () if arguments.again else arguments.only:
        stored = {n: v for n, v in stored.items() if not n.startswith(family)}
        stored |= family_of(family, arguments.kits, arguments.cache)
        save(stored)
    if "mix" in arguments.only:
        stored |= networks(arguments.kits or KITS, arguments.cache)
        stored |= both(arguments.kits, arguments.cache)
        save(stored)
    for family in AGAIN:
        if family in arguments.only:
            stored |= again(family, arguments.kits, arguments.cache)
            save(stored)
    print(f"{OUT.name}: {OUT.stat().st_size / 1024:.0f} kB")


if __name__ == "__main__":
    main()
