"""Fit the classifier: ``python -m training.train [--kits N] [--cache FOLDER]``.

Prints how well held-out scenes (other kits) are told apart, then writes the weights. Needs torch,
which the product does not: ``pip install .[train]``.
"""

import argparse
from pathlib import Path

import numpy as np

from emblar.core.analysis import classifier
from training.alike import LOOPED, again
from training.beside import both
from training.network import Fit, chances, fitted, weights_of
from training.rows import gather, parted
from training.stored import report

OUT = Path(classifier.__file__).parent / "data" / "voices.npz"
FITS = {"drums": Fit(), "mix": Fit(widths=(16, 32, 64, 96), hidden=(192, 96), epochs=9)}
KITS = {"drums": 320, "mix": 480}


def family_of(family: str, kits: int, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the network of a family, print how it does on held-out scenes, return its weights."""
    rows = gather(kits, family, cache)
    fit, held = parted(rows)
    print(f"{family}: {len(rows.labels)} candidates in {len(rows.kit)} scenes", flush=True)
    network = fitted(rows, fit, FITS[family])
    report(family, classifier.KINDS, rows.labels[held], chances(network, rows, held))
    return weights_of(f"{family}0", network)


def main() -> None:
    """Gather, fit, check, write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kits", type=int, help="fewer than usual, for a try")
    parser.add_argument("--cache", type=Path, help="folder to keep what was gathered in")
    parser.add_argument("--only", choices=list(FITS), nargs="*", default=list(FITS))
    parser.add_argument("--again", action="store_true", help="fit the later networks only")
    asked = parser.parse_args()
    stored: dict[str, np.ndarray] = {}
    if OUT.exists():
        with np.load(OUT) as kept:
            stored = {name: kept[name] for name in kept.files}
    for family in () if asked.again else asked.only:
        stored = {n: v for n, v in stored.items() if not n.startswith(family)}
        stored |= family_of(family, asked.kits or KITS[family], asked.cache)
        np.savez_compressed(OUT, **stored)
    if "mix" in asked.only:
        stored |= both(asked.cache)
        np.savez_compressed(OUT, **stored)
    for family in LOOPED:
        if family in asked.only:
            stored |= again(family, asked.cache)
            np.savez_compressed(OUT, **stored)
    print(f"{OUT.name}: {OUT.stat().st_size / 1024:.0f} kB")


if __name__ == "__main__":
    main()
