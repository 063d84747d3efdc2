"""How long each mode rings.

Conventions
-----------
SI units. ``decay_rate`` is the amplitude's decay γ in 1/s; T60 = 3 ln 10 / γ. Modes have unit modal
mass, so a mechanical resistance R at a place with amplitude φ adds R φ²/2.

Radiation of the m = 0 modes is that of two sources in free air, one per head, a shell length plus
end corrections apart: it contains the monopole part (heads opposed) and the dipole part (heads the
same way) and their low-frequency limits. Modes with nodal diameters radiate as half a baffled head.

Source: Morse & Ingard, ch. 7 (two point sources, baffled piston); film, edge and damper losses are
assumptions of ``coefficients.toml``.
"""

import math
from typing import Any

import numpy as np
from scipy.special import jv

from emblar.core.acoustics.basis import SHAPES, Array, Basis, basis
from emblar.core.acoustics.cavity import CoupledMode, opening_inertance, swept_by_reso
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.drum import Drum, Film, Kind, Side, Tensions
from emblar.core.acoustics.head import axial_stiffening

ArrayOrFloat = Any
T60_FACTOR = 3.0 * math.log(10.0)
WIRE_PLACE = 0.3


def decay_rate(
    mode: CoupledMode, drum: Drum, tensions: Tensions, coefficients: Coefficients
) -> float:
    """Return γ of a mode in 1/s: radiation, film, edge, ring, port, wires and dampers.

    Parameters
    ----------
    mode
        The mode.
    drum
        The drum, as the model knows it.
    tensions
        Tension of both heads, N/m.
    coefficients
        The model's coefficients.
    """
    alone = (
        radiation_rate(mode, drum, coefficients)
        + _film_rate(mode, drum, tensions, coefficients)
        + _port_rate(mode, drum, coefficients)
        + _damper_rate(mode, drum, coefficients)
    )
    settled = _damper_rate(mode, drum, coefficients, lifting=True)
    if settled == 0.0:
        return alone
    share = lifted_share(drum.strike.impulse, coefficients)
    return float(rate_with_lifting(alone, settled, share))


def lifted_share(impulse: ArrayOrFloat, coefficients: Coefficients) -> ArrayOrFloat:
    """Return for how much of a fall by 60 dB a stroke keeps what lifts off the film, 0 to 1.

    It settles once the film moves less than it takes to throw it, whatever the stroke: the harder
    that is (``impulse`` over a medium stroke's), the longer the drum rings undamped.
    """
    falls = coefficients["lifted_db"] + 20.0 * np.log10(impulse)
    return np.clip(falls / 60.0, 0.0, 1.0)


def rate_with_lifting(
    alone: ArrayOrFloat, settled: ArrayOrFloat, share: ArrayOrFloat
) -> ArrayOrFloat:
    """Return the one decay rate in 1/s that falls by 60 dB in the time that both slopes take.

    ``alone`` holds while what lifts is off the film, ``settled`` is added once it lies on it.

    Parameters
    ----------
    alone
        γ while nothing is lifted, 1/s.
    settled
        What is added once it lies on the film, 1/s.
    share
        How much of it dies away as it does alone, from 0 to 1.
    """
    return 1.0 / (share / alone + (1.0 - share) / (alone + settled))


def t60_s(rate: float) -> float:
    """Return the time in s to fall by 60 dB at an amplitude decay rate in 1/s."""
    return T60_FACTOR / rate


def radiation_rate(mode: CoupledMode, drum: Drum, coefficients: Coefficients) -> float:
    """Return the part of γ in 1/s that goes into sound.

    Parameters
    ----------
    mode
        The mode.
    drum
        The drum, as the model knows it.
    coefficients
        The model's coefficients.
    """
    radius = drum.radius_m(coefficients)
    speed, density = coefficients["sound_speed"], coefficients["air_density"]
    wavenumber = 2.0 * math.pi * mode.frequency_hz / speed
    if mode.m == 0:
        swept = basis(0).swept * radius**2
        front = float(swept @ mode.batter)
        back = mode.port_m3
        if mode.reso is not None:
            back += float(swept_by_reso(drum, coefficients) @ mode.reso)
        apart = drum.depth_m + 2.0 * coefficients["dipole_end_correction"] * radius
        mutual = float(np.sinc(wavenumber * apart / math.pi))
        power = front**2 + back**2 + 2.0 * front * back * mutual
        return density * speed * wavenumber**2 / (8.0 * math.pi) * power
    rate = 0.0
    for amplitude in _amplitudes(mode):
        rate += 0.5 * half_baffled(basis(mode.m), amplitude, radius, wavenumber, coefficients)
    return rate


def half_baffled(
    shapes: Basis, amplitude: Array, radius: float, wavenumber: float, coefficients: Coefficients
) -> float:
    """Return half the baffled radiation resistance in N s/m of one head's shape."""
    theta = np.linspace(0.0, math.pi / 2.0, 49)
    q = np.maximum(wavenumber * radius * np.sin(theta), 1e-6) * (1.0 + 1e-9)
    j = shapes.zeros[:, None]
    transform = j * jv(shapes.m + 1, j) * jv(shapes.m, q) / (j**2 - q**2)
    integrand = (amplitude @ transform) ** 2 * np.sin(theta)
    integral = float(np.trapezoid(integrand, theta))
    impedance = coefficients["air_density"] * coefficients["sound_speed"]
    return 0.5 * impedance * shapes.angular * wavenumber**2 * radius**4 * integral


def _amplitudes(mode: CoupledMode) -> list[Array]:
    return [mode.batter] if mode.reso is None else [mode.batter, mode.reso]


def film_loss_factor(film: Film, coefficients: Coefficients) -> float:
    """Return the loss factor of one head's film (dimensionless)."""
    loss = coefficients["film_loss"]
    loss += coefficients["ply_rubbing_loss"] if len(film.plies_m) > 1 else 0.0
    loss += coefficients["fluid_loss"] if film.fluid else 0.0
    loss += coefficients["coating_loss"] if film.coated else 0.0
    loss += coefficients["dot_loss"] if film.dot else 0.0
    loss += coefficients["woven_loss"] if film.woven else 0.0
    loss += coefficients["opaque_loss"] if film.opaque else 0.0
    return loss + (coefficients["vent_loss"] if film.vented else 0.0)


def edge_loss(kind: Kind, side: Side, coefficients: Coefficients) -> float:
    """Return the loss factor at edge, hoop, shell and stand of one head of a kind of drum.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    side
        ``"batter"`` or ``"reso"``.
    coefficients
        The model's coefficients.
    """
    if kind != "kick":
        return coefficients["edge_loss"]
    return coefficients["kick_batter_loss" if side == "batter" else "kick_front_loss"]


def _film_rate(
    mode: CoupledMode, drum: Drum, tensions: Tensions, coefficients: Coefficients
) -> float:
    """Losses that go with the energy stored in each head's tension, and the ring's drag."""
    shapes, omega = basis(mode.m), 2.0 * math.pi * mode.frequency_hz
    rate = 0.0
    sides: tuple[Side, Side] = ("batter", "reso")
    pairs = zip(
        sides,
        (drum.batter, drum.reso),
        (tensions.batter_n_per_m, tensions.reso_n_per_m),
        (mode.batter, mode.reso),
        strict=True,
    )
    for side, film, tension, amplitude in pairs:
        if film is None or tension is None or amplitude is None:
            continue
        stiffer = axial_stiffening(drum.kind, tension, coefficients)
        held = tension * stiffer if mode.m == 0 and side == "batter" else tension
        share = held * float(amplitude**2 @ (shapes.zeros**2 * shapes.norm)) / omega**2
        edge = edge_loss(drum.kind, side, coefficients) * drum.shell_loss_share
        rate += 0.5 * omega * share * (film_loss_factor(film, coefficients) + edge)
        if film.ring:
            rate += 0.5 * _ring_drag(
                shapes, amplitude, drum.radius_m(coefficients), drum.kind, coefficients
            )
    return rate


def _ring_drag(
    shapes: Basis, amplitude: Array, radius: float, kind: Kind, coefficients: Coefficients
) -> float:
    outside = shapes.radius >= coefficients["ring_inner_radius"]
    square = (amplitude @ shapes.shape) ** 2
    area = shapes.angular * float((square * shapes.weight)[outside].sum()) * radius**2
    return ring_resistance(kind, coefficients) * area


def ring_resistance(kind: Kind, coefficients: Coefficients) -> float:
    """Return the resistance in N s/m³ of a built-in ring; a kick's is wider and floats."""
    return coefficients["kick_ring_resistance" if kind == "kick" else "ring_resistance"]


def _port_rate(mode: CoupledMode, drum: Drum, coefficients: Coefficients) -> float:
    if mode.port_m3 == 0.0:
        return 0.0
    share = opening_inertance(drum, coefficients) * mode.port_m3**2
    return 0.5 * 2.0 * math.pi * mode.frequency_hz * coefficients["port_loss"] * share


def _damper_rate(
    mode: CoupledMode, drum: Drum, coefficients: Coefficients, *, lifting: bool = False
) -> float:
    """Return what dampers and wires take: those that stay on the film, or those that lift."""
    shapes = basis(mode.m)
    angle_share = 1.0 if mode.m == 0 else 0.5
    rate = 0.0
    for damper in drum.dampers:
        amplitude = _on(mode, damper.side)
        if amplitude is None or damper.lifts != lifting:
            continue
        place = float(amplitude @ shapes.evaluate(damper.radius))
        rate += 0.5 * angle_share * damper.resistance_n_s_per_m * place**2
    if drum.kind == "snare" and mode.reso is not None and not lifting:
        place = float(mode.reso[:SHAPES] @ shapes.evaluate(WIRE_PLACE))
        drag = coefficients["wires_resistance"] * drum.wires.drag
        rate += 0.5 * angle_share * drag * place**2
    return rate


def _on(mode: CoupledMode, side: Side) -> Array | None:
    return mode.batter if side == "batter" else mode.reso
