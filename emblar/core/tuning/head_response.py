"""How a head answers turns, and how much of the other rods a tap next to one measures.

Conventions
-----------
Tensions are over the tension at the goal; rods count from 0; cents are from the goal.
"""

import math
from functools import lru_cache

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.acoustics.inverse import tension_per_turn

CENTS_PER_LOG = 1200.0 / math.log(2.0)
LEAST_TENSION = 0.01
"""Tension over the goal's below which a head is slack."""


def to_cents(tension: Array) -> Array:
    """Return cents from the goal of tensions over the goal's."""
    return np.asarray(0.5 * CENTS_PER_LOG * np.log(np.maximum(tension, LEAST_TENSION)))


def turn_shares(rods: int, spread: Array) -> Array:
    """Return what a turn of rod j does at rod i, each column summing to 1.

    Parameters
    ----------
    rods
        How many rods.
    spread
        Length in rods along the hoop over which a turn fades by 1/e, shape (samples,).

    Returns
    -------
    ndarray
        Shape (samples, rods, rods).
    """
    apart = np.abs(np.arange(rods)[:, None] - np.arange(rods))
    apart = np.minimum(apart, rods - apart)
    share = np.exp(-apart / np.maximum(spread, 0.05)[:, None, None])
    return np.asarray(share / share.sum(axis=1, keepdims=True))


@lru_cache(maxsize=16)
def _harmonics(rods: int) -> Array:
    """Return the projection on each harmonic round the hoop, shape (rods // 2 + 1, rods, rods)."""
    angle = 2.0 * math.pi * (np.arange(rods)[:, None] - np.arange(rods)) / rods
    order = np.arange(rods // 2 + 1)
    once = (order == 0) | (2 * order == rods)
    scale = np.where(once, 1.0, 2.0) / rods
    return np.asarray(scale[:, None, None] * np.cos(order[:, None, None] * angle))


def heard_shares(rods: int, ears: Array) -> Array:
    """Return how much a tap at rod i hears of the tension at rod j; rows sum to 1.

    Parameters
    ----------
    rods
        How many rods.
    ears
        Own, facing and taper of each sample, shape (samples, 3): a reading hears ``own`` of its
        rod, ``facing`` of the one opposite and the mean for the rest; harmonics of the unevenness
        other than the second are worth ``taper``.

    Returns
    -------
    ndarray
        Shape (samples, rods, rods).
    """
    order = np.arange(rods // 2 + 1)
    # With an odd number of rods the two that are most nearly opposite stand for it.
    across = (-1.0) ** order * (np.cos(math.pi * order / rods) if rods % 2 else 1.0)
    part = ears[:, [0]] + ears[:, [1]] * across
    part = np.where(order == 2, part, part * ears[:, [2]])
    part[:, 0] = 1.0
    return np.asarray(np.einsum("sk,kij->sij", part, _harmonics(rods)))


def goal_per_turn(drum: Drum, side: Side, goal_hz: float) -> float:
    """Return what a turn of every rod adds over the tension at the goal, by the prior.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    goal_hz
        Lug pitch to go for, Hz.
    """
    k = prior_coefficients()
    return tension_per_turn(drum, side, k).value / tension_from_lug_pitch(drum, side, goal_hz, k)
