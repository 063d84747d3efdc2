"""What a drum is to the model: dimensions, heads, port and dampers.

Conventions
-----------
SI units. ``batter`` is the struck head, ``reso`` the other one (the front head of a kick, the
snare-side head of a snare); ``reso=None`` is a kick without a front head. Radii of dampers are
fractions of the head's radius, 0 at the centre and 1 at the edge.
"""

import math
from dataclasses import dataclass
from typing import Literal

from emblar.core.acoustics.coefficients import Coefficients

Kind = Literal["kick", "snare", "tom"]
Side = Literal["batter", "reso"]
METRES_PER_INCH = 0.0254
METRES_PER_MIL = 25.4e-6


@dataclass(frozen=True, slots=True)
class Film:
    """One head as film: plies and what is on them.

    Parameters
    ----------
    plies_m
        Thickness of each ply in m.
    coated, fluid, ring, dot, vented
        Coating; fluid between plies; damping ring at the edge; centre dot; vent holes.
    patch
        An impact patch glued where it is struck.
    woven
        Woven fibre instead of film: heavier for its thickness, and lossier.
    opaque
        Filled with pigment: duller and quicker than clear film.
    """

    plies_m: tuple[float, ...]
    coated: bool = False
    fluid: bool = False
    ring: bool = False
    dot: bool = False
    vented: bool = False
    patch: bool = False
    woven: bool = False
    opaque: bool = False

    @property
    def thickness_m(self) -> float:
        """Total thickness of the plies in m."""
        return sum(self.plies_m)

    def areal_density_kg_per_m2(self, coefficients: Coefficients) -> float:
        """Return the mass per area of plies, coating and fluid in kg/m² (ring and dot apart)."""
        material = coefficients["woven_density" if self.woven else "pet_density"]
        density = self.thickness_m * coefficients["film_tolerance"] * material
        density += coefficients["coating_mass"] if self.coated else 0.0
        return density + (coefficients["fluid_mass"] if self.fluid else 0.0)


@dataclass(frozen=True, slots=True)
class PlacedDamper:
    """Something that lies on a head: a resistance and a mass at a place.

    Parameters
    ----------
    side
        The head it lies on.
    radius
        Distance from the centre over the head's radius, 0 to 1.
    resistance_n_s_per_m, mass_kg
        What it takes from and adds to the film under it.
    hold
        How far it holds the film still there: a stiffness over the film's tension.
    lifts
        Whether a stroke throws it off the film, on which it only settles later.
    """

    side: Side
    radius: float
    resistance_n_s_per_m: float
    mass_kg: float
    hold: float = 0.0
    lifts: bool = False


@dataclass(frozen=True, slots=True)
class Strike:
    """How a drum is struck, as shares of the prior's stroke on that kind of drum.

    Parameters
    ----------
    impulse, contact
        Momentum of a medium stroke; time that the striker stays on the film.
    noise, brightness
        Level of the stroke's own noise; where in the spectrum it lies.
    place
        Distance from the centre over the radius; None for the usual place.
    """

    impulse: float = 1.0
    contact: float = 1.0
    noise: float = 1.0
    brightness: float = 1.0
    place: float | None = None


@dataclass(frozen=True, slots=True)
class Wires:
    """Snare wires, as shares of the prior's: loudness, length of the rustle, drag on the film."""

    level: float = 1.0
    length: float = 1.0
    drag: float = 1.0
    delay_s: float = 0.002


USUAL_STRIKE = Strike()
USUAL_WIRES = Wires()


@dataclass(frozen=True, slots=True)
class Drum:
    """A drum with its heads, before any tension."""

    kind: Kind
    diameter_m: float
    depth_m: float
    rods: int
    batter: Film
    reso: Film | None
    port_radius_m: float | None = None
    shell_hole_m: float | None = None
    """Radius of a hole in the shell."""
    dampers: tuple[PlacedDamper, ...] = ()
    shell_loss_share: float = 1.0
    """Loss of edge, hoop and shell over the prior's, from the catalogue."""
    strike: Strike = USUAL_STRIKE
    wires: Wires = USUAL_WIRES
    eased: float = 1.0
    """The batter's tension over that at its tuned lugs, where one or two were let down."""

    @property
    def is_open(self) -> bool:
        """Whether air goes in and out: through a port, a hole in the shell, or no front head."""
        holes = (self.port_radius_m, self.shell_hole_m)
        return self.reso is None or any(hole is not None for hole in holes)

    def radius_m(self, coefficients: Coefficients) -> float:
        """Return the radius of the vibrating film in m."""
        return self.diameter_m / 2.0 - coefficients["edge_inset"]

    def cavity_volume_m3(self, coefficients: Coefficients) -> float:
        """Return the volume of air between the heads in m³."""
        return math.pi * self.radius_m(coefficients) ** 2 * self.depth_m

    def film(self, side: Side) -> Film | None:
        """Return the head of one side, or None where there is none."""
        return self.batter if side == "batter" else self.reso


@dataclass(frozen=True, slots=True)
class Tensions:
    """Film tension of both heads in N/m; ``reso`` is None without a second head."""

    batter_n_per_m: float
    reso_n_per_m: float | None
