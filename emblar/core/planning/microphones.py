"""Where microphones go with a plan: a note for the sheet, and what does not go with the front head.

Conventions
-----------
Inches. A note, not a mixing course: the plan's numbers are those of a close microphone, and say
where the model takes it to be.
"""

from typing import Literal

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.strike import microphone_place

KickMicrophone = Literal["", "inside", "outside", "both", "batter side"]
"""Where a kick's microphone is planned; empty leaves it open."""


def microphone_note(kind: Kind, diameter_in: float, *, front: bool, port_in: float | None) -> str:
    """Return where this drum's microphone goes as planned.

    Parameters
    ----------
    kind, diameter_in
        The drum.
    front
        Whether a kick has a front head.
    port_in
        Diameter of its port, None without one.
    """
    k, radius = prior_coefficients(), diameter_in / 2.0
    if kind == "kick":
        if not front:
            return "no front head: inside, close to the batter for click, at the rim for bloom"
        if port_in is not None:
            return "inside through the port, close for click; outside before the front for bloom"
        return "front closed: outside before it for bloom; on the batter side for click"
    inward = (1.0 - microphone_place(kind, k)) * radius
    above = k["microphone_height"] * radius
    return f"assumes the mic {inward:.1f} in inside the hoop, {above:.1f} in above the batter"


def microphone_trouble(planned: KickMicrophone, *, front: bool, port_in: float | None) -> str:
    """Return what stands in the way of a kick's planned microphone, or an empty string.

    Parameters
    ----------
    planned
        The microphone as planned.
    front
        Whether there is a front head.
    port_in
        Diameter of the hole in the front head, in; None without one.
    """
    if planned in ("inside", "both") and front and port_in is None:
        return (
            "A microphone is planned inside the kick, but its front stays closed: allow a port, or "
            "stand it outside for bloom and on the batter side for click."
        )
    if planned == "outside" and not front:
        return (
            "A microphone is planned outside before the kick's front, but it has no front head: "
            "stand it inside, or put a front on."
        )
    return ""
