"""A round hole in a front head: what it takes away from the film round it.

Conventions
-----------
For axisymmetric shapes on the unit disc. A port sits off-centre at ``PORT_PLACE``, nearer the
middle if it is too large to fit there. The integrals run over the hole itself, so that however
large it is no more film is taken away than there is.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from emblar.core.acoustics.basis import Array, basis

PORT_PLACE = 0.5
"""Distance of a port from the centre over the radius: off-centre, where a stand reaches."""
LARGE_PORT = 0.5
"""From this share of the head's radius on, the batter and the air in the tube lead the note."""
RINGS, ANGLES = 16, 24
LARGEST = 0.97


@dataclass(frozen=True, slots=True, eq=False)
class Hole:
    """Integrals over a hole: ∫ φ_i φ_j, ∫ φ_i' φ_j', shape (SHAPES, SHAPES), and ∫ φ_i."""

    mass: Array
    stiffness: Array
    swept: Array


@lru_cache(maxsize=64)
def hole(share: float) -> Hole:
    """Return what a hole takes away.

    Parameters
    ----------
    share
        Radius of the hole over the head's radius; more than nearly all of it counts as nearly all.
    """
    shapes, size = basis(0), min(share, LARGEST)
    centre = min(PORT_PLACE, 1.0 - size)
    nodes, weights = np.polynomial.legendre.leggauss(RINGS)
    out = 0.5 * size * (nodes + 1.0)
    angle = (np.arange(ANGLES) + 0.5) / ANGLES * np.pi
    radius = np.sqrt(
        centre**2 + out[:, None] ** 2 + 2.0 * centre * out[:, None] * np.cos(angle)
    ).ravel()
    area = np.repeat(0.5 * size * weights * out * 2.0 * np.pi / ANGLES, ANGLES)
    shape = np.stack([shapes.at(float(r)) for r in radius], axis=1)
    slope = np.stack([shapes.slope_at(float(r)) for r in radius], axis=1)
    return Hole((shape * area) @ shape.T, (slope * area) @ slope.T, shape @ area)
