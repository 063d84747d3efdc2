"""What is on a drum, and what a user wants there.

Conventions
-----------
Heads, dampers, striker and wires are ids of the catalogue; pitches are lug pitches in Hz.
"""

from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Interval

Relation = Literal["equal", "higher", "lower"]
"""Whether the reso is tuned like the batter, higher or lower."""
Port = Literal["closed", "cut", "ring", "off"]
"""A kick's front head: whole, with a hole to be cut, bought with a hole, or none."""


@dataclass(frozen=True, slots=True)
class Wish:
    """What a user chose for a drum by hand; None leaves it to the planner.

    Attributes
    ----------
    semitones
        Interval from the batter's lug pitch up to the reso's.
    pitch_hz
        Drum pitch, Hz. One that was entered may go past the everyday limits.
    """

    relation: Relation | None = None
    semitones: Annotated[float, Interval(ge=-12, le=12)] | None = None
    pitch_hz: float | None = None
    batter: str | None = None
    dampers: tuple[str, ...] | None = None
    reso: str | None = None
    striker: str | None = None
    wires: str | None = None
    port: Port | None = None


@dataclass(frozen=True, slots=True)
class Setup:
    """Everything that is on a drum, and how it is struck.

    Attributes
    ----------
    batter_hz, reso_hz
        Lug pitches, Hz; the reso's is None without one.
    port_in
        Hole in a kick's front head, inches; None without one.
    semitones
        Interval that was chosen from the batter's lug pitch up to the reso's.
    force
        How hard it is struck, relative to a medium stroke.
    """

    batter: str
    reso: str | None
    batter_hz: float
    reso_hz: float | None
    dampers: tuple[str, ...] = ()
    striker: str = ""
    wires: str = ""
    port_in: float | None = None
    semitones: float = 0.0
    force: float = 1.0


AS_PLANNED = Wish()
"""Nothing chosen by hand."""
