"""The networks of ``mid_side``: fitted on made-up stereo mixes, by what the first networks say."""

from pathlib import Path

import numpy as np

from emblar.core.analysis.classify import model as classifier
from emblar.core.analysis.classify.mid_side import rows_of
from training.rows import SCENE_COLOUR_DB, Gathered, blurred, colour, gather, louds, parted
from training.stored import chances, dense, report, weights_of

ALPHA = 0.05
EPOCHS = 20
KITS = 120


def of_both(rows: Gathered, matching: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return rows of ``mid_side`` and labels of the candidates of whole pairs of scenes."""
    rng, result, labels = np.random.default_rng(6), [], []
    loud, colours = louds(rows), colour(rng, len(rows.kit), SCENE_COLOUR_DB)
    for scene in np.unique(rows.scene[matching])[::2]:
        known, power = [], []
        for one in (int(scene), int(scene) + 1):
            level, these = rows.of_scene(one)
            seen = classifier.seen("mix", *blurred(rng, rows, these, loud, colours))
            known.append(np.asarray(seen, np.float64))
            power.append(10.0 ** (level.astype(np.float32) / 10.0))
        result.append(rows_of(known[0], known[1], power[0], power[1], rows.times_s[these]))
        labels.append(rows.labels[these])
    return np.concatenate(result), np.concatenate(labels)


def both(kits: int | None, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the networks on stereo mixes, by what the stored networks say of middle and side."""
    rows = gather(kits or KITS, "wide", cache)
    print(f"wide: {len(rows.labels) // 2} candidates in {len(rows.kit) // 2} scenes", flush=True)
    (fit, right), (check, truth) = (of_both(rows, members) for members in parted(rows))
    networks = dense(fit, right, ALPHA, EPOCHS)
    report("both", classifier.KINDS, truth, chances(networks, check))
    return weights_of("both", networks)
