"""The shapes of a circular film and how they meet the air, all for radius 1.

Conventions
-----------
Order ``m`` counts nodal diameters, ``n`` = 1, 2, … nodal circles with the edge. Shapes are
φ_mn(r) = J_m(j_mn r) (times cos mθ). ``angular`` is the integral of cos² mθ: 2π for m = 0, else π.
All integrals are over the unit disc; scale by the radius as the docstrings say.

Source: Fletcher & Rossing, *The Physics of Musical Instruments*, ch. 3 and 18;
Morse & Ingard, *Theoretical Acoustics*, ch. 7 and 9.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import jn_zeros, jnp_zeros, jv

Array = NDArray[np.float64]

SHAPES = 3
"""Radial shapes per head and order: enough for 0.5 % of the lowest modes (tests hold it)."""
DUCT_MODES = 24
QUADRATURE_POINTS = 96
WAVENUMBER_LIMIT = 160.0
WAVENUMBER_POINTS = 4000


@dataclass(frozen=True, slots=True, eq=False)
class Basis:
    """Constants of one order m on the unit disc.

    Attributes
    ----------
    zeros
        j_mn, shape (SHAPES,).
    norm
        ∫ φ² dS, shape (SHAPES,).
    swept
        ∫ φ dS (zero unless m = 0), shape (SHAPES,).
    outer_mass
        Air mass per density and radius³ outside a baffled head at low frequency, (SHAPES, SHAPES).
    duct_zeros
        j'_ms of the evanescent duct modes, shape (DUCT_MODES,).
    duct_overlap
        (∫ φ_n ψ_s dS)/sqrt(∫ ψ_s² dS), shape (SHAPES, DUCT_MODES).
    radius, weight, shape, slope
        Quadrature points and weights of r dr, φ_n(r) and φ_n'(r), for local masses.
    angular
        2π or π.
    """

    m: int
    zeros: Array
    norm: Array
    swept: Array
    outer_mass: Array
    duct_zeros: Array
    duct_overlap: Array
    radius: Array
    weight: Array
    shape: Array
    slope: Array
    angular: float

    def evaluate(self, radius: float) -> Array:
        """Return φ_n at a radius between 0 and 1, shape (SHAPES,); shared, do not write into it."""
        return _shape_at(self.m, radius)

    def slope_at(self, radius: float) -> Array:
        """Return dφ_n/dr at a radius between 0 and 1, shape (SHAPES,)."""
        return _slope(self.m, self.zeros, radius)


@lru_cache(maxsize=8192)
def _shape_at(m: int, radius: float) -> Array:
    return np.asarray(jv(m, jn_zeros(m, SHAPES) * radius))


def _slope(m: int, zeros: Array, radius: float | Array) -> Array:
    x = np.multiply.outer(zeros, radius)
    derivative = 0.5 * (jv(m - 1, x) - jv(m + 1, x))
    return np.asarray(derivative.T * zeros).T


def _hankel(m: int, zeros: Array, wavenumber: Array) -> Array:
    """Return ∫₀¹ J_m(j r) J_m(q r) r dr, shape (zeros, wavenumbers)."""
    j = zeros[:, None]
    q = wavenumber[None, :]
    return np.asarray(j * jv(m + 1, j) * jv(m, q) / (j**2 - q**2))


def _outer_mass(m: int, zeros: Array, angular: float) -> Array:
    """Integrate the static reactance of a baffled head over the wavenumber plane."""
    step = WAVENUMBER_LIMIT / WAVENUMBER_POINTS
    # Mid-points keep clear of q = j, where the closed form is 0/0.
    q = np.asarray((np.arange(WAVENUMBER_POINTS) + 0.5) * step + 1e-7, np.float64)
    transform = _hankel(m, zeros, q)
    return np.asarray(angular * step * transform @ transform.T)


@lru_cache(maxsize=16)
def basis(m: int) -> Basis:
    """Return the constants of order ``m`` (0 to 8), computed once."""
    angular = 2.0 * np.pi if m == 0 else np.pi
    zeros = np.asarray(jn_zeros(m, SHAPES))
    nodes, weights = np.polynomial.legendre.leggauss(QUADRATURE_POINTS)
    radius = 0.5 * (nodes + 1.0)
    weight = 0.5 * weights * radius
    shape = np.asarray(jv(m, np.multiply.outer(zeros, radius)))
    duct_zeros = np.asarray(jnp_zeros(m, DUCT_MODES))
    duct_shape = jv(m, np.multiply.outer(duct_zeros, radius))
    duct_norm = angular * (duct_shape**2 @ weight)
    overlap = angular * (shape * weight) @ duct_shape.T / np.sqrt(duct_norm)
    return Basis(
        m=m,
        zeros=zeros,
        norm=0.5 * angular * np.asarray(jv(m + 1, zeros)) ** 2,
        swept=2.0 * np.pi * jv(1, zeros) / zeros if m == 0 else np.zeros(SHAPES),
        outer_mass=_outer_mass(m, zeros, angular),
        duct_zeros=duct_zeros,
        duct_overlap=overlap,
        radius=radius,
        weight=weight,
        shape=shape,
        slope=_slope(m, zeros, radius),
        angular=angular,
    )
