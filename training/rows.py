"""Candidates of made-up scenes: gathered, kept, parted into kits to fit and to check on, blurred."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from emblar.core.analysis.evidence import BEFORE, evidence_of
from emblar.core.analysis.frames import BANDS
from training.scenes import labelled, labelled_grooves, labelled_mixes, labelled_songs

HELD_OUT = 5
"""Every so many kits one is kept for the check."""
TONE_SCATTER = 0.08


@dataclass(frozen=True, slots=True)
class Gathered:
    """Segment powers in dB, flatness, tones, labels, times, and the scene each row is of."""

    power_db: np.ndarray
    flat_db: np.ndarray
    tone: np.ndarray
    labels: np.ndarray
    times_s: np.ndarray
    scene: np.ndarray
    kit: np.ndarray


SCENES = {
    "drums": labelled, "mix": labelled_mixes, "grooves": labelled_grooves, "songs": labelled_songs,
}  # fmt: skip
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
        *(np.concatenate([row[i] for row in found]) for i in range(5)),
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
        power += colour(rng, 1, 5.0) + colour(rng, last - first, 3.0)
        power += rng.normal(0, scatter_db, power.shape).astype(np.float32)
        floor = power[:, BEFORE:].max() + rng.uniform(-90, -45)
        flat = rows.flat_db[first:last].astype(np.float32) + rng.normal(0, 1.5)
        flat += rng.normal(0, 1.0, flat.shape).astype(np.float32)
        power = 10.0 ** (np.maximum(power, floor) / 10.0)
        tone = rows.tone[first:last] + rng.normal(0, TONE_SCATTER, rows.tone[first:last].shape)
        evidences.append(evidence_of(power, flat.astype(np.float32), tone.astype(np.float32)))
        labels.append(rows.labels[first:last])
    return np.concatenate(evidences), np.concatenate(labels)


def colour(rng: np.random.Generator, count: int, spread_db: float) -> np.ndarray:
    """Return smooth random colourings in dB, shape (count, 1, BANDS)."""
    knots = rng.normal(0, spread_db, (count, 8))
    places = np.linspace(0, 7, BANDS)
    low = np.minimum(places.astype(int), 6)
    curve = knots[:, low] + (knots[:, low + 1] - knots[:, low]) * (places - low)
    return np.asarray(curve[:, None, :], np.float32)


def truth_of(rows: Gathered, scenes: np.ndarray) -> np.ndarray:
    """Return the labels of the candidates of some scenes."""
    return rows.labels[np.isin(rows.scene, scenes)]


def parted(rows: Gathered) -> tuple[np.ndarray, np.ndarray]:
    """Return the scenes to fit on and those to check on, which are of other kits."""
    fit, held = (np.unique(rows.scene[own]) for own in (rows.kit % HELD_OUT != 0,
                                                        rows.kit % HELD_OUT == 0))  # fmt: skip
    return fit, held
