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
from emblar.core.acoustics.drum import Drum, Side, Tensions

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
    """Return the load of one tension rod in N: the rim's pull shared evenly."""
    return 2.0 * math.pi * radius_m * tension_n_per_m / rods


def limits(drum: Drum, tensions: Tensions, coefficients: Coefficients) -> list[Limit]:
    """Return every limit that these tensions reach, worst first."""
    found: list[Limit] = []
    for side, tension in (("batter", tensions.batter_n_per_m), ("reso", tensions.reso_n_per_m)):
        if tension is not None:
            found += _side_limits(drum, _side(side), tension, coefficients)
    order: dict[Severity, int] = {"stop": 0, "caution": 1, "note": 2}
    return sorted(found, key=lambda limit: order[limit.severity])


def _side(name: str) -> Side:
    return "batter" if name == "batter" else "reso"


def _side_limits(drum: Drum, side: Side, tension: float, coefficients: Coefficients) -> list[Limit]:
    film = drum.film(side)
    if film is None:
        return []
    found = []
    stress = film_stress_pa(tension, film.thickness_m)
    stop, caution = coefficients["stress_stop"], coefficients["stress_caution"]
    if stress >= stop:
        text = (
            f"{side}: film stress {stress / 1e6:.0f} MPa is past {stop / 1e6:.0f} MPa, it may tear"
        )
        found.append(Limit("film_stress", "stop", side, stress, stop, text))
    elif stress >= caution:
        text = f"{side}: film stress {stress / 1e6:.0f} MPa, its limit is {stop / 1e6:.0f} MPa"
        found.append(Limit("film_stress", "caution", side, stress, caution, text))
    load = rod_load_n(tension, drum.radius_m(coefficients), drum.rods)
    if load >= coefficients["rod_caution"]:
        text = f"{side}: {load:.0f} N per rod; stop where the key needs force"
        found.append(Limit("rod_load", "caution", side, load, coefficients["rod_caution"], text))
    papery, slack = coefficients["papery_tension"], coefficients["slack_stop"]
    if tension < slack:
        text = f"{side}: {tension:.0f} N/m is too slack to sound; a note begins at {slack:.0f} N/m"
        found.append(Limit("slack", "stop", side, tension, slack, text))
    elif tension < papery:
        text = (
            f"{side}: {tension:.0f} N/m is slack; below about {papery:.0f} N/m a head turns papery"
        )
        found.append(Limit("papery", "note", side, tension, papery, text))
    return found
