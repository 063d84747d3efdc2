"""Fit the classifier: ``python -m training.train [--kits N] [--cache FOLDER]``.

Prints how well held-out scenes (other seeds) are told apart, then writes the weights.
"""

import argparse
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from sklearn.metrics import f1_score
from sklearn.neural_network import MLPClassifier

from emblar.core.analysis import classifier
from emblar.core.analysis.evidence import ADDED, BEFORE, SEGMENTS, SIZE, WIDE, evidence_of
from emblar.core.analysis.frames import BANDS
from training.scenes import labelled, labelled_mixes

OUT = Path(classifier.__file__).parent / "data" / "voices.npz"
HELD_OUT = 5
TONE_SCATTER = 0.08
"""Every so many scenes one is kept for the check."""


@dataclass(frozen=True, slots=True)
class Gathered:
    """Segment powers in dB, flatness, tones, labels, and the scene each row is of."""

    power_db: np.ndarray
    flat_db: np.ndarray
    tone: np.ndarray
    labels: np.ndarray
    scene: np.ndarray
    kit: np.ndarray


SCENES = {"drums": labelled, "mix": labelled_mixes}
"""How the scenes of each family of networks are made."""


def gather(kits: int, family: str, cache: Path | None) -> Gathered:
    """Return the scenes of so many kits, from the cache folder if they are there."""
    kept_at = cache / f"{family}.npz" if cache is not None else None
    if kept_at is not None and kept_at.exists():
        with np.load(kept_at) as kept:
            return Gathered(*(kept[name] for name in Gathered.__slots__))
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(SCENES[family], range(kits), chunksize=4))
    sizes = [size for *_, own in found for size in own]
    rows = Gathered(
        *(np.concatenate([row[i] for row in found]) for i in range(4)),
        np.repeat(np.arange(len(sizes)), sizes),
        np.repeat(np.arange(kits), [len(row[0]) for row in found]),
    )
    if kept_at is not None:
        np.savez(kept_at, **{name: getattr(rows, name) for name in Gathered.__slots__})
    return rows


def blurred(
    rng: np.random.Generator, rows: Gathered, scenes: np.ndarray, scatter_db: float
) -> tuple[np.ndarray, np.ndarray]:
    """Return evidence and labels of some scenes as other microphones and rooms would give them.

    Each scene gets a colouring of its own, each candidate a little scatter and colouring more.
    """
    evidences, labels = [], []
    for scene in scenes:
        first, last = np.searchsorted(rows.scene, [scene, scene + 1])
        if first == last:
            continue
        power = rows.power_db[first:last].astype(np.float32)
        power += _colour(rng, 1, 5.0) + _colour(rng, last - first, 3.0)
        power += rng.normal(0, scatter_db, power.shape).astype(np.float32)
        floor = power[:, BEFORE:].max() + rng.uniform(-90, -45)
        flat = rows.flat_db[first:last].astype(np.float32) + rng.normal(0, 1.5)
        flat += rng.normal(0, 1.0, flat.shape).astype(np.float32)
        power = 10.0 ** (np.maximum(power, floor) / 10.0)
        tone = rows.tone[first:last] + rng.normal(0, TONE_SCATTER, rows.tone[first:last].shape)
        evidences.append(evidence_of(power, flat.astype(np.float32), tone.astype(np.float32)))
        labels.append(rows.labels[first:last])
    return np.concatenate(evidences), np.concatenate(labels)


def _colour(rng: np.random.Generator, count: int, spread_db: float) -> np.ndarray:
    knots = rng.normal(0, spread_db, (count, 8))
    places = np.linspace(0, 7, BANDS)
    low = np.minimum(places.astype(int), 6)
    curve = knots[:, low] + (knots[:, low + 1] - knots[:, low]) * (places - low)
    return np.asarray(curve[:, None, :], np.float32)


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
    "drums": (View((128, 48), 3e-3, 1.5, True, 5, 5), View((128, 48), 3e-3, 2.25, False, 5, 5)),
    "mix": (View((128, 48), 3e-3, 1.5, True, 5, 4), View((128, 48), 3e-3, 2.25, False, 5, 4)),
}
"""Few epochs and much scatter: fitted longer they know our synthesis better and real kits worse."""


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


def family_of(family: str, kits: int, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the networks of a family, print how they do on held-out scenes, return their weights."""
    rows = gather(kits, family, cache)
    held = np.unique(rows.scene[rows.kit % HELD_OUT == 0])
    fit = np.unique(rows.scene[rows.kit % HELD_OUT != 0])
    print(f"{family}: {len(rows.labels)} candidates in {len(fit) + len(held)} scenes")
    stored, odds = {}, []
    views = VIEWS[family]
    with ProcessPoolExecutor() as pool:
        networks = list(pool.map(partial(fitted, rows, fit), views))
    for number, (view, network) in enumerate(zip(views, networks, strict=True)):
        evidences, labels = blurred(np.random.default_rng(6), rows, held, view.scatter_db)
        chances = np.clip(network.predict_proba(seen(evidences, view)), 1e-6, 1 - 1e-6)
        odds.append(np.log(chances / (1 - chances)))
        layers = zip(network.coefs_, network.intercepts_, strict=True)
        for index, (weight, bias) in enumerate(layers):
            stored[f"{family}{number}_weight{index}"] = weight.astype(np.float16)
            stored[f"{family}{number}_bias{index}"] = bias.astype(np.float32)
    for index, kind in enumerate(classifier.KINDS):
        each = [f1_score(labels[:, index], o[:, index] > 0) for o in odds]
        print(f"  {kind:7s} F1 on held-out scenes " + " ".join(f"{e:.3f}" for e in each))
    return stored


def main() -> None:
    """Gather, fit, check, write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kits", type=int, default=480)
    parser.add_argument("--cache", type=Path, help="folder to keep what was gathered in")
    asked = parser.parse_args()
    stored: dict[str, np.ndarray] = {}
    for family in VIEWS:
        stored |= family_of(family, asked.kits, asked.cache)
    OUT.parent.mkdir(exist_ok=True)
    np.savez_compressed(OUT, **stored)
    print(f"{OUT.name}: {OUT.stat().st_size / 1024:.0f} kB")


if __name__ == "__main__":
    main()
