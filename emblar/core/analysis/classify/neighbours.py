"""What candidates that sound alike, or come at the same place of a bar, say of each other.

Conventions
-----------
A drum is struck many times and sounds nearly the same each time; what other instruments play over
it does not. For every candidate the ones most like it are sought, in each of ``GROUPS_HZ`` alone
and in all of them together, by the shape of their prints (``templates``); what the classifier
says of them on average is told of the candidate, too. Of hats and cymbals, which play in time, so
is what is heard one period earlier and later, a period being the time after which most of a kind
comes again; of drums it is not: that would know our made-up patterns, not the drums.

How sure the classifier is hangs on the recording: under one backing it gives every kick a tenth,
under another every bass note a half. Of drums in a mix it is therefore also weighed where a
candidate stands *among* all of the recording: its rank, how far it is above most of them, and how
their odds lie.

Rows are candidates of one recording; chances are the classifier's, shape (candidates, KINDS). Small
networks (``model.predict_proba``) weigh the rows: one family for kick, snare and toms, one for hat
and cymbal, fitted on made-up scenes (``training``).
"""

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit, logit
from scipy.stats import rankdata

from emblar.core.analysis.classify.model import KINDS, predict_proba
from emblar.core.analysis.signal.band_spans import Rows
from emblar.core.analysis.signal.band_spectrogram import BANDS, band_centres_hz

Array = NDArray[np.float64]
GROUPS_HZ = ((0.0, 160.0), (160.0, 2400.0), (2400.0, 20000.0), (0.0, 20000.0))
"""Bands in which likeness is sought: bass, body, treble, all."""
NEAREST = 6
SHARPNESS = 0.05
"""How many that are most alike are asked, and by how much less alike counts a third (1/e)."""
MOST_TOGETHER = 3000
"""So many candidates are compared at once; longer recordings part by part."""
SURE = 1e-3
ODDS_SCALE = 4.0
"""Chances are held this far from 0 and 1; log odds are divided by this, so that they are about unit
range."""
GRID_S = 0.01
PERIODS_S = ((0.25, 1.0), (1.0, 5.0))
"""Step of time in which periods are sought, and their shortest and longest: within a beat, within a
bar, s."""
WITHIN_S = 0.03
MOST_NEAR = 3
AS_PERIODIC = 0.95
"""How near a period later is the same place of the bar, s; how many candidates are looked at there;
how nearly as periodic a shorter period has to be to be taken."""
KICK = KINDS.index("kick")
TOM = KINDS.index("tom")
SKINS = 3
"""The first ``SKINS`` of ``KINDS`` are drums, the rest metal."""
COMMON = len(KINDS) + len(GROUPS_HZ) * (2 * len(KINDS) + 2)
"""Numbers that all families see: own chances, and per group what the nearest say and how near they
are."""
AGAIN = len(PERIODS_S) * 3 * (len(KINDS) - SKINS)
"""Numbers of what is heard a period earlier and later."""
QUANTILES = (0.3, 0.5, 0.7, 0.8, 0.9, 0.95, 0.98)
BESIDE = (0.9, 0.7)
"""Where the odds of all candidates are read, and from which of those each is measured."""
AMONG = SKINS * (1 + len(BESIDE)) + len(KINDS) * (len(QUANTILES) + 1)
"""Numbers of where a candidate stands among all."""
SIZE = COMMON + AGAIN + AMONG
COLUMNS = {
    "skin-drums": np.arange(COMMON),
    "metal-drums": np.arange(COMMON + AGAIN),
    "skin-mix": np.concatenate([np.arange(COMMON), np.arange(SIZE - AMONG, SIZE)]),
    "metal-mix": np.arange(COMMON + AGAIN),
}
"""What each family of networks sees of the rows."""
WEIGHT = {"drums": 0.5, "mix": 1.0}
"""Of what the networks say; the rest is the classifier's own."""


def reconsidered(chances: Array, prints: Array, times_s: Array, *, mix: bool) -> Array:
    """Return chances of candidates, those of their like taken into account.

    Parameters
    ----------
    chances
        The classifier's, shape (candidates, KINDS).
    prints
        Shape (candidates, segments × bands).
    times_s
        Ascending, shape (candidates,).
    mix
        Whether other instruments play on.
    """
    rows, where = rows_of(prints, chances, times_s), "mix" if mix else "drums"
    families = (f"skin-{where}", f"metal-{where}")
    again = np.concatenate(
        [predict_proba(name, rows[:, COLUMNS[name]]) for name in families], axis=1
    )
    weight = WEIGHT[where]
    odds = ODDS_SCALE * (weight * log_odds(again) + (1.0 - weight) * log_odds(chances))
    if mix:
        return np.asarray(expit(odds))
    # Alone, kick and toms are told apart by pitch and print (``clustering``); two toms of a kit
    # sound more like each other than a kick does, and would all become what most are taken for.
    out = expit(odds)
    out[:, [KICK, TOM]] = chances[:, [KICK, TOM]]
    return np.asarray(out)


def log_odds(chances: Array) -> Array:
    """Return log odds of chances, about unit range."""
    return np.asarray(logit(np.clip(chances, SURE, 1.0 - SURE)) / ODDS_SCALE)


def rows_of(prints: Array, chances: Array, times_s: Array) -> Rows:
    """Return what candidates say of each other, shape (candidates, SIZE); as ``reconsidered``.

    Parameters
    ----------
    prints
        Prints of candidates, shape (candidates, size).
    chances
        The classifier's chances, shape (candidates, kinds).
    times_s
        Candidates, ascending, shape (candidates,), s.
    """
    count = max(-(-len(prints) // MOST_TOGETHER), 1)
    parts = zip(*(np.array_split(x, count) for x in (prints, chances, times_s)), strict=True)
    return np.concatenate([_rows(*part) for part in parts])


def _rows(prints: Array, chances: Array, times_s: Array) -> Rows:
    odds = log_odds(chances)
    parts = [
        odds,
        *_alike(prints, chances, odds),
        *_again(chances, odds, times_s),
        _among(chances, odds),
    ]
    return np.concatenate(parts, axis=1).astype(np.float32)


def _among(chances: Array, odds: Array) -> Array:
    """Return where each candidate stands among all, and how all of them lie."""
    borders = np.quantile(odds, QUANTILES, axis=0)
    rank = rankdata(odds[:, :SKINS], "max", axis=0) / len(odds)
    neighbours = [(odds - borders[QUANTILES.index(q)])[:, :SKINS] for q in BESIDE]
    of_all = np.concatenate([borders.ravel(), chances.mean(axis=0)])
    return np.concatenate([rank, *neighbours, np.tile(of_all, (len(odds), 1))], axis=1)


def _alike(prints: Array, chances: Array, odds: Array) -> list[Array]:
    """Return for each group of bands what the nearest say, and how near they are."""
    count, kinds = chances.shape
    nearest = min(NEAREST, count - 1)
    if nearest < 1:
        return [np.zeros((count, len(GROUPS_HZ) * (2 * kinds + 2)))]
    added = np.sqrt(prints).reshape(count, -1, BANDS)
    centres = band_centres_hz()
    result = []
    for low, high in GROUPS_HZ:
        shape = added[:, :, (centres >= low) & (centres < high)].reshape(count, -1)
        shape = shape / np.maximum(np.linalg.norm(shape, axis=1, keepdims=True), 1e-12)
        like = shape @ shape.T
        np.fill_diagonal(like, -1.0)
        index = np.argpartition(-like, nearest - 1, axis=1)[:, :nearest]
        near = np.take_along_axis(like, index, axis=1)
        weight = np.exp((near - near.max(axis=1, keepdims=True)) / SHARPNESS)
        weight = weight / weight.sum(axis=1, keepdims=True)
        result += [
            (odds[index] * weight[:, :, None]).sum(axis=1),
            chances[index].max(axis=1),
            near.mean(axis=1, keepdims=True),
            near.max(axis=1, keepdims=True),
        ]
    return result


def _again(chances: Array, odds: Array, times_s: Array) -> list[Array]:
    """Return what each kind's chances are a period earlier and later, and how periodic it is."""
    result = []
    for shortest, longest in PERIODS_S:
        for kind in range(SKINS, len(KINDS)):
            period, strength = _period(chances[:, kind], times_s, shortest, longest)
            sides = [
                _odds_at(odds[:, kind], times_s, times_s + sign * period) for sign in (-1.0, 1.0)
            ]
            result += [*sides, np.full(len(times_s), strength)]
    return [np.stack(result, axis=1)]


def _period(chance: Array, times_s: Array, shortest: float, longest: float) -> tuple[float, float]:
    """Return the time after which most of a kind comes again, and what share of it does."""
    size = int(times_s[-1] / GRID_S) + 3
    series = np.zeros(size)
    np.add.at(series, np.round(times_s / GRID_S).astype(np.int64), chance)
    # Strokes scatter by some milliseconds.
    series = np.convolve(series, [0.5, 1.0, 0.5], "same")
    padded = 2 * size
    spectrum = np.fft.rfft(series, padded)
    again = np.fft.irfft(spectrum * spectrum.conj(), padded)[:size]
    # What is left to overlap gets shorter; a period heard once or twice is none.
    lags = np.arange(size)
    share = again / np.maximum(again[0], 1e-9) * size / np.maximum(size - lags, size / 2)
    first, last = int(shortest / GRID_S), min(int(longest / GRID_S), size // 2)
    if last <= first:
        return shortest, 0.0
    # Multiples of a period are periods, too: the shortest is meant.
    period = share[first:last]
    best = first + int(np.argmax(period >= AS_PERIODIC * period.max()))
    return best * GRID_S, float(min(share[best], 2.0))


def _odds_at(odds: Array, times_s: Array, asked_s: Array) -> Array:
    """Return the odds of the surest candidate near each time; least where there is none."""
    left = np.searchsorted(times_s, asked_s - WITHIN_S)
    right = np.searchsorted(times_s, asked_s + WITHIN_S)
    nothing = float(log_odds(np.zeros(1))[0])
    inside = (asked_s > -WITHIN_S) & (asked_s < times_s[-1] + WITHIN_S)
    out = np.full(len(asked_s), nothing)
    for step in range(MOST_NEAR):
        near = odds[np.minimum(left + step, len(odds) - 1)]
        out = np.where(left + step < right, np.maximum(out, near), out)
    return np.where(inside, out, 0.0)
