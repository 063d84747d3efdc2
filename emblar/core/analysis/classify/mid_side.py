"""What the side of a stereo mix says of its strokes, next to its middle.

Conventions
-----------
The *middle* is the first component of the channels, the *side* the second (``audio``): bass and
voice are mostly not in it, toms, hats and cymbals often are. The classifier hears both; a small
network (family ``both``) weighs what it says of each, shape (candidates, KINDS), with how loud the
side is next to the middle and how much either rises in each of ``APART_HZ``. It was fitted on
made-up stereo mixes, kits in their middle among them (``training``): a side with nothing of the
drums in it has no say.
"""

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.classify.model import KINDS, predict_proba
from emblar.core.analysis.classify.neighbours import GROUPS_HZ, log_odds
from emblar.core.analysis.signal.band_spans import Rows
from emblar.core.analysis.signal.band_spectrogram import HOP_S, Powers, band_centres_hz

Array = NDArray[np.float64]
APART_HZ = GROUPS_HZ[:-1]
"""The last of all is all of them together."""
EARLY = (0, 8)
BEFORE = (-9, -1)
"""Frames (5 ms) after and before a candidate whose levels are compared."""
QUIETEST = 1e-16
MOST_DB = 40.0
"""Power that is nothing, and the most a level may be off, dB."""
SIZE = 2 * len(KINDS) + 3 * len(APART_HZ)
"""Numbers in a row: chances by both, and three levels per group."""


def both_heard(
    middle: Array, side: Array, power: Powers, side_power: Powers, times_s: Array
) -> Array:
    """Return chances of candidates, shape (candidates, KINDS).

    Parameters
    ----------
    middle, side
        What the classifier says of the candidates in each.
    power, side_power
        Band powers of each, shape (frames, BANDS).
    times_s
        Shape (candidates,).
    """
    return predict_proba("both", rows_of(middle, side, power, side_power, times_s)).astype(
        np.float64
    )


def rows_of(middle: Array, side: Array, power: Powers, side_power: Powers, times_s: Array) -> Rows:
    """Return the rows that are weighed, shape (candidates, SIZE); as ``both_heard``.

    Parameters
    ----------
    middle
        Chances by the middle alone, shape (candidates, kinds).
    side
        Chances by the side alone, shape (candidates, kinds).
    power
        Band powers of the middle, shape (frames, BANDS).
    side_power
        Band powers of the side, shape (frames, BANDS).
    times_s
        Candidates, ascending, shape (candidates,), s.
    """
    first = np.round(np.asarray(times_s) / HOP_S).astype(np.int64)
    centres, levels = band_centres_hz(), []
    for low, high in APART_HZ:
        inside = (centres >= low) & (centres < high)
        sums = [p[:, inside].sum(axis=1) for p in (power, side_power)]
        members, before = ([_level_db(p, first, span) for p in sums] for span in (EARLY, BEFORE))
        levels += [members[1] - members[0], members[0] - before[0], members[1] - before[1]]
    held = np.clip(np.stack(levels, axis=1), -MOST_DB, MOST_DB) / 20.0
    return np.concatenate([log_odds(middle), log_odds(side), held], axis=1).astype(np.float32)


def _level_db(power: Array, first: NDArray[np.int64], span: tuple[int, int]) -> Array:
    position = np.clip(first[:, None] + np.arange(*span)[None, :], 0, len(power) - 1)
    return np.asarray(10.0 * np.log10(power[position].astype(np.float64).mean(axis=1) + QUIETEST))
