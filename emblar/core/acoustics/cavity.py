"""Two heads and the air between them: the modes of the whole drum.

Conventions
-----------
SI units. Displacements are outward positive on both heads. The coordinates of order m are the
amplitudes of the batter's shapes, then the reso's, then (m = 0 only) the volume in m³ that has gone
out through a port or an open front. Modes are normalised to unit modal mass.

For m = 0 the plane wave of the cavity couples the heads: a stiffness ρc²/V on the sum of the swept
volumes plus the wave's inertia, taken exactly at the mode's own frequency by fixed-point iteration;
the evanescent duct modes add mass. The lower mode with both heads moving the same way is the **drum
pitch**, the mode with the heads opposed the **upper mode**.

Source: Fletcher & Rossing, ch. 18; Morse & Ingard, ch. 9.
"""

import math
from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.basis import SHAPES, Array, Basis, basis
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.drum import Drum, Side, Tensions
from emblar.core.acoustics.eigen import modes_of
from emblar.core.acoustics.head import (
    axial_stiffening,
    duct_air_mass,
    film_mass,
    film_stiffness,
    outer_air_mass,
)
from emblar.core.acoustics.port import LARGE_PORT, hole, plug_inertance

ITERATIONS = 6
COMPARED = 4
TAKES_PART = 0.5
"""Behind a large port the pitch is the first of so many modes in which the batter takes part."""


@dataclass(frozen=True, slots=True)
class CoupledMode:
    """One mode of the drum.

    Attributes
    ----------
    m, frequency_hz
        Order and frequency in Hz.
    batter, reso
        Amplitudes of the head shapes for unit modal mass, 1/sqrt(kg); ``reso`` is None without one.
    port_m3
        Volume through the port for unit modal mass, m³/sqrt(kg).
    """

    m: int
    frequency_hz: float
    batter: Array
    reso: Array | None
    port_m3: float

    def heads_opposed(self, radius_m: float) -> bool:
        """Tell whether the heads squeeze the air (upper mode) rather than move the same way."""
        if self.reso is None:
            return False
        swept = basis(0).swept * radius_m**2
        return float(swept @ self.batter) * float(swept @ self.reso) > 0.0


@dataclass(frozen=True, slots=True)
class System:
    """Matrices of one order that do not depend on frequency."""

    mass: Array
    stiffness: Array
    ends: Array
    """Swept volume at the batter end and the reso end per coordinate, shape (2, dof)."""


def assemble(drum: Drum, tensions: Tensions, m: int, coefficients: Coefficients) -> System:
    """Return the mass and stiffness of order ``m`` without the plane wave.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    tensions
        Tension of both heads, N/m.
    m
        How many nodal diameters.
    coefficients
        The model's coefficients.

    Raises
    ------
    ValueError
        A head has no tension.
    """
    shapes, radius = basis(m), drum.radius_m(coefficients)
    opening = m == 0 and drum.is_open
    heads = 1 if drum.reso is None else 2
    size = heads * SHAPES + (1 if opening else 0)
    mass, stiffness, ends = np.zeros((size, size)), np.zeros((size, size)), np.zeros((2, size))
    duct_mass, shared = duct_air_mass(shapes, radius, drum.depth_m, coefficients)
    outer = outer_air_mass(shapes, radius, coefficients)
    sides: list[tuple[Side, float | None]] = [
        ("batter", tensions.batter_n_per_m),
        ("reso", tensions.reso_n_per_m),
    ]
    for index, (side, tension) in enumerate(sides[:heads]):
        film = drum.film(side)
        if film is None or tension is None:
            raise ValueError(f"the {side} head has no tension")
        block = slice(index * SHAPES, (index + 1) * SHAPES)
        mass[block, block] = film_mass(film, shapes, radius, coefficients) + duct_mass + outer
        stiffer = axial_stiffening(drum.kind, tension, coefficients)
        held = tension * stiffer if m == 0 and side == "batter" else tension
        stiffness[block, block] = held * film_stiffness(shapes)
        ends[index, block] = shapes.swept * radius**2
    if heads == 2:
        mass[:SHAPES, SHAPES : 2 * SHAPES] = shared
        mass[SHAPES : 2 * SHAPES, :SHAPES] = shared.T
    _add_dampers(mass, stiffness, drum, tensions, shapes)
    if opening:
        _add_opening(mass, stiffness, ends, drum, tensions, coefficients)
    return System(mass, stiffness, ends)


def _add_dampers(
    mass: Array, stiffness: Array, drum: Drum, tensions: Tensions, shapes: Basis
) -> None:
    for damper in drum.dampers:
        if damper.side == "reso" and drum.reso is None:
            continue
        start = 0 if damper.side == "batter" else SHAPES
        block = slice(start, start + SHAPES)
        place = shapes.evaluate(damper.radius)
        share = 1.0 if shapes.m == 0 else 0.5
        square = share * np.outer(place, place)
        tension = tensions.batter_n_per_m if damper.side == "batter" else tensions.reso_n_per_m
        mass[block, block] += damper.mass_kg * square
        stiffness[block, block] += damper.hold * (tension or 0.0) * square


def _add_opening(
    mass: Array,
    stiffness: Array,
    ends: Array,
    drum: Drum,
    tensions: Tensions,
    coefficients: Coefficients,
) -> None:
    """Add the plug of air in the drum's openings, and take a port's film away."""
    radius = drum.radius_m(coefficients)
    ends[1, -1] = 1.0
    mass[-1, -1] += opening_inertance(drum, coefficients)
    if drum.reso is None or drum.port_radius_m is None:
        return
    block, gone = slice(SHAPES, 2 * SHAPES), hole(drum.port_radius_m / radius)
    density_of_film = drum.reso.areal_density_kg_per_m2(coefficients)
    mass[block, block] -= density_of_film * radius**2 * gone.mass
    stiffness[block, block] -= (tensions.reso_n_per_m or 0.0) * gone.stiffness
    ends[1, block] -= radius**2 * gone.swept


def opening_inertance(drum: Drum, coefficients: Coefficients) -> float:
    """Return the inertance in kg/m⁴ of the air in a drum's openings; 0 for a closed drum."""
    return plug_inertance(
        drum.port_radius_m,
        drum.shell_hole_m,
        drum.radius_m(coefficients),
        coefficients,
        open_front=drum.reso is None,
    )


def swept_by_reso(drum: Drum, coefficients: Coefficients) -> Array:
    """Return the volume each reso shape sweeps per amplitude, m³ (a port sweeps none)."""
    shapes, radius = basis(0), drum.radius_m(coefficients)
    swept = shapes.swept * radius**2
    if drum.port_radius_m is not None:
        swept = swept - radius**2 * hole(drum.port_radius_m / radius).swept
    return np.asarray(swept)


def _plane_wave(
    drum: Drum, omega: float, coefficients: Coefficients
) -> tuple[float, tuple[float, float]]:
    """Return the cavity's stiffness (Pa/m³) and its inertia (kg/m⁴), own and shared, at ω."""
    density, speed = coefficients["air_density"], coefficients["sound_speed"]
    area = math.pi * drum.radius_m(coefficients) ** 2
    stiffness = density * speed**2 / drum.cavity_volume_m3(coefficients)
    # Past kL = 2.5 the next plane-wave mode of the duct takes over; its inertia is held.
    kl = min(max(omega / speed * drum.depth_m, 1e-4), 2.5)
    spring = (1.0 / kl**2 - 1.0 / (kl * math.tan(kl))) if kl > 1e-2 else 1.0 / 3.0
    shared = (1.0 / kl**2 - 1.0 / (kl * math.sin(kl))) if kl > 1e-2 else -1.0 / 6.0
    scale = density * drum.depth_m / area
    return stiffness, (scale * spring, scale * shared)


def _solve(
    system: System, drum: Drum, m: int, omega: float, coefficients: Coefficients
) -> tuple[Array, Array]:
    mass, stiffness = system.mass, system.stiffness
    if m == 0:
        spring, (matching, shared) = _plane_wave(drum, omega, coefficients)
        total = system.ends.sum(axis=0)
        stiffness = stiffness + spring * np.outer(total, total)
        inertia = np.array([[matching, shared], [shared, matching]])
        mass = mass + system.ends.T @ inertia @ system.ends
    values, vectors = modes_of(stiffness, mass)
    return np.sqrt(np.maximum(values, 0.0)), vectors


def coupled_modes(
    drum: Drum, tensions: Tensions, m: int, coefficients: Coefficients, *, count: int = 4
) -> list[CoupledMode]:
    """Return the lowest modes of order ``m``, lowest first.

    Parameters
    ----------
    drum, tensions
        The drum and the tension of its heads in N/m.
    m
        Number of nodal diameters, 0 to 8.
    count
        How many modes at most.
    coefficients
        The model's coefficients.
    """
    system = assemble(drum, tensions, m, coefficients)
    modes = []
    for index in range(min(count, len(system.mass))):
        omega = 0.0
        for _ in range(ITERATIONS if m == 0 else 1):
            omegas, vectors = _solve(system, drum, m, omega, coefficients)
            settled = abs(omegas[index] - omega) < 1e-7 * omegas[index]
            omega = float(omegas[index])
            if settled:
                break
        modes.append(_mode(m, omega, vectors[:, index], drum))
    return modes


def _mode(m: int, omega: float, vector: Array, drum: Drum) -> CoupledMode:
    heads = 1 if drum.reso is None else 2
    port = float(vector[-1]) if len(vector) > heads * SHAPES else 0.0
    reso = vector[SHAPES : 2 * SHAPES] if heads == 2 else None
    return CoupledMode(m, omega / (2.0 * math.pi), vector[:SHAPES], reso, port)


def drum_pitch_mode(modes: list[CoupledMode], drum: Drum, radius_m: float) -> CoupledMode:
    """Return the mode that is the drum's pitch among the m = 0 modes, lowest first.

    It is followed by its shape. Between two heads it is the lowest mode in which they move the same
    way; the air plug of a port makes a mode below it in which they do not. Without a front head it
    is the batter with the air of the tube, the lowest of all. A port so large that little front
    head is left lies between: the lowest mode in which the batter's own lowest shape takes part,
    not the one that what is left of the front makes by itself.

    Parameters
    ----------
    modes
        Modes of one order, lowest first.
    drum
        The drum, as the model knows it.
    radius_m
        Radius of the head, m.
    """
    if modes[0].reso is None:
        return modes[0]
    if has_large_port(drum, radius_m):
        parts = [abs(float(mode.batter[0])) for mode in modes[:COMPARED]]
        return next(m for m, p in zip(modes, parts, strict=False) if p >= TAKES_PART * max(parts))
    return next((m for m in modes if not m.heads_opposed(radius_m)), modes[0])


def has_large_port(drum: Drum, radius_m: float) -> bool:
    """Whether the port leaves so little front head that it no longer leads the note."""
    return drum.port_radius_m is not None and drum.port_radius_m > LARGE_PORT * radius_m


def upper_mode(modes: list[CoupledMode], drum: Drum, radius_m: float) -> CoupledMode | None:
    """Return the lowest mode above the pitch with the heads opposed, or None without one.

    Parameters
    ----------
    modes
        Modes of one order, lowest first.
    drum
        The drum, as the model knows it.
    radius_m
        Radius of the head, m.
    """
    pitch = drum_pitch_mode(modes, drum, radius_m)
    for mode in modes:
        if mode.frequency_hz > pitch.frequency_hz and mode.heads_opposed(radius_m):
            return mode
    return None
