"""Candidates of made-up scenes: gathered, kept, parted into kits to fit and to check on, blurred."""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from emblar.core.analysis.classify.patches import around_of, loud_db, patches_of, windows_of
from emblar.core.analysis.signal.band_spectrogram import BANDS, HOP_S
from training.scenes import (
    Found,
    labelled,
    labelled_grooves,
    labelled_heavy,
    labelled_long,
    labelled_mixes,
    labelled_wide,
)

HELD_OUT = 12
"""Every so many kits one is kept for the check."""
SCENE_COLOUR_DB = 5.0
OWN_COLOUR_DB = 2.0
SCATTER_DB = 1.5
FLAT_SCATTER_DB = 1.2
TONE_SCATTER = 0.08
KNOTS = 8


@dataclass(frozen=True, slots=True)
class Gathered:
    """Frames of scenes one after another, and their candidates.

    Attributes
    ----------
    level_db
        Band levels of all frames, shape (frames, BANDS), float16.
    starts
        First frame of each scene, and the end of the last.
    flat_db, tone, labels, times_s
        Of each candidate, as ``scenes.Found``.
    scene
        Of each candidate, ascending.
    kit
        Of each scene.
    """

    level_db: np.ndarray
    starts: np.ndarray
    flat_db: np.ndarray
    tone: np.ndarray
    labels: np.ndarray
    times_s: np.ndarray
    scene: np.ndarray
    kit: np.ndarray

    def of_scene(self, scene: int) -> tuple[np.ndarray, np.ndarray]:
        """Return the levels of one scene's frames, and its candidates."""
        first, last = np.searchsorted(self.scene, [scene, scene + 1])
        return self.level_db[self.starts[scene] : self.starts[scene + 1]], np.arange(first, last)


SCENES: dict[str, Callable[[int], Found]] = {
    "drums": labelled,
    "mix": labelled_mixes,
    "grooves": labelled_grooves,
    "long": labelled_long,
    "wide": labelled_wide,
    "heavy": labelled_heavy,
}
"""How the scenes of each family of networks are made."""


def gather(kits: int, family: str, cache: Path | None) -> Gathered:
    """Return the scenes of so many kits, from the cache folder if they are there."""
    kept_at = cache / f"{family}.npz" if cache is not None else None
    if kept_at is not None and kept_at.exists():
        with np.load(kept_at) as kept:
            return Gathered(**{name: kept[name] for name in Gathered.__slots__})
    with ProcessPoolExecutor() as pool:
        rows = joined(list(pool.map(SCENES[family], range(kits), chunksize=4)))
    if kept_at is not None:
        np.savez(kept_at, **{name: getattr(rows, name) for name in Gathered.__slots__})
    return rows


def joined(parts: list[Found]) -> Gathered:
    """Return the scenes of several kits as one."""
    lengths = [n for members in parts for n in members.lengths]
    sizes = [n for members in parts for n in members.sizes]
    whole = {
        name: np.concatenate([getattr(members, name) for members in parts])
        for name in ("level_db", "flat_db", "tone", "labels", "times_s")
    }
    return Gathered(
        **whole,
        starts=np.concatenate([[0], np.cumsum(lengths)]),
        scene=np.repeat(np.arange(len(sizes)), sizes),
        kit=np.repeat(np.arange(len(parts)), [len(members.sizes) for members in parts]),
    )


def louds(rows: Gathered) -> np.ndarray:
    """Return ``patches.loud_db`` of every scene, shape (scenes, BANDS)."""
    result = np.full((len(rows.kit), BANDS), -60.0, np.float32)
    for scene in np.unique(rows.scene):
        level, matching = rows.of_scene(int(scene))
        result[scene] = loud_db(level, firsts(rows.times_s[matching]))
    return result


def firsts(times_s: np.ndarray) -> np.ndarray:
    """Return the frames in which candidates begin."""
    return np.round(times_s / HOP_S).astype(np.int64)


def windows(rows: Gathered, matching: np.ndarray) -> np.ndarray:
    """Return the windows of candidates, silent outside their scenes."""
    start, stop = (rows.starts[rows.scene[matching] + k] for k in (0, 1))
    first = start + firsts(rows.times_s[matching])
    return windows_of(rows.level_db, first, start[:, None], stop[:, None])


def blurred(
    rng: np.random.Generator,
    rows: Gathered,
    matching: np.ndarray,
    loud: np.ndarray,
    colours: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """Return patches and plain numbers as other microphones and rooms would give them.

    Parameters
    ----------
    rng
        Each candidate gets a little scatter and colouring.
    matching
        Which candidates, ascending.
    loud, colours
        ``louds`` and colouring in dB of every scene, shape (scenes, BANDS).
    """
    scene = rows.scene[matching]
    window = windows(rows, matching)
    window += (colours[scene] + colour(rng, len(matching), OWN_COLOUR_DB))[:, None, :]
    window += np.float32(SCATTER_DB) * rng.standard_normal(window.shape, dtype=np.float32)
    near, far = patches_of(window, loud[scene] + colours[scene])
    flat, tone = rows.flat_db[matching].astype(np.float32), rows.tone[matching].astype(np.float32)
    flat += rng.normal(0, FLAT_SCATTER_DB, flat.shape).astype(np.float32)
    tone += rng.normal(0, TONE_SCATTER, tone.shape).astype(np.float32)
    return near, around_of(far, flat, tone)


def plain(rows: Gathered, matching: np.ndarray, loud: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return patches and plain numbers of candidates as they are."""
    near, far = patches_of(windows(rows, matching), loud[rows.scene[matching]])
    return near, around_of(far, rows.flat_db[matching], rows.tone[matching])


def colour(rng: np.random.Generator, count: int, spread_db: float) -> np.ndarray:
    """Return smooth random colourings in dB, shape (count, BANDS)."""
    knots = rng.normal(0, spread_db, (count, KNOTS))
    places = np.linspace(0, KNOTS - 1, BANDS)
    low = np.minimum(places.astype(int), KNOTS - 2)
    curve = knots[:, low] + (knots[:, low + 1] - knots[:, low]) * (places - low)
    return np.asarray(curve, np.float32)


def parted(rows: Gathered) -> tuple[np.ndarray, np.ndarray]:
    """Return the candidates to fit on and those to check on, which are of other kits."""
    held = rows.kit[rows.scene] % HELD_OUT == 0
    return np.flatnonzero(~held), np.flatnonzero(held)
