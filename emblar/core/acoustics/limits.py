"""What a head and its rods bear, and where a note stops being one.

Conventions
-----------
SI units; ``Limit.severity`` is ``"stop"`` (do not tune there), ``"caution"`` or ``"note"``.
The thresholds are assumptions of ``coefficients.toml``.
"""

import math
from dataclasses import dataclass
from typing import Literal

from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.drum import Drum, Kind, Side, Tensions

Severity = Literal["stop", "caution", "note"]


@dataclass(frozen=True, slots=True)
class Limit:
    """A limit reached: which, on which head, with the value and the threshold in SI units."""

    code: str
    severity: Severity
    side: Side
    value: float
    threshold: float
    text: str


def film_stress_pa(tension_n_per_m: float, thickness_m: float) -> float:
    """Return the stress of the film in Pa: tension over total ply thickness."""
    return tension_n_per_m / thickness_m


def rod_load_n(tension_n_per_m: float, radius_m: float, rods: int) -> float:
    """Return the load of one tension rod in N: the rim's pull shared evenly.

    Parameters
    ----------
    tension_n_per_m
        Tension, N/m.
    radius_m
        Radius of the head, m.
    rods
        How many tension rods the head has.
    """
    return 2.0 * math.pi * radius_m * tension_n_per_m / rods


def stress_limits_pa(kind: Kind, side: Side, coefficients: Coefficients) -> tuple[float, float]:
    """Return the film stress in Pa from which on to be careful, and where to stop.

    A snare-side film is tuned nearer to what it bears than any other, every day.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    side
        ``"batter"`` or ``"reso"``.
    coefficients
        The model's coefficients.
    """
    film = "snare_side" if kind == "snare" and side == "reso" else "stress"
    return coefficients[f"{film}_caution"], coefficients[f"{film}_stop"]


@dataclass(frozen=True, slots=True)
class SafeRange:
    """Tensions that a head may be brought to, N/m, and what bounds them above."""

    low_n_per_m: float
    high_n_per_m: float
    bound: Literal["film", "rods"]


def safe_range(drum: Drum, side: Side, coefficients: Coefficients) -> SafeRange:
    """Return the tensions that a plan or a turn of the key may bring a head to.

    Below, the head hangs in its hoop without a note. Above, the film comes near tearing or the rods
    near stripping.

    Parameters
    ----------
    drum, side
        The drum, as the model knows it, and the head; there must be one on that side.
    coefficients
        The model's coefficients.
    """
    film = drum.film(side)
    assert film is not None
    stop = stress_limits_pa(drum.kind, side, coefficients)[1]
    by_film = coefficients["film_share_most"] * stop * film.thickness_m
    around = 2.0 * math.pi * drum.radius_m(coefficients)
    by_rods = coefficients["rod_most"] * drum.rods / around
    bound: Literal["film", "rods"] = "film" if by_film <= by_rods else "rods"
    return SafeRange(coefficients["slack_stop"], min(by_film, by_rods), bound)


def papery_tension(kind: Kind, diameter_m: float, coefficients: Coefficients) -> float:
    """Return the tension in N/m below which a firm stroke wrinkles a head.

    The larger a kick the more it needs: a small one is fine at the wrinkle point.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    diameter_m
        Diameter of the head, m.
    coefficients
        The model's coefficients.
    """
    usual, slack = coefficients["papery_tension"], coefficients["slack_stop"]
    if kind != "kick":
        return usual
    return max(usual * (diameter_m / coefficients["papery_size"]) ** 2, slack)


def head_name(kind: Kind, side: Side) -> str:
    """Return what the trade calls one head of a kind of drum."""
    if side == "batter":
        return "batter"
    return {"kick": "front head", "snare": "snare side", "tom": "reso"}[kind]


def limits(drum: Drum, tensions: Tensions, coefficients: Coefficients) -> list[Limit]:
    """Return every limit that these tensions reach, worst first.

    Parameters
    ----------
    drum
        The drum, as the model knows it.
    tensions
        Tension of both heads, N/m.
    coefficients
        The model's coefficients.
    """
    result: list[Limit] = []
    for side, tension in (("batter", tensions.batter_n_per_m), ("reso", tensions.reso_n_per_m)):
        if tension is not None:
            result += _side_limits(drum, _side(side), tension, coefficients)
    order: dict[Severity, int] = {"stop": 0, "caution": 1, "note": 2}
    return sorted(result, key=lambda limit: order[limit.severity])


def _side(name: str) -> Side:
    return "batter" if name == "batter" else "reso"


def _side_limits(drum: Drum, side: Side, tension: float, coefficients: Coefficients) -> list[Limit]:
    film = drum.film(side)
    if film is None:
        return []
    result = []
    stress = film_stress_pa(tension, film.thickness_m)
    caution, stop = stress_limits_pa(drum.kind, side, coefficients)
    name, borne = head_name(drum.kind, side), f"{100.0 * stress / stop:.0f} %"
    if stress >= stop:
        text = (
            f"The {name} is at {borne} of the tension its film can take: it may tear. Tune lower."
        )
        result.append(Limit("film_stress", "stop", side, stress, stop, text))
    elif stress >= caution:
        text = f"The {name} is at {borne} of the tension its film can take."
        result.append(Limit("film_stress", "caution", side, stress, caution, text))
    load = rod_load_n(tension, drum.radius_m(coefficients), drum.rods)
    if load >= coefficients["rod_caution"]:
        text = f"The {name} puts {load:.0f} N on each rod. Stop if the key needs force."
        result.append(Limit("rod_load", "caution", side, load, coefficients["rod_caution"], text))
    slack = coefficients["slack_stop"]
    papery = papery_tension(drum.kind, drum.diameter_m, coefficients)
    if tension < slack:
        text = f"The {name} is too slack to sound. Tune it higher."
        result.append(Limit("slack", "stop", side, tension, slack, text))
    elif tension < papery:
        text = (
            f"The {name} is slack, at {100.0 * tension / papery:.0f} % of the tension that keeps a "
            "firm stroke from wrinkling it: it may sound papery, and rods may back out. Use lug "
            "locks."
        )
        result.append(Limit("papery", "note", side, tension, papery, text))
    return result


def moved_by_other_head(drum: Drum, side: Side, other_n_per_m: float, k: Coefficients) -> float:
    """Return by how many N/m pulling up the other head slackens one: the shell gives a little.

    All rods of the other head press the shell together along its length; what it gives this head's
    hoop need not travel (Hooke's law; ``inverse.turn_of_the_key`` for what travel does).

    Parameters
    ----------
    drum, side
        The drum and the head that is moved.
    other_n_per_m
        Change of the other head's tension.
    k
        The model's coefficients.
    """
    film = drum.film(side)
    if film is None:
        return 0.0
    radius = drum.radius_m(k)
    wall = 2.0 * math.pi * radius * k["shell_wall"]
    pressed = 2.0 * math.pi * radius * other_n_per_m
    shorter = pressed * drum.depth_m / (k["shell_modulus"] * wall)
    stiffness = k["pet_youngs_modulus"] * film.thickness_m / (1.0 - k["pet_poisson_ratio"])
    return -stiffness * k["turn_efficiency"] * shorter / radius
