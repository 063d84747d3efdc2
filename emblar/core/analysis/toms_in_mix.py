"""Toms told apart where other instruments play on: by all that their strokes add, not by one peak.

Conventions
-----------
A *colour* is what a stroke adds between 15 and 120 ms in the range of toms, on a grid of
``STEPS_PER_OCTAVE``, over what is usual there in the recording, unit length: where basses and
kicks are often loud, what is added says little. Colours of one drum look alike though a bass note
leads the strongest peak astray (on sampled kits 6 dB under a backing two strokes of one tom are
more alike than two of different toms in 91 of 100 cases). Strokes likely on a tom are parted
by colour into as many groups as pay for themselves (k-means: each must bring strokes nearer to
their means by ``PER_GROUP``): means of many strokes are surer than pairs of them. Less sure
strokes join by colour; groups that hold enough of what the classifier takes for toms are toms, high
to low; the one that keeps most treble may be a snare whose wires were not heard.
"""

import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2

from emblar.core.analysis.membranes import treble_db
from emblar.core.analysis.pitch import LOW_RATE_HZ, StrokeSpan, added_in, grid_hz

Array = NDArray[np.float64]
Index = NDArray[np.int64]
RANGE_HZ, STEPS_PER_OCTAVE, WIDTH_SEMITONES = (50.0, 270.0), 24, 0.5
SPAN_S, SHORTEST_S = (0.015, 0.120), 0.06
PER_GROUP, STARTS, ROUNDS, MOST_COST = 0.045, 12, 12, 2.0
NEARLY = 0.05
"""The side has a say where parting brings its strokes together by nearly as much."""
SURE, LEAST_SURE, MAYBE, SAME_COLOUR = 0.4, 4, 0.3, 0.4
LEAST_STROKES, LEAST_WORTH, LEAST_WORTH_SHARE, MOST_TOMS = 2, 1.0, 0.2, 4
BRIGHT_DB = -13.0
SNARE_TREBLE_DB, LEAST_SNARE, SNARE_SHARE = -11.0, 5, 0.5
"""A snare keeps this much treble, is struck this often, and holds this share of the surest tom."""
MOST_CLUSTERED = 700
USUAL_SIZE, RINGING_S, LEAST_FREE, LEAST_USUAL, QUIETEST = 1024, 0.3, 0.2, 1e-2, 1e-30


@dataclass(frozen=True, slots=True)
class Toms:
    """Strokes of each tom, high to low, of a snare taken for one, and those that are neither."""

    toms: tuple[Index, ...]
    snare: Index
    others: Index


@lru_cache(maxsize=1)
def _grid() -> tuple[Array, Array]:
    """Return the colours' frequencies in Hz, and weights from the fine spectrum to them."""
    octaves = np.log2(RANGE_HZ[1] / RANGE_HZ[0])
    at = RANGE_HZ[0] * 2.0 ** (np.arange(int(octaves * STEPS_PER_OCTAVE) + 1) / STEPS_PER_OCTAVE)
    away = 12.0 * np.log2(np.maximum(grid_hz(), 1e-3) / at[:, None])
    weight = np.exp(-0.5 * (away / WIDTH_SEMITONES) ** 2)
    return at, np.asarray(weight / weight.sum(axis=1, keepdims=True))


def colours_of(low: Array, strokes: Sequence[StrokeSpan]) -> Array:
    """Return the colours of strokes, shape (strokes, size).

    ``low`` is the low band of the whole recording at ``pitch.LOW_RATE_HZ``.
    """
    if not strokes:
        return np.empty((0, len(_grid()[0])))
    start, longest = SPAN_S
    added = [
        added_in(low, own, (start, min(longest, max(own.available_s, start + SHORTEST_S))))
        for own in strokes
    ]
    found = np.array(added) @ _grid()[1].T
    # Where hardly anything else is heard there is nothing to weigh.
    usual = _usual(low, strokes) + LEAST_USUAL * found.max(axis=1).mean() + QUIETEST
    length = np.linalg.norm(found / usual, axis=1, keepdims=True)
    return np.asarray(found / usual / np.maximum(length, QUIETEST))


def _usual(low: Array, strokes: Sequence[StrokeSpan]) -> Array:
    """Return the mean power of a recording at the colours' frequencies, strokes left out.

    Where there is hardly anything but strokes, they are left in.
    """
    size = min(round((SPAN_S[1] - SPAN_S[0]) * LOW_RATE_HZ), len(low))
    pieces = low[: len(low) // size * size].reshape(-1, size)
    start = np.arange(len(pieces)) * size / LOW_RATE_HZ
    struck = np.zeros(len(pieces), bool)
    for stroke in strokes:
        struck |= (start > stroke.time_s - SPAN_S[1]) & (start < stroke.time_s + RINGING_S)
    if np.mean(~struck) >= LEAST_FREE:
        pieces = pieces[~struck]
    shape = np.hanning(size)
    power = np.abs(np.fft.rfft(pieces * shape, USUAL_SIZE)) ** 2 / np.sum(shape**2)
    at = np.fft.rfftfreq(USUAL_SIZE, 1.0 / LOW_RATE_HZ)
    return np.asarray(_grid()[1] @ np.interp(grid_hz(), at, power.mean(axis=0)))


def toms_in_mix(heard: Sequence[Array], prints: Array, tom: Array) -> Toms:
    """Tell toms apart.

    Parameters
    ----------
    heard
        The colours of each stroke that may be on a tom, shape (strokes, size): in the middle of the
        mix and, if it is stereo, in its side.
    prints
        One per stroke, shape (strokes, segments × bands).
    tom
        The classifier's chance of each.
    """
    nothing = np.empty(0, np.int64)
    if len(tom) < LEAST_STROKES:
        return Toms((), nothing, nothing)
    colours, groups = _groups(heard, prints, tom)
    groups = _joined(groups, colours, tom)
    treble, worth = treble_db(prints), [float(tom[g].sum()) for g in groups]
    bright = [float(np.median(treble[g])) for g in groups]
    most = max((w for w, b in zip(worth, bright, strict=True) if b < BRIGHT_DB), default=0.0)
    snares = [
        (b, g)
        for w, b, g in zip(worth, bright, groups, strict=True)
        if b > SNARE_TREBLE_DB and len(g) >= LEAST_SNARE and w >= SNARE_SHARE * most
    ]
    least = max(LEAST_WORTH, LEAST_WORTH_SHARE * most)
    toms = [
        (w, g)
        for w, b, g in zip(worth, bright, groups, strict=True)
        if len(g) >= LEAST_STROKES and b < BRIGHT_DB and w >= least
    ]
    toms = sorted(toms, key=lambda row: -row[0])[:MOST_TOMS]
    high_to_low = sorted((g for _, g in toms), key=lambda g: -_pitch_hz(colours[g]))
    snare = max(snares, key=lambda row: row[0])[1] if snares else nothing
    others = np.setdiff1d(np.arange(len(tom)), np.concatenate([*high_to_low, snare]))
    return Toms(tuple(high_to_low), snare, others)


def _groups(heard: Sequence[Array], prints: Array, tom: Array) -> tuple[Array, list[Index]]:
    """Return groups of strokes alike among those likely on a tom, and by which colours they are.

    Where hardly any is likely on a tom, all are grouped.
    """
    sure = np.nonzero(tom >= SURE)[0]
    own = sure if len(sure) >= LEAST_SURE else np.arange(len(tom))
    own = own[np.argsort(-prints[own].sum(axis=1), kind="stable")][:MOST_CLUSTERED]
    gain, labels = _labels(heard[0][own])
    sides = [c for c in heard[1:] if _labels(c[own])[0] >= gain - NEARLY]
    colours = heard[0]
    if sides:
        colours = np.concatenate([colours, *sides], axis=1) / np.sqrt(1 + len(sides))
        labels = _labels(colours[own])[1]
    return colours, [own[labels == label] for label in np.unique(labels)]


def _joined(groups: list[Index], colours: Array, tom: Array) -> list[Index]:
    """Return the groups with those less sure strokes that have the colour of one."""
    middles = np.array([np.median(colours[group], axis=0) for group in groups])
    middles /= np.linalg.norm(middles, axis=1, keepdims=True) + 1e-12
    left = np.setdiff1d(np.nonzero(tom >= MAYBE)[0], np.concatenate(groups))
    like = colours[left] @ middles.T
    nearest = np.where(like.max(axis=1) >= SAME_COLOUR, like.argmax(axis=1), -1)
    return [np.concatenate([group, left[nearest == i]]) for i, group in enumerate(groups)]


def _labels(colours: Array) -> tuple[float, Index]:
    """Return what parting strokes brings, and the group of each: as many as pay for themselves."""
    costs, found = [MOST_COST], np.zeros(len(colours), np.int64)
    for count in range(1, min(MOST_TOMS, len(colours) // 2) + 1):
        for start in range(STARTS if count > 1 else 1):
            with warnings.catch_warnings():
                # A start may leave a group empty: others will not.
                warnings.simplefilter("ignore", UserWarning)
                means, _ = kmeans2(colours, count, minit="++", seed=start, iter=ROUNDS)
            means /= np.linalg.norm(means, axis=1, keepdims=True) + 1e-12
            like = colours @ means.T
            cost = float(np.mean(1.0 - like.max(axis=1))) + PER_GROUP * count
            if cost < min(costs):
                found = like.argmax(axis=1)
            costs.append(cost)
    return costs[min(1, len(costs) - 1)] - min(costs), found


def _pitch_hz(colours: Array) -> float:
    """Return where strokes of one drum add most; the ear goes by the lower one."""
    at = _grid()[0]
    usual = np.median(colours, axis=0).reshape(-1, len(at)).mean(axis=0)
    return float(at[int(np.argmax(usual * (at / at[0]) ** -0.5))])
