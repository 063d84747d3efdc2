"""Toms told apart where other instruments play on: by all that their strokes add, not by one peak.

Conventions
-----------
Strokes of one drum have embeddings (``embedding``) that are alike though a bass note leads the
strongest peak astray. Strokes likely on a tom are parted by embedding into as many groups as pay
for themselves (k-means: each must bring strokes nearer to their means by ``PER_GROUP``): means of
many strokes are surer than pairs of them. Less sure strokes join by embedding; groups that hold
enough of what the classifier takes for toms are toms, high to low by where the strokes say they are
tuned; the one that keeps most treble may be a snare whose wires were not heard.
"""

import warnings
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2

from emblar.core.analysis.voices.clustering import treble_db
from emblar.core.analysis.voices.embedding import Heard
from emblar.core.analysis.voices.pitch_posterior import high_to_low

Array = NDArray[np.float64]
Index = NDArray[np.int64]
PER_GROUP = 0.05
STARTS = 12
ROUNDS = 12
MOST_COST = 2.0
"""What one more group must bring in likeness; starts and rounds of k-means; more than any parting
costs."""
NEARLY = 0.05
"""The side has a say where parting brings its strokes together by nearly as much."""
SURE = 0.4
LEAST_SURE = 4
MAYBE = 0.3
SAME_COLOUR = 0.4
"""Chance of a tom that is grouped; how many must be; chance of one that may join; how alike it must
be."""
LEAST_STROKES = 2
LEAST_WORTH = 1.0
LEAST_WORTH_SHARE = 0.2
MOST_TOMS = 4
"""Strokes of a tom; sure strokes they are worth, and the share of the surest tom's; how many toms
at most."""
BRIGHT_DB = -9.0
LEAST_SNARE = 5
SNARE_SHARE = 0.5
"""Brighter groups are no toms; a snare is struck so often, and is worth this share of a tom."""
MOST_CLUSTERED = 700
DIMENSIONS = 24
"""The loudest so many are grouped, in so many dimensions: more takes long and tells no more."""


@dataclass(frozen=True, slots=True)
class Toms:
    """Strokes of each tom, high to low, of a snare taken for one, and those that are neither."""

    toms: tuple[Index, ...]
    snare: Index
    others: Index


def joint_toms(tom_strokes: Sequence[Heard], prints: Array, tom: Array) -> Toms:
    """Tell toms apart.

    Parameters
    ----------
    tom_strokes
        Of each stroke that may be on a tom: in the middle of the mix and, if it is stereo, in its
        side.
    prints
        One per stroke, shape (strokes, segments × bands).
    tom
        The classifier's chance of each.
    """
    nothing = np.empty(0, np.int64)
    if len(tom) < LEAST_STROKES:
        return Toms((), nothing, nothing)
    embeddings, groups = _groups(tom_strokes, prints, tom)
    groups = _joined(groups, embeddings, tom)
    treble, worth = treble_db(prints), [float(tom[g].sum()) for g in groups]
    bright = [float(np.median(treble[g])) for g in groups]
    most = max((w for w, b in zip(worth, bright, strict=True) if b < BRIGHT_DB), default=0.0)
    snares = [
        (b, g)
        for w, b, g in zip(worth, bright, groups, strict=True)
        if b > BRIGHT_DB and len(g) >= LEAST_SNARE and w >= SNARE_SHARE * most
    ]
    least = max(LEAST_WORTH, LEAST_WORTH_SHARE * most)
    toms = [
        (w, g)
        for w, b, g in zip(worth, bright, groups, strict=True)
        if len(g) >= LEAST_STROKES and b < BRIGHT_DB and w >= least
    ]
    toms = sorted(toms, key=lambda row: -row[0])[:MOST_TOMS]
    order = high_to_low([[h.pitch[g] for h in tom_strokes] for _, g in toms])
    snare = max(snares, key=lambda row: row[0])[1] if snares else nothing
    others = np.setdiff1d(np.arange(len(tom)), np.concatenate([*(g for _, g in toms), snare]))
    return Toms(tuple(toms[index][1] for index in order), snare, others)


def _groups(tom_strokes: Sequence[Heard], prints: Array, tom: Array) -> tuple[Array, list[Index]]:
    """Return the embeddings by which strokes are heard to be alike, and groups of the alike.

    Those likely on a tom are grouped. Where hardly any is likely on a tom, all are grouped.
    """
    sure = np.nonzero(tom >= SURE)[0]
    clear = sure if len(sure) >= LEAST_SURE else np.arange(len(tom))
    clear = clear[np.argsort(-prints[clear].sum(axis=1), kind="stable")][:MOST_CLUSTERED]
    gain, labels = _labels(tom_strokes[0].embeddings[clear])
    sides = [h for h in tom_strokes[1:] if _labels(h.embeddings[clear])[0] >= gain - NEARLY]
    used = [tom_strokes[0], *sides]
    embeddings = np.concatenate([h.embeddings for h in used], axis=1) / np.sqrt(len(used))
    if sides:
        labels = _labels(embeddings[clear])[1]
    return embeddings, [clear[labels == label] for label in np.unique(labels)]


def _joined(groups: list[Index], embeddings: Array, tom: Array) -> list[Index]:
    """Return the groups with those less sure strokes that have the embedding of one."""
    middles = np.array([np.median(embeddings[group], axis=0) for group in groups])
    middles /= np.linalg.norm(middles, axis=1, keepdims=True) + 1e-12
    left = np.setdiff1d(np.nonzero(tom >= MAYBE)[0], np.concatenate(groups))
    like = embeddings[left] @ middles.T
    nearest = np.where(like.max(axis=1) >= SAME_COLOUR, like.argmax(axis=1), -1)
    return [np.concatenate([group, left[nearest == i]]) for i, group in enumerate(groups)]


def _labels(embeddings: Array) -> tuple[float, Index]:
    """Return what parting strokes brings, and the group of each: as many as pay for themselves."""
    embeddings = _narrowed(embeddings)
    costs, result = [MOST_COST], np.zeros(len(embeddings), np.int64)
    for count in range(1, min(MOST_TOMS, len(embeddings) // 2) + 1):
        for start in range(STARTS if count > 1 else 1):
            with warnings.catch_warnings():
                # A start may leave a group empty: others will not.
                warnings.simplefilter("ignore", UserWarning)
                means, _ = kmeans2(embeddings, count, minit="++", seed=start, iter=ROUNDS)
            means /= np.linalg.norm(means, axis=1, keepdims=True) + 1e-12
            like = embeddings @ means.T
            cost = float(np.mean(1.0 - like.max(axis=1))) + PER_GROUP * count
            if cost < min(costs):
                result = like.argmax(axis=1)
            costs.append(cost)
    return costs[min(1, len(costs) - 1)] - min(costs), result


def _narrowed(embeddings: Array) -> Array:
    """Return embeddings in the ``DIMENSIONS`` most of them lies in: as alike, and far fewer."""
    value, vector = np.linalg.eigh(embeddings @ embeddings.T)
    most = np.argsort(-value)[:DIMENSIONS]
    return np.asarray(vector[:, most] * np.sqrt(np.maximum(value[most], 0.0)))
