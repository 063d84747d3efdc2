"""A round hole in a front head: what it takes away from the film round it.

Conventions
-----------
For axisymmetric shapes on the unit disc. A port sits off-centre at ``PORT_PLACE``, nearer the
middle if it is too large to fit there: a hole leaves a rim of film (``RIM``), as one that is cut to
a ring does. The integrals run over the hole itself, so that however large it is no more film is
taken away than there is.

The air in a hole is a plug of some inertance in kg/m⁴. What it drags along on either side falls as
the hole comes to fill the tube: inside to nothing, outside from a flanged to an unflanged end.

Source: Karal, J. Acoust. Soc. Am. 25 (1953) for the inside; Levine & Schwinger 1948 outside.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from emblar.core.acoustics.basis import Array, basis
from emblar.core.acoustics.coefficients import Coefficients

PORT_PLACE = 0.5
"""Distance of a port from the centre over the radius: off-centre, where a stand reaches."""
LARGE_PORT = 0.5
"""From this share of the head's radius on, the batter and the air in the tube lead the note."""
RINGS = 16
ANGLES = 24
RIM = 0.08
"""So much of the radius is left at least between a hole and the hoop."""
LARGEST = 1.0 - RIM


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
    centre = min(PORT_PLACE, 1.0 - RIM - size)
    nodes, weights = np.polynomial.legendre.leggauss(RINGS)
    out = 0.5 * size * (nodes + 1.0)
    angle = (np.arange(ANGLES) + 0.5) / ANGLES * np.pi
    radius = np.sqrt(
        centre**2 + out[:, None] ** 2 + 2.0 * centre * out[:, None] * np.cos(angle)
    ).ravel()
    area = np.repeat(0.5 * size * weights * out * 2.0 * np.pi / ANGLES, ANGLES)
    shape = np.stack([shapes.evaluate(float(r)) for r in radius], axis=1)
    slope = np.stack([shapes.slope_at(float(r)) for r in radius], axis=1)
    return Hole((shape * area) @ shape.T, (slope * area) @ slope.T, shape @ area)


def plug_inertance(
    port_radius_m: float | None,
    shell_hole_m: float | None,
    radius_m: float,
    k: Coefficients,
    *,
    open_front: bool = False,
) -> float:
    """Return the inertance of the air in a drum's openings, in kg/m⁴; 0 for a closed drum.

    Parameters
    ----------
    port_radius_m, shell_hole_m
        Radius of the hole in the front head and of one in the shell, None without.
    radius_m
        Radius of the film.
    open_front
        Whether there is no front head at all.
    k
        The model's coefficients.
    """
    density = k["air_density"]
    through = 0.0
    if open_front:
        through += math.pi * radius_m / (density * k["open_end_correction"])
    elif port_radius_m is not None:
        share = min(port_radius_m / radius_m, 1.0)
        inside = 0.5 * k["port_end_correction"] * _confined(share)
        flanged = 0.5 * k["port_end_correction"]
        outside = flanged + (k["open_end_correction"] - flanged) * share
        neck = k["port_wall"] + (inside + outside) * port_radius_m
        through += math.pi * port_radius_m**2 / (density * neck)
    if shell_hole_m is not None:
        neck = k["shell_wall"] + k["port_end_correction"] * shell_hole_m
        through += math.pi * shell_hole_m**2 / (density * neck)
    return 1.0 / through if through > 0.0 else 0.0


def _confined(share: float) -> float:
    """Return an end correction inside a tube over that in the open, by hole over tube radius."""
    return max(0.0, 1.0 - 1.13 * share - 0.09 * share**2 + 0.27 * share**3)
