"""Strokes cut flat at the top: how much of each is damaged, however loud the file is now.

Conventions
-----------
A recording that was too loud once has its tops piled up at its own highest level, also after it was
turned down: far more samples lie within ``TOP`` of it than in as wide a stretch of ``BELOW``, where
an unharmed recording has more. *Damage* is the share of a stroke's first ``SPAN_S`` that lies
within ``FLAT`` of the top, and a recording's the mean over its strokes. Notes and decays are not
moved by it; what hangs on the first milliseconds is, about with the root of the damage.
"""

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.quantities import Measured, Quantity

Array = NDArray[np.float64]
SPAN_S = 0.05
FLAT = 0.01
"""The first so many s of a stroke are looked at; within this share of the top a sample is flat."""
TOP = 0.002
BELOW = (0.90, 0.95)
PILED = 2.0
FEWEST = 12
"""The top in which tops pile up, and a stretch under it to compare with, shares of the peak; how
many times as dense it is, and how many samples make a pile."""
TOLD = 0.003
"""From this damage of a recording on it is told, and dynamics are not."""
MOVES = {"attack": 12.0, "body": 2.2, "length": 1.8, "click": 0.4}
"""How far a number is off per root of damage: dB, or a share of it (the demo song driven 6 to 18 dB
over full scale, all drums; a share from 0.000 to 0.25 of the stroke)."""
SHARES = ("length", "click")


def is_clipped(mono: Samples) -> bool:
    """Whether a recording's tops are piled up at its highest level."""
    level = np.abs(mono)
    peak = float(level.max(initial=0.0))
    top = int(np.count_nonzero(level >= (1.0 - TOP) * peak))
    below = int(np.count_nonzero((level >= BELOW[0] * peak) & (level < BELOW[1] * peak)))
    return top >= FEWEST and top / TOP > PILED * below / (BELOW[1] - BELOW[0])


def damage(mono: Samples, times_s: Array) -> Array:
    """Return the damage of each stroke from 0 to 1, shape (strokes,); 0 in an unharmed recording.

    Parameters
    ----------
    mono
        One channel at the analysis rate.
    times_s
        When the strokes begin, shape (strokes,).
    """
    if len(times_s) == 0 or not is_clipped(mono):
        return np.zeros(len(times_s))
    near = np.abs(mono) >= (1.0 - FLAT) * float(np.abs(mono).max(initial=0.0))
    flat = np.concatenate([[0], np.cumsum(near)])
    first = np.clip(np.round(times_s * ANALYSIS_RATE_HZ).astype(np.int64), 0, len(mono))
    last = np.minimum(first + round(SPAN_S * ANALYSIS_RATE_HZ), len(mono))
    return np.asarray((flat[last] - flat[first]) / (SPAN_S * ANALYSIS_RATE_HZ), np.float64)


def less_sure(name: str, quantity: Quantity, damaged: float) -> Quantity:
    """Return a quantity as unsure as clipping leaves it.

    Parameters
    ----------
    name
        Of the card.
    quantity
        As measured.
    damaged
        The recording's damage.
    """
    if not isinstance(quantity, Measured) or name not in MOVES or damaged == 0.0:
        return quantity
    moved = MOVES[name] * math.sqrt(damaged)
    moved *= abs(quantity.value) if name in SHARES else 1.0
    return replace(quantity, sd=math.hypot(quantity.sd, moved))
