"""Bend of a struck head: the swing stretches the film, which raises pitch and limits the swing.

Conventions
-----------
``stiffening`` is the tension added at the largest amplitude over the head's own tension.
Source: a mass on a spring with a cubic term (Duffing's equation). Energy ½ω²q² + ¼ω²γq⁴ is
conserved, and the mean frequency over a cycle follows from ω² (1 + ¾ γ q²).
"""

from typing import TypeVar

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import Coefficients

Number = TypeVar("Number", float, Array)

MEAN_OF_CYCLE = 0.75
"""Mean stiffening over a cycle, as a share of the largest."""


def stretch_stiffness(k: Coefficients) -> float:
    """Return the stiffness of a film stretched equally in all directions, E/(1 − ν), in Pa."""
    return k["pet_youngs_modulus"] / (1.0 - k["pet_poisson_ratio"])


def bend_cents(linear: Number) -> Number:
    """Return the bend at the start of a stroke in cents.

    Parameters
    ----------
    linear
        Stiffening at the amplitude the stroke would reach on a head that does not stiffen, ≥ 0.
    """
    stiffening = np.sqrt(1.0 + 2.0 * linear) - 1.0
    return 600.0 * np.log2(1.0 + MEAN_OF_CYCLE * stiffening)  # type: ignore[no-any-return]


def bend_at_force(cents: Number, force: float) -> Number:
    """Return the bend in cents of a stroke with another force.

    Parameters
    ----------
    cents
        Bend of the known stroke, ≥ 0.
    force
        Amplitude of the other stroke over this one's.
    """
    stiffening = (2.0 ** (cents / 600.0) - 1.0) / MEAN_OF_CYCLE
    linear: Number = force**2 * (stiffening + 0.5 * stiffening**2)
    return bend_cents(linear)
