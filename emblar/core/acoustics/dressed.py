"""One head with everything on it, brought to its own modes once: the parts of fast prediction.

Conventions
-----------
SI units. A *dressed* head is a film with its air inside and outside, its dampers, ring and port, in
the modal coordinates of that head alone (other head held still): unit modal mass, ω² = T·λ with T
the tension in N/m. Neither λ nor the shapes depend on the tension, so that one decomposition serves
every tuning. Arrays run over order m = 0 … ``HIGHEST_ORDER`` and radial number n.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.linalg import eigh
from scipy.special import jv

from emblar.core.acoustics.basis import SHAPES, Array, Basis, basis
from emblar.core.acoustics.cavity import PORT_PLACE
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.damping import WIRE_PLACE, film_loss_factor
from emblar.core.acoustics.drum import (
    USUAL_STRIKE,
    USUAL_WIRES,
    Film,
    Kind,
    PlacedDamper,
    Side,
    Strike,
    Wires,
)
from emblar.core.acoustics.head import (
    duct_air_mass,
    film_mass,
    film_stiffness,
    outer_air_mass,
)
from emblar.core.acoustics.strike import contact_s, impulse_n_s, on_surface, place

HIGHEST_ORDER = 5
ORDERS = HIGHEST_ORDER + 1
ONCE = ("swept", "centre")
KA_GRID = np.concatenate([[0.0], np.geomspace(0.05, 12.0, 47)])
"""Wavenumber times radius at which radiation of modes with nodal diameters is tabulated."""


@dataclass(frozen=True, slots=True)
class Shell:
    """The air between two heads: radius of the film and depth in m."""

    radius_m: float
    depth_m: float


@dataclass(frozen=True, slots=True)
class HeadKey:
    """What makes a head: film, what lies on it, the hole in it, and how it is struck and heard."""

    kind: Kind
    side: Side
    film: Film
    dampers: tuple[PlacedDamper, ...] = ()
    port_radius_m: float | None = None
    strike: Strike = USUAL_STRIKE
    """How it is struck, before its surface is taken into account."""
    wires: Wires = USUAL_WIRES


@dataclass(frozen=True, slots=True, eq=False)
class DressedHead:
    """One head in its own modes.

    Attributes
    ----------
    eigenvalue
        ω² per tension, (rad/s)² per N/m, shape (ORDERS, SHAPES).
    swept, centre
        Volume in m³ per unit amplitude, and shape at the centre; m = 0 only, shape (SHAPES,).
    struck, near
        Shape at the stroke; pressure at a close microphone per unit acceleration, (ORDERS, SHAPES).
    resistance
        Of dampers, ring and wires in N s/m per kg, shape (ORDERS, SHAPES, SHAPES).
    radiation
        Half-baffled radiation resistance per kg on ``KA_GRID``, (ORDERS, SHAPES, KA).
    shapes
        Columns are the modes in the film's shapes, (ORDERS, SHAPES, SHAPES).
    loss
        Loss factor of the film.
    thickness_m
        Of all plies.
    impulse_n_s, contact_s
        Of a medium stroke on this head.
    """

    eigenvalue: Array
    swept: Array
    centre: Array
    struck: Array
    near: Array
    resistance: Array
    radiation: Array
    shapes: Array
    loss: float
    thickness_m: float
    impulse_n_s: float
    contact_s: float


@lru_cache(maxsize=4096)
def dressed(key: HeadKey, shell: Shell, k: Coefficients) -> DressedHead:
    """Return a head in its own modes."""
    rows = [_order(key, shell, m, k) for m in range(ORDERS)]
    stack = {name: np.stack([row[name] for row in rows]) for name in rows[0] if name not in ONCE}
    return DressedHead(
        **stack,
        **{name: rows[0][name] for name in ONCE},
        loss=film_loss_factor(key.film, k),
        thickness_m=key.film.thickness_m,
        impulse_n_s=impulse_n_s(key.kind, key.strike, k),
        contact_s=contact_s(key.kind, on_surface(key.strike, key.film, k), k),
    )


def _order(key: HeadKey, shell: Shell, m: int, k: Coefficients) -> dict[str, Array]:
    shapes, radius = basis(m), shell.radius_m
    own, _ = duct_air_mass(shapes, radius, shell.depth_m, k)
    mass = film_mass(key.film, shapes, radius, k) + own + outer_air_mass(shapes, radius, k)
    stiffness = film_stiffness(shapes)
    swept = shapes.swept * radius**2
    resistance = _resistance(key, shapes, radius, k)
    share = 1.0 if m == 0 else 0.5
    for damper in key.dampers:
        spot = shapes.at(damper.radius)
        mass = mass + share * damper.mass_kg * np.outer(spot, spot)
    if m == 0 and key.port_radius_m is not None:
        area = np.pi * key.port_radius_m**2
        spot, slope = shapes.at(PORT_PLACE), shapes.slope_at(PORT_PLACE) / radius
        mass = mass - key.film.areal_density_kg_per_m2(k) * area * np.outer(spot, spot)
        stiffness = stiffness - area * np.outer(slope, slope)
        swept = swept - area * spot
    values, vectors = eigh(stiffness, mass)
    near = shapes.at(k["microphone_place"]) * np.exp(-shapes.zeros * k["microphone_height"])
    return {
        "eigenvalue": values,
        "swept": swept @ vectors,
        "centre": shapes.at(0.0) @ vectors,
        "struck": shapes.at(place(key.kind, key.strike, k)) @ vectors,
        "near": (near * radius / shapes.zeros) @ vectors,
        "resistance": vectors.T @ resistance @ vectors,
        "radiation": _radiation(shapes, vectors, radius, k),
        "shapes": vectors,
    }


def _resistance(key: HeadKey, shapes: Basis, radius: float, k: Coefficients) -> Array:
    """Return the resistance matrix of ring, dampers and wires in N s/m."""
    share = 1.0 if shapes.m == 0 else 0.5
    total = np.zeros((SHAPES, SHAPES))
    if key.film.ring:
        weighted = shapes.shape * (shapes.weight * (shapes.radius >= k["ring_inner_radius"]))
        per_area = shapes.angular * radius**2 * weighted @ shapes.shape.T
        total += k["ring_resistance"] * per_area
    spots = [(d.radius, d.resistance_n_s_per_m) for d in key.dampers]
    if key.kind == "snare" and key.side == "reso":
        spots.append((WIRE_PLACE, k["wires_resistance"] * key.wires.drag))
    for spot, resistance in spots:
        shape = shapes.at(spot)
        total += share * resistance * np.outer(shape, shape)
    return total


def _radiation(shapes: Basis, vectors: Array, radius: float, k: Coefficients) -> Array:
    """Return half the baffled radiation resistance of each mode on ``KA_GRID``."""
    table = _radiation_table(shapes.m)
    scale = 0.5 * k["air_density"] * k["sound_speed"] * shapes.angular * radius**2
    return np.asarray(scale * np.einsum("in,ijk,jn->nk", vectors, table, vectors))


@lru_cache(maxsize=ORDERS)
def _radiation_table(m: int) -> Array:
    """Return (ka)² ∫ J_i J_j sinθ dθ of the shapes' transforms, shape (SHAPES, SHAPES, KA)."""
    shapes = basis(m)
    theta = np.linspace(0.0, np.pi / 2.0, 49)
    j = shapes.zeros[:, None, None]
    q = np.maximum(KA_GRID[:, None] * np.sin(theta), 1e-6) * (1.0 + 1e-9)
    transform = j * jv(m + 1, j) * jv(m, q) / (j**2 - q**2)
    product = transform[:, None] * transform[None] * np.sin(theta)
    return np.asarray(KA_GRID**2 * np.trapezoid(product, theta, axis=-1))
