"""One head: its mass with the air on both sides, and lug pitch to tension and back.

Conventions
-----------
SI units. Matrices are shared between callers: do not write into them.

**Lug pitch** is mode (1,1) of one head with the other head silenced, that is, held still:
the air inside is a duct closed by a rigid wall at the other end. **Drum pitch** is another number
(see ``cavity``).
"""

import math
from collections.abc import Iterable
from functools import lru_cache
from typing import Any

import numpy as np
from scipy.linalg import eigh

from emblar.core.acoustics.basis import Array, Basis, basis
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.drum import Drum, Film, Kind, PlacedDamper, Side


@lru_cache(maxsize=512)
def film_mass(film: Film, shapes: Basis, radius_m: float, coefficients: Coefficients) -> Array:
    """Return the film's modal mass matrix in kg, shape (SHAPES, SHAPES).

    Coating and fluid are spread evenly; a centre dot and a ring sit where they are.

    Parameters
    ----------
    film
        What the head is made of.
    shapes
        The shapes that modes are put together from.
    radius_m
        Radius of the head, m.
    coefficients
        The model's coefficients.
    """
    area = radius_m**2
    mass = np.diag(film.areal_density_kg_per_m2(coefficients) * area * shapes.norm)
    zones: list[tuple[float, float, float]] = []
    if film.dot:
        zones.append((0.0, coefficients["dot_radius"], coefficients["dot_mass"]))
    if film.patch:
        zones.append((0.0, coefficients["patch_radius"], coefficients["patch_mass"]))
    if film.ring:
        zones.append((coefficients["ring_inner_radius"], 1.0, coefficients["ring_mass"]))
    for inner, outer, density in zones:
        inside = (shapes.radius >= inner) & (shapes.radius < outer)
        weighted = shapes.shape * (shapes.weight * inside)
        mass = mass + density * area * shapes.angular * weighted @ shapes.shape.T
    return mass


@lru_cache(maxsize=512)
def _bare_moving_mass(film: Film, radius: float, depth_m: float, k: Coefficients) -> float:
    shapes = basis(0)
    duct_mass, _ = duct_air_mass(shapes, radius, depth_m, k)
    outer = outer_air_mass(shapes, radius, k)
    return float((film_mass(film, shapes, radius, k) + duct_mass + outer)[0, 0])


def moving_mass_kg(
    film: Film,
    dampers: Iterable[PlacedDamper],
    radius_m: float,
    depth_m: float,
    k: Coefficients,
) -> float:
    """Return what a stroke at the centre has to move, in kg: film, its air, and what lies on it.

    The mass of the film's lowest shape for unit motion of the centre; ``dampers`` are those on
    this head.

    Parameters
    ----------
    film
        What the head is made of.
    dampers
        What lies on the head, with its place.
    radius_m
        Radius of the head, m.
    depth_m
        Depth of the shell, m.
    k
        The model's coefficients.
    """
    first = basis(0)
    laid = sum(d.mass_kg * float(first.evaluate(d.radius)[0]) ** 2 for d in dampers)
    return _bare_moving_mass(film, radius_m, depth_m, k) + laid


def axial_stiffening(kind: Kind, tension_n_per_m: Any, k: Coefficients) -> Any:
    """Return how much stiffer a batter is to its round shapes (m = 0) than its tension says.

    Practice reads a snare tuned above about 350 Hz at the lugs a semitone sharper than two films
    and the air between them come to. No cause was found (``docs/model.md``), so this is a factor
    with practice for its source; 1 on every other drum.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    tension_n_per_m
        Tension, N/m.
    k
        The model's coefficients.
    """
    if kind != "snare":
        return 1.0
    return 1.0 + k["tight_snare_stiffening"] * tightness(tension_n_per_m, k)


def tightness(tension_n_per_m: Any, k: Coefficients) -> Any:
    """Return how far a snare's batter counts as tuned high, 0 to 1."""
    share = (tension_n_per_m / k["tight_snare_tension"]) ** 4
    return share / (1.0 + share)


def pitch_error_cents(kind: Kind, batter_n_per_m: float, k: Coefficients) -> float:
    """Return one standard deviation of what the model leaves out of a drum's pitch, in cents.

    As practice finds it: least of toms, more of snares the higher they are tuned, most of kicks.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    batter_n_per_m
        Tension of the batter, N/m.
    k
        The model's coefficients.
    """
    sd_cents = k.rows[f"{kind}_pitch_error"].sd
    if kind != "snare":
        return sd_cents
    return math.hypot(sd_cents, k.rows["tight_snare_pitch_error"].sd * tightness(batter_n_per_m, k))


def film_stiffness(shapes: Basis) -> Array:
    """Return the modal stiffness per tension (dimensionless), shape (SHAPES, SHAPES)."""
    return np.diag(shapes.zeros**2 * shapes.norm)


@lru_cache(maxsize=512)
def outer_air_mass(shapes: Basis, radius_m: float, coefficients: Coefficients) -> Array:
    """Return the mass of the air outside a head in kg, shape (SHAPES, SHAPES).

    Parameters
    ----------
    shapes
        The shapes that modes are put together from.
    radius_m
        Radius of the head, m.
    coefficients
        The model's coefficients.
    """
    share = coefficients["outer_air_share"] * coefficients["air_density"]
    return np.asarray(share * radius_m**3 * shapes.outer_mass)


@lru_cache(maxsize=512)
def duct_air_mass(
    shapes: Basis, radius_m: float, depth_m: float, coefficients: Coefficients
) -> tuple[Array, Array]:
    """Return the mass of the evanescent air inside, own and shared between the heads.

    The head's shape is expanded in the rigid cylinder's modes; each gives ρ·overlap²·coth(κL)/κ on
    the diagonal and ρ·overlap²/(κ sinh κL) between the heads (both displacements outward positive).
    The wavenumber k is neglected against j'_ms/a, which holds below about 0.3 c/a.

    Parameters
    ----------
    shapes
        The shapes that modes are put together from.
    radius_m
        Radius of the head, m.
    depth_m
        Depth of the shell, m.
    coefficients
        The model's coefficients.

    Returns
    -------
    mass, shared
        kg, each of shape (SHAPES, SHAPES).
    """
    decay = shapes.duct_zeros / radius_m
    scale = coefficients["air_density"] * radius_m**2
    mass = shapes.duct_overlap / (decay * np.tanh(decay * depth_m)) @ shapes.duct_overlap.T
    with np.errstate(over="ignore"):
        shared = shapes.duct_overlap / (decay * np.sinh(decay * depth_m)) @ shapes.duct_overlap.T
    return scale * mass, scale * shared


@lru_cache(maxsize=512)
def _lug_eigenvalue(film: Film, radius: float, depth_m: float, coefficients: Coefficients) -> float:
    """Return (2π f11)² per N/m of tension of one head with the other one held still."""
    shapes = basis(1)
    duct_mass, _ = duct_air_mass(shapes, radius, depth_m, coefficients)
    mass = film_mass(film, shapes, radius, coefficients) + duct_mass
    mass = mass + outer_air_mass(shapes, radius, coefficients)
    return float(eigh(film_stiffness(shapes), mass, eigvals_only=True)[0])


def _of_side(drum: Drum, side: Side, coefficients: Coefficients) -> float:
    film = drum.film(side)
    if film is None:
        raise ValueError(f"the drum has no {side} head")
    return _lug_eigenvalue(film, drum.radius_m(coefficients), drum.depth_m, coefficients)


def tension_from_lug_pitch(
    drum: Drum, side: Side, lug_hz: float, coefficients: Coefficients
) -> float:
    """Return the tension in N/m that gives one head a lug pitch in Hz, the other silenced.

    The lug pitch of a batter with a lug eased is that at its other lugs.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    lug_hz
        Lug pitch, Hz.
    coefficients
        The model's coefficients.
    """
    result = (2.0 * math.pi * lug_hz) ** 2 / _of_side(drum, side, coefficients)
    return result * drum.eased if side == "batter" else result


def lug_pitch_from_tension(
    drum: Drum, side: Side, tension_n_per_m: float, coefficients: Coefficients
) -> float:
    """Return the lug pitch in Hz of one head at a tension in N/m, the other silenced.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    tension_n_per_m
        Tension, N/m.
    coefficients
        The model's coefficients.
    """
    eigenvalue = _of_side(drum, side, coefficients)
    if side == "batter":
        tension_n_per_m = tension_n_per_m / drum.eased
    return math.sqrt(tension_n_per_m * eigenvalue) / (2.0 * math.pi)
