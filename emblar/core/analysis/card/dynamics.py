"""Soft and loud strokes of one voice apart: the same quantities, read from each.

Conventions
-----------
Clean strokes are parted at the widest gap of their levels in the middle half of their number. Both
parts need ``LEAST_STROKES`` and lie ``LEAST_APART_DB`` apart, or there are no parts: strokes that
are about as loud as each other say nothing of dynamics.
"""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.card.pooling import combined
from emblar.core.quantities import Measured, Quantity
from emblar.core.quantities.card import Part

LEAST_STROKES = 2
LEAST_APART_DB = 5.0
"""Strokes each part needs, and how far their middles lie apart, dB."""


Rows = Mapping[str, tuple[Sequence[float | None], str]]
"""One value per stroke and the unit, by the quantity's name."""


def soft_and_loud(levels_db: Sequence[float], rows: Rows) -> tuple[Part, Part] | None:
    """Part strokes into soft and loud, or return None where all are about as loud.

    Parameters
    ----------
    levels_db
        Level of every clean stroke.
    rows
        What each of them measures, None where it cannot tell.
    """
    levels = np.asarray(levels_db, np.float64)
    if len(levels) < 2 * LEAST_STROKES:
        return None
    order = np.argsort(levels)
    gaps = np.diff(levels[order])
    edge = max(LEAST_STROKES, len(order) // 4)
    border = edge + int(np.argmax(gaps[edge - 1 : len(order) - edge]))
    soft, loud = order[:border], order[border:]
    if float(np.median(levels[loud]) - np.median(levels[soft])) < LEAST_APART_DB:
        return None
    return _part(levels, rows, soft), _part(levels, rows, loud)


def _part(levels: NDArray[np.float64], rows: Rows, chosen: NDArray[np.int64]) -> Part:
    values = {}
    for name, (row, unit) in rows.items():
        members = [row[i] for i in chosen if i < len(row)]
        quantity: Quantity = combined(members, unit, floor=0.0, lone=0.0, reason="")
        if isinstance(quantity, Measured):
            values[name] = quantity
    return Part(len(chosen), float(np.median(levels[chosen])), values)
