"""One head with everything on it, brought to its own modes once: the parts of fast prediction.

Conventions
-----------
SI units. A *dressed* head is a film with its air inside and outside, its dampers, ring and port, in
the modal coordinates of that head alone (other head held still): unit modal mass, ω² = T·λ with T
the tension in N/m. Neither λ nor the shapes depend on the tension, so that one decomposition serves
every tuning. Arrays run over order m = 0 … ``HIGHEST_ORDER`` and radial number n.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from scipy.special import jv

from emblar.core.acoustics.basis import SHAPES, Array, Basis, basis
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.damping import WIRE_PLACE, film_loss_factor, ring_resistance
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
from emblar.core.acoustics.eigen import modes_of
from emblar.core.acoustics.head import (
    duct_air_mass,
    film_mass,
    film_stiffness,
    moving_mass_kg,
    outer_air_mass,
)
from emblar.core.acoustics.port import hole
from emblar.core.acoustics.strike import contact_s, impulse_n_s, microphone_place, on_surface, place

HIGHEST_ORDER = 5
ORDERS = HIGHEST_ORDER + 1
MOST_SHELLS = 32
"""So many shells' heads stay worked out: a large kit's, about 100 MB at the most."""
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
    resistance, lifting
        Of dampers, ring and wires in N s/m per kg; of those that a stroke throws off the film,
        None without: shape (ORDERS, SHAPES, SHAPES).
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
    lifting: Array | None
    radiation: Array
    shapes: Array
    loss: float
    thickness_m: float
    impulse_n_s: float
    contact_s: float


def dressed(key: HeadKey, shell: Shell, k: Coefficients) -> DressedHead:
    """Return a head in its own modes; all orders are worked out at once.

    Parameters
    ----------
    key
        What a head in its own modes depends on.
    shell
        The shell that heads are on.
    k
        The model's coefficients.
    """
    return dressed_heads((key,), shell, k)[0]


def dressed_heads(keys: Sequence[HeadKey], shell: Shell, k: Coefficients) -> list[DressedHead]:
    """Return heads of one shell in their own modes; those not asked for before all at once.

    Parameters
    ----------
    keys
        What each head in its own modes depends on.
    shell
        The shell that heads are on.
    k
        The model's coefficients.
    """
    return _wardrobe(shell, k).heads(keys)


@dataclass(frozen=True, slots=True, eq=False)
class _Wardrobe:
    """The heads of a shell that are worked out already."""

    shell: Shell
    k: Coefficients
    known: dict[HeadKey, DressedHead] = field(default_factory=dict)

    def heads(self, keys: Sequence[HeadKey]) -> list[DressedHead]:
        new = [key for key in dict.fromkeys(keys) if key not in self.known]
        if new:
            self.known.update(zip(new, _dressed(new, self.shell, self.k), strict=True))
        return [self.known[key] for key in keys]


@lru_cache(maxsize=MOST_SHELLS)
def _wardrobe(shell: Shell, k: Coefficients) -> _Wardrobe:
    return _Wardrobe(shell, k)


def _dressed(keys: Sequence[HeadKey], shell: Shell, k: Coefficients) -> list[DressedHead]:
    radius = shell.radius_m
    bare = (_bare(key.film, key.kind, shell, k) for key in keys)
    mass, stiffness, resistance = (np.stack(part) for part in zip(*bare, strict=True))
    swept = np.tile(basis(0).swept * radius**2, (len(keys), 1))
    for i, key in enumerate(keys):
        _lay_on(key, mass[i], stiffness[i], resistance[i], k)
        if key.port_radius_m is not None:
            gone = hole(key.port_radius_m / radius)
            mass[i, 0] -= key.film.areal_density_kg_per_m2(k) * radius**2 * gone.mass
            stiffness[i, 0] -= gone.stiffness
            swept[i] -= radius**2 * gone.swept
    values, vectors = modes_of(stiffness, mass)
    modes = vectors.swapaxes(-1, -2)
    struck_at = np.stack([_shapes_at(place(key.kind, key.strike, k)) for key in keys])
    heard_at = np.stack([_near(microphone_place(key.kind, k), k) for key in keys])
    struck, near = (
        (modes @ position[..., None])[..., 0] for position in (struck_at, heard_at * radius)
    )
    centre = modes[:, 0] @ _shapes_at(0.0)[0]
    swept = (modes[:, 0] @ swept[..., None])[..., 0]
    resistance = modes @ resistance @ vectors
    radiation = _radiation(vectors, radius, k)
    return [
        DressedHead(
            eigenvalue=values[i],
            swept=swept[i],
            centre=centre[i],
            struck=struck[i],
            near=near[i],
            resistance=resistance[i],
            lifting=_lifting(key, vectors[i]),
            radiation=radiation[i],
            shapes=vectors[i],
            loss=film_loss_factor(key.film, k),
            thickness_m=key.film.thickness_m,
            impulse_n_s=impulse_n_s(
                key.kind,
                key.strike,
                moving_mass_kg(key.film, key.dampers, radius, shell.depth_m, k),
                k,
            ),
            contact_s=contact_s(key.kind, on_surface(key.strike, key.film, k), k),
        )
        for i, key in enumerate(keys)
    ]


def _lay_on(
    key: HeadKey, mass: Array, stiffness: Array, resistance: Array, k: Coefficients
) -> None:
    """Add to a bare head's matrices what lies on it: dampers, and a snare's wires."""
    spots = [
        (d.radius, 0.0 if d.lifts else d.resistance_n_s_per_m, d.mass_kg, d.hold)
        for d in key.dampers
    ]
    if key.kind == "snare" and key.side == "reso":
        spots.append((WIRE_PLACE, k["wires_resistance"] * key.wires.drag, 0.0, 0.0))
    for spot, drag, weight, hold in spots:
        square = _squares(spot)
        stiffness += hold * square
        mass += weight * square
        resistance += drag * square


def _lifting(key: HeadKey, vectors: Array) -> Array | None:
    """Return the resistance of what lifts off the film at a stroke, in the head's own modes."""
    rows = [d.resistance_n_s_per_m * _squares(d.radius) for d in key.dampers if d.lifts]
    if not rows:
        return None
    return np.asarray(vectors.swapaxes(-1, -2) @ sum(rows) @ vectors)


@lru_cache(maxsize=512)
def _bare(film: Film, kind: Kind, shell: Shell, k: Coefficients) -> tuple[Array, Array, Array]:
    """Return mass, stiffness per tension and the ring's resistance of a film with its air."""
    masses, stiffnesses, rings = [], [], []
    for m in range(ORDERS):
        shapes, radius = basis(m), shell.radius_m
        duct_mass, _ = duct_air_mass(shapes, radius, shell.depth_m, k)
        masses.append(
            film_mass(film, shapes, radius, k) + duct_mass + outer_air_mass(shapes, radius, k)
        )
        stiffnesses.append(film_stiffness(shapes))
        rings.append(_ring(shapes, radius, kind, k) if film.ring else np.zeros((SHAPES, SHAPES)))
    return np.stack(masses), np.stack(stiffnesses), np.stack(rings)


def _ring(shapes: Basis, radius: float, kind: Kind, k: Coefficients) -> Array:
    weighted = shapes.shape * (shapes.weight * (shapes.radius >= k["ring_inner_radius"]))
    per_area = shapes.angular * radius**2 * weighted @ shapes.shape.T
    return np.asarray(ring_resistance(kind, k) * per_area)


@lru_cache(maxsize=1024)
def _shapes_at(radius: float) -> Array:
    return np.stack([basis(m).evaluate(radius) for m in range(ORDERS)])


@lru_cache(maxsize=1024)
def _squares(radius: float) -> Array:
    """Return φ_i φ_j at a place per order, halved where a pair shares it round the drum."""
    position = _shapes_at(radius)
    share = np.where(np.arange(ORDERS) == 0, 1.0, 0.5)
    return np.asarray(share[:, None, None] * position[:, :, None] * position[:, None, :])


@lru_cache(maxsize=64)
def _near(time_s: float, k: Coefficients) -> Array:
    """Return the pressure of each shape at a close microphone per radius and acceleration."""
    zeros = np.stack([basis(m).zeros for m in range(ORDERS)])
    return np.asarray(_shapes_at(time_s) * np.exp(-zeros * k["microphone_height"]) / zeros)


def _radiation(vectors: Array, radius: float, k: Coefficients) -> Array:
    """Return half the baffled radiation resistance of each mode of heads on ``KA_GRID``."""
    by_mode = vectors.transpose(1, 0, 3, 2)
    pairs = (by_mode[..., :, None] * by_mode[..., None, :]).reshape(ORDERS, -1, SHAPES**2)
    scale = 0.5 * k["air_density"] * k["sound_speed"] * radius**2
    rows = scale * (pairs @ _radiation_tables().reshape(ORDERS, SHAPES**2, -1))
    return np.asarray(rows.reshape(ORDERS, len(vectors), SHAPES, -1).swapaxes(0, 1))


@lru_cache(maxsize=1)
def _radiation_tables() -> Array:
    return np.stack([basis(m).angular * _radiation_table(m) for m in range(ORDERS)])


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
