"""Drum, heads and tensions in; modes, pitch, sustain, bend and limits out, with uncertainty.

Conventions
-----------
SI units; pitches in Hz with their uncertainty in cents. ``level_db`` of a mode is the sound of a
medium stroke at a close microphone, 0 dB for the loudest mode.
"""

import math
from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.basis import Array, basis
from emblar.core.acoustics.bend import bend_cents, stretch_stiffness
from emblar.core.acoustics.cavity import (
    CoupledMode,
    coupled_modes,
    drum_pitch_mode,
    has_large_port,
    swept_by_reso,
    upper_mode,
)
from emblar.core.acoustics.coefficients import Coefficients, prior_coefficients
from emblar.core.acoustics.damping import decay_rate, t60_s
from emblar.core.acoustics.drum import USUAL_STRIKE, USUAL_WIRES, Drum, Strike, Tensions, Wires
from emblar.core.acoustics.head import (
    moving_mass_kg,
    pitch_error_cents,
    tension_from_lug_pitch,
)
from emblar.core.acoustics.limits import Limit, film_stress_pa, limits, rod_load_n
from emblar.core.acoustics.strike import (
    contact_s,
    impulse_n_s,
    microphone_place,
    on_surface,
    place,
)
from emblar.core.notes import cents, spread_hz
from emblar.core.quantities import Measured

HIGHEST_ORDER = 5
PITCH_AMONG = 4
"""Behind an opening the pitch is looked for among so many modes."""
PITCH_UNCERTAIN = (
    "film_tolerance",
    "coating_mass",
    "outer_air_share",
    "edge_inset",
    "air_density",
    "sound_speed",
)
"""Coefficients whose uncertainty moves the drum pitch at given lug pitches."""


@dataclass(frozen=True, slots=True)
class Mode:
    """One mode as heard: order, frequency in Hz, T60 in s, level in dB re the loudest."""

    m: int
    frequency_hz: float
    t60_s: float
    level_db: float


@dataclass(frozen=True, slots=True)
class Prediction:
    """What a drum does at given tensions."""

    drum_pitch: Measured
    drum_pitch_sd_cents: float
    upper_mode_hz: float | None
    sustain: Measured
    bend_cents: Measured
    modes: tuple[Mode, ...]
    tensions: Tensions
    film_stress_pa: dict[str, float]
    rod_load_n: dict[str, float]
    limits: tuple[Limit, ...]
    strike: Strike = USUAL_STRIKE
    """The stroke as it is on this batter."""
    wires: Wires = USUAL_WIRES


def tensions_from_lug_pitches(
    drum: Drum, batter_hz: float, reso_hz: float | None, coefficients: Coefficients
) -> Tensions:
    """Return both heads' tensions in N/m from their lug pitches in Hz (other head silenced).

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    batter_hz
        Lug pitch of the batter, Hz.
    reso_hz
        Lug pitch of the reso, Hz; None without one.
    coefficients
        The model's coefficients.

    Raises
    ------
    ValueError
        There is a reso, but not its lug pitch.
    """
    reso = None
    if drum.reso is not None:
        if reso_hz is None:
            raise ValueError("a drum with a reso head needs its lug pitch")
        reso = tension_from_lug_pitch(drum, "reso", reso_hz, coefficients)
    return Tensions(tension_from_lug_pitch(drum, "batter", batter_hz, coefficients), reso)


def _pitch_mode(drum: Drum, tensions: Tensions, coefficients: Coefficients) -> CoupledMode:
    # The pitch mode is the first or, above the plug of air in an opening, a later one.
    count = PITCH_AMONG if drum.is_open else 1
    modes = coupled_modes(drum, tensions, 0, coefficients, count=count)
    return drum_pitch_mode(modes, drum, drum.radius_m(coefficients))


def drum_pitch_hz(drum: Drum, tensions: Tensions, coefficients: Coefficients) -> float:
    """Return the drum pitch in Hz: both heads ringing, struck at the centre.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    tensions
        Tension of both heads, N/m.
    coefficients
        The model's coefficients.
    """
    return _pitch_mode(drum, tensions, coefficients).frequency_hz


@dataclass(frozen=True, slots=True)
class Outline:
    """The few numbers that a search over many candidates needs."""

    drum_pitch_hz: float
    sustain_s: float
    limits: tuple[Limit, ...]


def outline(
    drum: Drum, batter_lug_hz: float, reso_lug_hz: float | None, coefficients: Coefficients
) -> Outline:
    """Predict pitch, sustain and limits only; as ``predict``, without uncertainty or overtones.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    batter_lug_hz
        Lug pitch of the batter, Hz.
    reso_lug_hz
        Lug pitch of the reso, Hz; None without one.
    coefficients
        The model's coefficients.
    """
    tensions = tensions_from_lug_pitches(drum, batter_lug_hz, reso_lug_hz, coefficients)
    pitch = _pitch_mode(drum, tensions, coefficients)
    sustain = t60_s(decay_rate(pitch, drum, tensions, coefficients))
    result = tuple(limits(drum, tensions, coefficients))
    return Outline(pitch.frequency_hz, sustain, result)


@dataclass(frozen=True, slots=True)
class Settling:
    """What says where a stroke settles: drum pitch in Hz, sustain in s, bend in cents."""

    drum_pitch_hz: float
    sustain_s: float
    bend_cents: float


def settling(drum: Drum, batter_lug_hz: float, reso_lug_hz: float | None) -> Settling:
    """Predict the fundamental alone; as ``predict``, without uncertainty, overtones or limits.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    batter_lug_hz
        Lug pitch of the batter, Hz.
    reso_lug_hz
        Lug pitch of the reso, Hz; None without one.
    """
    k = prior_coefficients()
    tensions = tensions_from_lug_pitches(drum, batter_lug_hz, reso_lug_hz, k)
    pitch = _pitch_mode(drum, tensions, k)
    sustain = t60_s(decay_rate(pitch, drum, tensions, k))
    return Settling(pitch.frequency_hz, sustain, _bend(pitch, drum, tensions, k).value)


def predict(
    drum: Drum,
    batter_lug_hz: float,
    reso_lug_hz: float | None,
    *,
    coefficients: Coefficients | None = None,
) -> Prediction:
    """Predict a drum from the lug pitches of its heads.

    Parameters
    ----------
    drum
        The drum with its heads, port and dampers.
    batter_lug_hz, reso_lug_hz
        Lug pitches in Hz, the other head silenced; ``reso_lug_hz`` None without a reso head.
    coefficients
        The model's coefficients; the prior if left out.
    """
    k = coefficients or prior_coefficients()
    tensions = tensions_from_lug_pitches(drum, batter_lug_hz, reso_lug_hz, k)
    axial = coupled_modes(drum, tensions, 0, k, count=5)
    pitch = drum_pitch_mode(axial, drum, drum.radius_m(k))
    upper = upper_mode(axial, drum, drum.radius_m(k))
    sd_cents = _pitch_sd_cents(drum, batter_lug_hz, reso_lug_hz, pitch.frequency_hz, k)
    sustain = t60_s(decay_rate(pitch, drum, tensions, k))
    return Prediction(
        drum_pitch=Measured(pitch.frequency_hz, spread_hz(pitch.frequency_hz, sd_cents), "Hz"),
        drum_pitch_sd_cents=sd_cents,
        upper_mode_hz=upper.frequency_hz if upper else None,
        sustain=Measured(sustain, 0.35 * sustain, "s"),
        bend_cents=_bend(pitch, drum, tensions, k),
        modes=_heard_modes(axial, drum, tensions, k),
        tensions=tensions,
        film_stress_pa=_per_side(drum, tensions, "stress", k),
        rod_load_n=_per_side(drum, tensions, "rod", k),
        limits=tuple(limits(drum, tensions, k)),
        strike=on_surface(drum.strike, drum.batter, k),
        wires=drum.wires,
    )


def _pitch_sd_cents(
    drum: Drum, batter_hz: float, reso_hz: float | None, pitch_hz: float, k: Coefficients
) -> float:
    """Carry each coefficient's spread to the pitch by moving it one sd; independent errors add."""
    tension = tension_from_lug_pitch(drum, "batter", batter_hz, k)
    variance = pitch_error_cents(drum.kind, tension, k) ** 2
    if has_large_port(drum, drum.radius_m(k)):
        variance += k.rows["large_port_pitch_error"].sd ** 2
    # Pitch goes almost in proportion with the lug pitches, read on both heads.
    variance += k.rows["lug_reading_error"].sd ** 2 / (1.0 if drum.reso is None else 2.0)
    for name in PITCH_UNCERTAIN:
        moved = k.shifted(name, by_sd=1.0)
        tensions = tensions_from_lug_pitches(drum, batter_hz, reso_hz, moved)
        variance += cents(drum_pitch_hz(drum, tensions, moved), pitch_hz) ** 2
    return math.sqrt(variance)


def _per_side(drum: Drum, tensions: Tensions, what: str, k: Coefficients) -> dict[str, float]:
    values = {}
    pairs = (
        ("batter", drum.batter, tensions.batter_n_per_m),
        ("reso", drum.reso, tensions.reso_n_per_m),
    )
    for side, film, tension in pairs:
        if film is None or tension is None:
            continue
        if what == "stress":
            values[side] = film_stress_pa(tension, film.thickness_m)
        else:
            values[side] = rod_load_n(tension, drum.radius_m(k), drum.rods)
    return values


def _bend(mode: CoupledMode, drum: Drum, tensions: Tensions, k: Coefficients) -> Measured:
    """Return how many cents sharp a medium stroke starts.

    The swing stretches the film equally in all directions: ΔT = Eh/(1−ν) · ¼ mean slope² at the
    largest amplitude (``bend``).
    """
    shapes, radius = basis(0), drum.radius_m(k)
    omega = 2.0 * math.pi * mode.frequency_hz
    given = _given_n_s(drum, drum.strike, k)
    amplitude = given * float(shapes.evaluate(0.0) @ mode.batter) / omega
    stiffness = stretch_stiffness(k)
    added, total = 0.0, 0.0
    films = (
        (drum.batter, tensions.batter_n_per_m, mode.batter),
        (drum.reso, tensions.reso_n_per_m, mode.reso),
    )
    for film, tension, shape in films:
        if film is None or tension is None or shape is None:
            continue
        slope_square = float(shape**2 @ (shapes.zeros**2 * shapes.norm)) * amplitude**2
        mean_square = slope_square / (math.pi * radius**2)
        energy_share = tension * float(shape**2 @ (shapes.zeros**2 * shapes.norm))
        stretched = 0.25 * stiffness * film.thickness_m * mean_square
        added += energy_share * stretched / tension
        total += energy_share
    value = float(bend_cents(added / total))
    return Measured(value, 0.6 * value, "ct")


def _heard_modes(
    axial: list[CoupledMode], drum: Drum, tensions: Tensions, k: Coefficients
) -> tuple[Mode, ...]:
    modes = list(axial)
    for m in range(1, HIGHEST_ORDER + 1):
        modes += coupled_modes(drum, tensions, m, k, count=4 if drum.reso is not None else 2)
    levels = np.array([close_level(mode, drum, k) for mode in modes])
    loudest = levels.max()
    audible = [
        Mode(
            mode.m,
            mode.frequency_hz,
            t60_s(decay_rate(mode, drum, tensions, k)),
            20.0 * math.log10(max(level / loudest, 1e-6)),
        )
        for mode, level in zip(modes, levels, strict=True)
    ]
    return tuple(sorted((m for m in audible if m.level_db > -60.0), key=lambda m: m.frequency_hz))


def _given_n_s(drum: Drum, strike: Strike, k: Coefficients) -> float:
    on_it = [d for d in drum.dampers if d.side == "batter"]
    moving = moving_mass_kg(drum.batter, on_it, drum.radius_m(k), drum.depth_m, k)
    return impulse_n_s(drum.kind, strike, moving, k)


def close_level(mode: CoupledMode, drum: Drum, k: Coefficients) -> float:
    """Return the sound pressure amplitude in Pa of a medium stroke at a close microphone.

    The near field of each head shape falls off as exp(−j_mn z/a) above the batter; for m = 0 the
    volume that the whole drum sweeps adds its far field. The time of contact takes the highs away:
    the smooth envelope 1/(1 + (2fτ)²) of a half-sine push's spectrum.

    Parameters
    ----------
    mode
        The mode.
    drum
        The drum, as the model knows it.
    k
        The model's coefficients.
    """
    shapes, radius = basis(mode.m), drum.radius_m(k)
    omega = 2.0 * math.pi * mode.frequency_hz
    strike = on_surface(drum.strike, drum.batter, k)
    struck = float(shapes.evaluate(place(drum.kind, strike, k)) @ mode.batter)
    velocity = _given_n_s(drum, strike, k) * struck
    position = microphone_place(drum.kind, k)
    near: Array = shapes.evaluate(position) * np.exp(-shapes.zeros * k["microphone_height"])
    pressure = float((near * radius / shapes.zeros) @ mode.batter)
    if mode.m == 0:
        swept = shapes.swept * radius**2
        net = float(swept @ mode.batter) + mode.port_m3
        net += float(swept_by_reso(drum, k) @ mode.reso) if mode.reso is not None else 0.0
        pressure += net / (4.0 * math.pi * (radius + drum.depth_m))
    push = 1.0 / (1.0 + (2.0 * mode.frequency_hz * contact_s(drum.kind, strike, k)) ** 2)
    return abs(k["air_density"] * omega * velocity * push * pressure)
