"""Fit the classifier: ``python -m training.train [--kits N] [--cache FOLDER]``.

Prints how well held-out scenes (other seeds) are told apart, then writes the weights.
"""

import argparse
import warnings
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from sklearn.exceptions import ConvergenceWarning
from sklearn.metrics import f1_score
from sklearn.neural_network import MLPClassifier

from emblar.core.analysis import classifier
from emblar.core.analysis.evidence import ADDED, SEGMENTS, SIZE, WIDE
from emblar.core.analysis.likeness import COMMON, SKINS, rows_of
from emblar.core.analysis.templates import prints_from
from training.rows import Gathered, blurred, colour, gather, parted, truth_of

OUT = Path(classifier.__file__).parent / "data" / "voices.npz"
AGAIN_COUNT, AGAIN_HIDDEN, AGAIN_ALPHA, AGAIN_EPOCHS = 2, (48,), 0.1, 6
LIKE_SCATTER_DB = 1.5
LOOPED = {"drums": ("grooves", 200), "mix": ("songs", 240)}
"""Scenes and number of kits on which the networks of likeness are fitted."""


@dataclass(frozen=True, slots=True)
class View:
    """How one network sees the evidence, and how it is fitted."""

    hidden: tuple[int, int]
    alpha: float
    scatter_db: float
    added: bool
    """Whether it sees what is added to the sound before, too."""
    seed: int
    epochs: int


VIEWS = {
    "drums": (View((192, 64), 3e-3, 1.5, True, 5, 8), View((192, 64), 3e-3, 2.25, False, 5, 8)),
    "mix": (View((192, 64), 3e-3, 1.5, True, 5, 8), View((192, 64), 3e-3, 2.25, False, 5, 8)),
}
"""Much scatter; larger and longer than this was not tried since strokes have drums' own spectra."""


def seen(evidences: np.ndarray, view: View) -> np.ndarray:
    """Return evidence as a view sees it: what it is blind to is zero."""
    if view.added:
        return evidences
    out = evidences.copy()
    out[:, len(SEGMENTS) * WIDE : (len(SEGMENTS) + ADDED) * WIDE] = 0.0
    return out


def fitted(rows: Gathered, fit: np.ndarray, view: View) -> MLPClassifier:
    """Return a network fitted on some scenes."""
    network = MLPClassifier(view.hidden, alpha=view.alpha, batch_size=512, random_state=view.seed)
    rng = np.random.default_rng(view.seed)
    for epoch in range(view.epochs):
        if epoch:
            network._optimizer.learning_rate_init = 1.5e-3 * 0.05 ** (epoch / view.epochs)
        for part in np.array_split(rng.permutation(fit), max(len(fit) // 1200, 1)):
            evidences, labels = blurred(rng, rows, part, view.scatter_db)
            order = rng.permutation(len(labels))
            kinds = np.arange(len(classifier.KINDS))
            network.partial_fit(seen(evidences, view)[order], labels[order], classes=kinds)
    # What it never saw must not count when it is there.
    network.coefs_[0] *= np.any(seen(np.ones((1, SIZE)), view), axis=0)[:, None]
    return network


def among_alike(rows: Gathered, scenes: np.ndarray, *, mix: bool) -> np.ndarray:
    """Return what the candidates of some scenes say of each other (``likeness``).

    Prints are scattered and coloured a little: no two strokes of a real drum are as alike as ours.
    """
    rng, found = np.random.default_rng(4), []
    for scene in scenes:
        first, last = np.searchsorted(rows.scene, [scene, scene + 1])
        if first == last:
            continue
        chances = classifier.probabilities(blurred(rng, rows, [scene], 1.5)[0], mix=mix)
        level = rows.power_db[first:last].astype(np.float64)
        level += rng.normal(0, LIKE_SCATTER_DB, level.shape) + colour(rng, len(level), 2.0)
        prints = prints_from(10.0 ** (level / 10.0))
        found.append(rows_of(prints, chances.astype(np.float64), rows.times_s[first:last]))
    return np.concatenate(found)


def weights_of(name: str, networks: list[MLPClassifier]) -> dict[str, np.ndarray]:
    """Return the weights of networks as they are stored."""
    stored = {}
    for number, network in enumerate(networks):
        layers = zip(network.coefs_, network.intercepts_, strict=True)
        for index, (weight, bias) in enumerate(layers):
            stored[f"{name}{number}_weight{index}"] = weight.astype(np.float16)
            stored[f"{name}{number}_bias{index}"] = bias.astype(np.float32)
    return stored


def report(name: str, kinds: tuple[str, ...], labels: np.ndarray, chances: np.ndarray) -> None:
    """Print how well held-out candidates are told."""
    each = [
        f"{kind} {f1_score(labels[:, index], chances[:, index] > 0.5):.3f}"
        for index, kind in enumerate(kinds)
    ]
    print(f"  {name}: F1 on held-out scenes " + "  ".join(each))


def family_of(family: str, kits: int, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the networks of a family, print how they do on held-out scenes, return their weights."""
    rows = gather(kits, family, cache)
    fit, held = parted(rows)
    print(f"{family}: {len(rows.labels)} candidates in {len(fit) + len(held)} scenes")
    views = VIEWS[family]
    with ProcessPoolExecutor() as pool:
        networks = list(pool.map(partial(fitted, rows, fit), views))
    for view, network in zip(views, networks, strict=True):
        evidences, labels = blurred(np.random.default_rng(6), rows, held, view.scatter_db)
        report(family, classifier.KINDS, labels, network.predict_proba(seen(evidences, view)))
    return weights_of(family, networks)


def again(family: str, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the networks of ``likeness`` on loops, by what the stored networks say of them."""
    scenes, kits = LOOPED[family]
    rows = gather(kits, scenes, cache)
    fit, held = parted(rows)
    print(f"{scenes}: {len(rows.labels)} candidates in {len(fit) + len(held)} scenes")
    alike, check = (among_alike(rows, own, mix=family == "mix") for own in (fit, held))
    right, truth = truth_of(rows, fit), truth_of(rows, held)
    stored: dict[str, np.ndarray] = {}
    for name, columns, kinds in ((f"skin-{family}", COMMON, slice(SKINS)),
                                 (f"metal-{family}", None, slice(SKINS, None))):  # fmt: skip
        networks = [
            MLPClassifier(
                AGAIN_HIDDEN, alpha=AGAIN_ALPHA, batch_size=256, max_iter=AGAIN_EPOCHS,
                random_state=seed,
            )
            for seed in range(AGAIN_COUNT)
        ]  # fmt: skip
        with warnings.catch_warnings():
            # Stopped before it has converged, on purpose.
            warnings.simplefilter("ignore", ConvergenceWarning)
            for network in networks:
                network.fit(alike[:, :columns], right[:, kinds])
        chances = np.mean([n.predict_proba(check[:, :columns]) for n in networks], axis=0)
        report(name, classifier.KINDS[kinds], truth[:, kinds], chances)
        stored |= weights_of(name, networks)
    return stored


def main() -> None:
    """Gather, fit, check, write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kits", type=int, default=480)
    parser.add_argument("--cache", type=Path, help="folder to keep what was gathered in")
    parser.add_argument("--again", action="store_true", help="fit the networks of likeness only")
    asked = parser.parse_args()
    stored: dict[str, np.ndarray] = {}
    if asked.again:
        with np.load(OUT) as kept:
            stored = {name: kept[name] for name in kept.files if name.startswith(tuple(VIEWS))}
    else:
        for family in VIEWS:
            stored |= family_of(family, asked.kits, asked.cache)
        OUT.parent.mkdir(exist_ok=True)
        np.savez_compressed(OUT, **stored)
    for family in LOOPED:
        stored |= again(family, asked.cache)
    np.savez_compressed(OUT, **stored)
    print(f"{OUT.name}: {OUT.stat().st_size / 1024:.0f} kB")


if __name__ == "__main__":
    main()
