"""A stroke as the model takes it: the prior's for the kind of drum, shared out by how it is struck.

Conventions
-----------
SI units. What a head's surface does to a stroke (coating, dot, patch) is put into its ``Strike``
here, once, so that levels of modes, noise and bend all see the same stroke.
"""

from dataclasses import replace

from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.drum import Film, Kind, Strike


def heard_inside(strike: Strike, k: Coefficients) -> Strike:
    """Return a kick's stroke as a microphone inside hears it, through a port or an open front."""
    return replace(
        strike,
        noise=strike.noise * k["inside_noise"],
        brightness=strike.brightness * k["inside_brightness"],
    )


def on_surface(strike: Strike, film: Film, k: Coefficients) -> Strike:
    """Return a strike as it is on a head: coating softens it, a patch hardens it.

    Parameters
    ----------
    strike
        What strikes, as it is.
    film
        What the head is made of.
    k
        The model's coefficients.
    """
    if film.coated:
        strike = replace(
            strike,
            contact=strike.contact * k["coating_contact"],
            noise=strike.noise * k["coating_noise"],
            brightness=strike.brightness * k["coating_brightness"],
        )
    if film.dot:
        strike = replace(
            strike,
            contact=strike.contact * k["dot_contact"],
            noise=strike.noise * k["dot_noise"],
        )
    if film.patch:
        strike = replace(
            strike,
            contact=strike.contact * k["patch_contact"],
            noise=strike.noise * k["patch_noise"],
        )
    return strike


def impulse_n_s(kind: Kind, strike: Strike, moving_kg: float, k: Coefficients) -> float:
    """Return the momentum in N s that a medium stroke gives the head.

    A light head takes less of the stick's momentum than a heavy one: two masses that meet and part
    share it by the head's part of both (any text on collisions).

    Parameters
    ----------
    kind, strike
        The kind of drum; how it is struck, over a medium stroke.
    moving_kg
        What the stroke has to move (``head.moving_mass_kg``).
    k
        The model's coefficients.
    """
    by = "beater" if kind == "kick" else "stroke"
    share = moving_kg / (moving_kg + k[f"{by}_mass"])
    return strike.impulse * k[f"{by}_impulse"] * share


def contact_s(kind: Kind, strike: Strike, k: Coefficients) -> float:
    """Return how long a medium stroke stays on the film in s.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    strike
        What strikes, where and how.
    k
        The model's coefficients.
    """
    return strike.contact * k["beater_contact" if kind == "kick" else "stick_contact"]


def place(kind: Kind, strike: Strike, k: Coefficients) -> float:
    """Return where the head is struck: distance from the centre over the radius.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    strike
        What strikes, where and how.
    k
        The model's coefficients.
    """
    if strike.place is not None:
        return strike.place
    return 0.0 if kind == "kick" else k["stroke_place"]


def microphone_place(kind: Kind, k: Coefficients) -> float:
    """Return how far from the centre the microphone stands over the radius."""
    return k["kick_microphone_place" if kind == "kick" else "microphone_place"]
