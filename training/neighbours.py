"""The networks of ``neighbours``: fitted on longer scenes, by what the first networks say of them."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.special import expit, logit

from emblar.core.analysis.classify import model as classifier
from emblar.core.analysis.classify.neighbours import COLUMNS, SKINS, rows_of
from emblar.core.analysis.classify.templates import prints_from
from emblar.core.analysis.signal.band_spans import segment_power
from emblar.core.analysis.signal.band_spectrogram import Frames
from training.rows import SCENE_COLOUR_DB, Gathered, blurred, colour, gather, louds, parted
from training.stored import HIDDEN, chances, dense, report, weights_of

ALPHA = 0.1
SCATTER_DB = 1.5
COLOUR_DB = 2.0
HELD = 1e-4


@dataclass(frozen=True, slots=True)
class Fit:
    """How a family's networks are fitted.

    Attributes
    ----------
    scenes, kits
        What they are fitted on.
    seen
        How often each scene is shown.
    shift, slope
        Spreads of what is added to the log odds of each kind in a scene, and of the log of what
        they are multiplied by: on real recordings the classifier is surer or less sure than on ours.
    skins
        Hidden layers of the networks of kick, snare and toms.
    """

    scenes: str
    kits: int
    seen: int
    shift: float
    slope: float
    skins: tuple[int, ...]
    epochs: int


FITS = {
    "drums": Fit("grooves", 80, 1, 0.0, 0.0, HIDDEN, 6),
    "mix": Fit("long", 420, 2, 1.2, 0.25, (96, 48), 5),
}


def among_alike(rows: Gathered, matching: np.ndarray, family: str) -> tuple[np.ndarray, np.ndarray]:
    """Return what the candidates of whole scenes say of each other (``neighbours``), and labels.

    Prints are scattered and coloured a little: no two strokes of a real drum are as alike as ours.
    """
    fit, result, labels = FITS[family], [], []
    rng, shifts = np.random.default_rng(4), np.random.default_rng(3)
    loud, colours = louds(rows), colour(rng, len(rows.kit), SCENE_COLOUR_DB)
    for scene in np.unique(rows.scene[matching]):
        level, these = rows.of_scene(int(scene))
        near, around = blurred(rng, rows, these, loud, colours)
        known = classifier.seen(family, near, around).astype(np.float64)
        # Only the power of the frames is asked for.
        power = 10.0 ** (level.astype(np.float32) / 10.0)
        segments = segment_power(Frames(power, power[:, :0], power[:0]), rows.times_s[these])
        blur = rng.normal(0, SCATTER_DB, segments.shape)
        blur += colour(rng, len(these), COLOUR_DB)[:, None, :]
        prints = prints_from(segments * 10.0 ** (blur / 10.0))
        for _ in range(fit.seen):
            result.append(rows_of(prints, shifted(shifts, known, fit), rows.times_s[these]))
            labels.append(rows.labels[these])
    return np.concatenate(result), np.concatenate(labels)


def shifted(rng: np.random.Generator, known: np.ndarray, fit: Fit) -> np.ndarray:
    """Return a scene's chances as a classifier surer or less sure of each kind would give them."""
    if fit.shift == 0.0:
        return known
    slope, shift = (rng.normal(0, spread, known.shape[1]) for spread in (fit.slope, fit.shift))
    return np.asarray(expit(logit(np.clip(known, HELD, 1.0 - HELD)) * np.exp(slope) + shift))


def again(family: str, kits: int | None, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit the networks of ``neighbours`` by what the stored networks say of longer scenes."""
    fit = FITS[family]
    rows = gather(kits or fit.kits, fit.scenes, cache)
    print(f"{fit.scenes}: {len(rows.labels)} candidates in {len(rows.kit)} scenes", flush=True)
    (alike, right), (check, truth) = (
        among_alike(rows, members, family) for members in parted(rows)
    )
    stored: dict[str, np.ndarray] = {}
    for name, hidden, kinds in (
        (f"skin-{family}", fit.skins, slice(SKINS)),
        (f"metal-{family}", HIDDEN, slice(SKINS, None)),
    ):
        columns = COLUMNS[name]
        networks = dense(alike[:, columns], right[:, kinds], ALPHA, fit.epochs, hidden)
        known = chances(networks, check[:, columns])
        report(name, tuple(classifier.KINDS[kinds]), truth[:, kinds], known)
        stored |= weights_of(name, networks)
    return stored
