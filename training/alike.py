"""The networks of ``likeness``: fitted on made-up songs, by what the first networks say of them."""

from pathlib import Path

import numpy as np

from emblar.core.analysis import classifier
from emblar.core.analysis.frames import Frames
from emblar.core.analysis.likeness import COMMON, SKINS, rows_of
from emblar.core.analysis.segments import segment_power
from emblar.core.analysis.templates import prints_from
from training.rows import SCENE_COLOUR_DB, Gathered, blurred, colour, gather, louds, parted
from training.stored import chances, dense, report, weights_of

ALPHA, EPOCHS = 0.1, 6
SCATTER_DB, COLOUR_DB = 1.5, 2.0
LOOPED = {"drums": ("grooves", 80), "mix": ("songs", 100)}
"""Scenes and number of kits on which the networks of likeness are fitted."""


def among_alike(rows: Gathered, own: np.ndarray, *, mix: bool) -> np.ndarray:
    """Return what the candidates of whole scenes say of each other (``likeness``).

    Prints are scattered and coloured a little: no two strokes of a real drum are as alike as ours.
    """
    rng, found = np.random.default_rng(4), []
    loud, colours = louds(rows), colour(rng, len(rows.kit), SCENE_COLOUR_DB)
    for scene in np.unique(rows.scene[own]):
        level, these = rows.of_scene(int(scene))
        near, around = blurred(rng, rows, these, loud, colours)
        chances = classifier.seen("mix" if mix else "drums", near, around)
        # Only the power of the frames is asked for.
        power = 10.0 ** (level.astype(np.float32) / 10.0)
        segments = segment_power(Frames(power, power[:, :0], power[:0]), rows.times_s[these])
        blur = rng.normal(0, SCATTER_DB, segments.shape)
        blur += colour(rng, len(these), COLOUR_DB)[:, None, :]
        prints = prints_from(segments * 10.0 ** (blur / 10.0))
        found.append(rows_of(prints, chances.astype(np.float64), rows.times_s[these]))
    return np.concatenate(found)


def again(family: str, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the networks of ``likeness`` on loops, by what the stored networks say of them."""
    scenes, kits = LOOPED[family]
    rows = gather(kits, scenes, cache)
    fit, held = parted(rows)
    print(f"{scenes}: {len(rows.labels)} candidates in {len(rows.kit)} scenes", flush=True)
    alike, check = (among_alike(rows, own, mix=family == "mix") for own in (fit, held))
    right, truth = rows.labels[fit], rows.labels[held]
    stored: dict[str, np.ndarray] = {}
    for name, columns, kinds in ((f"skin-{family}", COMMON, slice(SKINS)),
                                 (f"metal-{family}", None, slice(SKINS, None))):  # fmt: skip
        networks = dense(alike[:, :columns], right[:, kinds], ALPHA, EPOCHS)
        told = chances(networks, check[:, :columns])
        report(name, classifier.KINDS[kinds], truth[:, kinds], told)
        stored |= weights_of(name, networks)
    return stored
