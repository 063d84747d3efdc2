"""Whether a lug pitch is safe to tune a head to, and the nearest one that is."""

from dataclasses import dataclass

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.head import lug_pitch_from_tension, tension_from_lug_pitch
from emblar.core.acoustics.limits import (
    film_stress_pa,
    head_name,
    rod_load_n,
    safe_range,
    stress_limits_pa,
)
from emblar.core.errors import InputError


@dataclass(frozen=True, slots=True)
class Goal:
    """A lug pitch to tune a head to.

    Parameters
    ----------
    hz
        The lug pitch, Hz.
    low_hz, high_hz
        The lowest and the highest that is safe on this head, Hz.
    most_tension
        The highest safe tension over the tension at the goal.
    refusal
        Why the head must not be brought there and which pitch is safe; empty for a safe goal.
    """

    hz: float
    low_hz: float
    high_hz: float
    most_tension: float
    refusal: str

    def check(self) -> None:
        """Raise ``InputError`` for a goal that is not safe."""
        if self.refusal:
            raise InputError(self.refusal, field="goal_hz")


def tuning_goal(drum: Drum, side: Side, goal_hz: float) -> Goal:
    """Return a lug pitch to tune a head to, with what is safe on it.

    Parameters
    ----------
    drum, side
        The drum, as the model knows it, and the head.
    goal_hz
        Lug pitch to go for, Hz.
    """
    k = prior_coefficients()
    safe = safe_range(drum, side, k)
    low, high = (
        lug_pitch_from_tension(drum, side, tension, k)
        for tension in (safe.low_n_per_m, safe.high_n_per_m)
    )
    tension = tension_from_lug_pitch(drum, side, goal_hz, k)
    refusal = ""
    name = head_name(drum.kind, side)
    if tension < safe.low_n_per_m:
        refusal = (
            f"{goal_hz:.0f} Hz is too slack for this {name}: it has no note below about "
            f"{low:.0f} Hz. Choose {low:.0f} Hz or more."
        )
    elif tension > safe.high_n_per_m:
        film = drum.film(side)
        assert film is not None
        share = film_stress_pa(tension, film.thickness_m) / stress_limits_pa(drum.kind, side, k)[1]
        load = rod_load_n(tension, drum.radius_m(k), drum.rods)
        why = {
            "film": f"takes {100.0 * share:.0f} % of the tension this film can take",
            "rods": f"puts {load:.0f} N on every rod",
        }[safe.bound]
        refusal = f"{goal_hz:.0f} Hz on this {name} {why}. Choose {high:.0f} Hz or less."
    return Goal(goal_hz, low, high, safe.high_n_per_m / tension, refusal)
