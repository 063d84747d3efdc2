"""The recording's own drums: what each one's strokes have in common, and which strokes hold it.

Conventions
-----------
A *print* is what a candidate adds to the band powers in the segments after it, the sound just
before taken off, shape (segments × bands,). A *template* is the median of the prints, each scaled
to unit energy, of strokes that are surely on one drum. Every print is explained as a non-negative
sum of the templates, all bands weighted alike, so that drums struck together are told apart: the
non-negative factorisation of drums with fixed templates that last over time (NMFD), worked out at
the strokes only.

Source: Smaragdis 2004; Wu & Lerch 2015.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2
from scipy.optimize import nnls

from emblar.core.analysis.signal.band_spans import BEFORE, SEGMENTS, segment_power
from emblar.core.analysis.signal.band_spectrogram import Frames

Array = NDArray[np.float64]
PRINT_SEGMENTS = slice(BEFORE, BEFORE + 6)
"""Segments of a print: six after the onset, 130 ms."""
WEIGHT_FLOOR = 1e-4
"""Bands this far under a template's loudest count as little as those at it, in amplitude."""
LEAST_SHARE = 1e-3
"""Of the largest: smaller gains and bands are nothing."""
NO_DRUM = 0.2
"""A candidate whose likeliest drum has less of a chance than this is another's note."""
NOTE_KINDS = 8
LEAST_NOTES = 4
"""Kinds of other notes that are learned at most, and notes each needs."""


def prints_of(frames: Frames, times_s: Array) -> Array:
    """Return the print of each candidate, shape (candidates, segments × bands)."""
    return prints_from(segment_power(frames, times_s).astype(np.float64))


def prints_from(power: Array) -> Array:
    """Return the prints of segment powers, shape (candidates, SEGMENTS, BANDS)."""
    # What sounds just before goes on sounding, or nearly.
    before = np.minimum(power[:, 0], power[:, 1])[:, None, :]
    added = np.maximum(power[:, PRINT_SEGMENTS] - before, 0.0)
    return added.reshape(len(added), -1)


def print_seconds() -> float:
    """Return how long after a candidate its print reaches, s."""
    return SEGMENTS[PRINT_SEGMENTS.stop - 1][1] * 0.005


def template_of(prints: Array, members: Sequence[int]) -> Array:
    """Return the template of some strokes, unit energy."""
    rows = prints[list(members)]
    rows = rows / (rows.sum(axis=1, keepdims=True) + 1e-30)
    template = np.median(rows, axis=0)
    return np.asarray(template / (template.sum() + 1e-30))


def background_templates(prints: Array, chances: Array) -> Array:
    """Return what notes of other instruments have in common, shape (kinds of notes, size).

    Candidates that are surely no drum are put together by shape (k-means).

    Parameters
    ----------
    prints
        Shape (candidates, size).
    chances
        Chance of the likeliest drum at each candidate.
    """
    notes = prints[(chances < NO_DRUM) & (prints.sum(axis=1) > 0.0)]
    kinds = min(NOTE_KINDS, len(notes) // LEAST_NOTES)
    if kinds == 0:
        return np.empty((0, prints.shape[1]))
    shapes = np.sqrt(notes / notes.sum(axis=1, keepdims=True))
    _, labels = kmeans2(shapes, kinds, minit="++", seed=0)
    groups = [np.nonzero(labels == kind)[0] for kind in range(kinds)]
    return np.array([template_of(notes, list(g)) for g in groups if len(g) > 1]).reshape(
        -1, prints.shape[1]
    )


def gains_of(prints: Array, templates: Array) -> tuple[Array, Array]:
    """Explain every print by the templates.

    Parameters
    ----------
    prints
        Shape (candidates, size).
    templates
        Shape (drums, size), unit energy.

    Returns
    -------
    gains
        Energy of each drum in each print, shape (candidates, drums).
    fits
        Share of the measured energy that each drum's part has in the bands where it is the
        strongest part, 0 to 1, shape (candidates, drums).
    """
    loud = np.sqrt((templates**2).max(axis=0))
    weight = 1.0 / (loud + WEIGHT_FLOOR * loud.max())
    weighted = (templates * weight).T
    gains = np.zeros((len(prints), len(templates)))
    fits = np.zeros_like(gains)
    for index, row in enumerate(prints):
        gains[index], _ = nnls(weighted, row * weight, maxiter=20 * len(templates))
        parts = gains[index][:, None] * templates
        strongest = np.argmax(parts, axis=0)
        for drum in np.nonzero(gains[index] > LEAST_SHARE * gains[index].max())[0]:
            bins = (strongest == drum) & (templates[drum] > LEAST_SHARE * templates[drum].max())
            if np.count_nonzero(bins) < bins.size // 40:
                continue
            known = np.minimum(row[bins], parts[drum, bins]) / (parts[drum, bins] + 1e-30)
            fits[index, drum] = float(np.average(known, weights=np.sqrt(parts[drum, bins])))
    return gains, fits
