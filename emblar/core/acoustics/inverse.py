"""From a wished drum pitch to the two lug pitches that give it.

Conventions
-----------
``relation_semitones`` is the reso's lug pitch above the batter's: 0 equal, positive reso higher.
The drum pitch rises steadily with both tensions, so one root search finds the one answer. Turns of
the key are turns of every rod of a head.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

from scipy.optimize import brentq

from emblar.core.acoustics.coefficients import Coefficients, prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.forward import drum_pitch_hz, tensions_from_lug_pitches
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.errors import NoSolutionError
from emblar.core.quantities import Measured

LOWEST_LUG_HZ = 15.0
HIGHEST_LUG_HZ = 1200.0
NEAR_LOG = 0.06


@dataclass(frozen=True, slots=True)
class LugPitches:
    """The lug pitch of each head in Hz, the other head silenced; ``reso_hz`` None without one."""

    batter_hz: float
    reso_hz: float | None


def lug_pitches_for(
    drum: Drum,
    wish_hz: float,
    relation_semitones: float,
    *,
    coefficients: Coefficients | None = None,
    near: LugPitches | None = None,
) -> LugPitches:
    """Return the lug pitches that give a drum pitch.

    Parameters
    ----------
    drum
        The drum with its heads.
    wish_hz
        Wished drum pitch in Hz.
    relation_semitones
        Lug pitch of the reso above the batter's in semitones.
    near
        An answer for nearly the same drum, to start from.
    coefficients
        The model's coefficients; those never calibrated if left out.

    Raises
    ------
    NoSolutionError
        The pitch lies outside what any lug pitch between 15 and 1200 Hz gives on this drum.
    """
    k = coefficients or prior_coefficients()
    ratio = 2.0 ** (relation_semitones / 12.0)

    def off(log_batter: float) -> float:
        batter = math.exp(log_batter)
        reso = batter * ratio if drum.reso is not None else None
        tensions = tensions_from_lug_pitches(drum, batter, reso, k)
        return math.log(drum_pitch_hz(drum, tensions, k) / wish_hz)

    low, high = _bracket(off, near)
    below, above = off(low), off(high)
    if not below < 0.0 < above:
        raise NoSolutionError(
            f"A drum pitch of {wish_hz:.1f} Hz is outside what this drum can give "
            f"({wish_hz * math.exp(below):.0f}–{wish_hz * math.exp(above):.0f} Hz): choose "
            "another drum, other heads or another pitch."
        )
    batter = math.exp(brentq(off, low, high, xtol=1e-6))
    return LugPitches(batter, batter * ratio if drum.reso is not None else None)


def _bracket(off: Callable[[float], float], near: LugPitches | None) -> tuple[float, float]:
    """Return log lug pitches around the answer: close to ``near`` if that holds it."""
    if near is not None:
        middle = math.log(near.batter_hz)
        low, high = middle - NEAR_LOG, middle + NEAR_LOG
        if off(low) < 0.0 < off(high):
            return low, high
    return math.log(LOWEST_LUG_HZ), math.log(HIGHEST_LUG_HZ)


def tension_per_turn(drum: Drum, side: Side, coefficients: Coefficients | None = None) -> Measured:
    """Return what one turn of every rod adds to a head's tension in N/m.

    The hoop comes down by the rod's lead; ``turn_efficiency`` of it stretches the film over its
    radius: ΔT = E h/(1−ν) · efficiency · lead/radius. A wide prior, to be learned from the log.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    coefficients
        The model's coefficients; those never calibrated if left out.

    Raises
    ------
    ValueError
        There is no such head.
    """
    k = coefficients or prior_coefficients()
    film = drum.film(side)
    if film is None:
        raise ValueError(f"the drum has no {side} head")
    stiffness = k["pet_youngs_modulus"] * film.thickness_m / (1.0 - k["pet_poisson_ratio"])
    value = stiffness * k["turn_efficiency"] * k["rod_pitch"] / drum.radius_m(k)
    row = k.rows["turn_efficiency"]
    return Measured(value, value * row.sd / row.value, "N/m")


def turns_for(
    drum: Drum, side: Side, from_hz: float, to_hz: float, coefficients: Coefficients | None = None
) -> Measured:
    """Return the turns of every rod that bring a head's lug pitch from one to another.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    side
        ``"batter"`` or ``"reso"``.
    from_hz
        Lug pitch now, Hz.
    to_hz
        Lug pitch wanted, Hz.
    coefficients
        The model's coefficients; those never calibrated if left out.
    """
    k = coefficients or prior_coefficients()
    before, after = (tension_from_lug_pitch(drum, side, hz, k) for hz in (from_hz, to_hz))
    per_turn = tension_per_turn(drum, side, k)
    value = (after - before) / per_turn.value
    return Measured(value, abs(value) * per_turn.sd / per_turn.value, "turns")
