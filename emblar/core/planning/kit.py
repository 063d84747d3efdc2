"""A drum as its owner describes it, and what stands on it.

Conventions
-----------
Dimensions in inches, as the trade measures drums; ``model`` turns them into SI. Heads, hoops,
shells and dampers are ids of the catalogue.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH, Drum, Kind, Strike
from emblar.core.acoustics.strike import heard_inside
from emblar.core.catalogue import (
    USUAL_EDGE,
    USUAL_STRIKER,
    USUAL_WIRES_SETTING,
    Catalogue,
    Damper,
    eased_by,
)
from emblar.core.errors import DrumError
from emblar.core.planning.findings import check_findings, findings


@dataclass(frozen=True, slots=True)
class Range:
    """What a number of a drum may be, inclusive."""

    low: float
    high: float
    unit: str


@dataclass(frozen=True, slots=True)
class Called:
    """What a person calls a number, and the field of a form that holds it."""

    label: str
    field: str


CALLED = {
    "diameter_in": Called("Diameter", "diameter_in"),
    "depth_in": Called("Depth", "depth_in"),
    "rods": Called("Rods", "rods"),
    "port_in": Called("Port", "port_in"),
    "shell_hole_in": Called("Shell hole", "shell_hole_in"),
    "lug_hz": Called("Lug pitch", "lug_hz"),
    "drum_pitch_hz": Called("Pitch", "pitch_hz"),
    "relation_semitones": Called("Interval", "semitones"),
    "plies": Called("Plies", "plies"),
}
LONGEST_NAME = 80
LONGEST_READ = 200
"""Letters of a drum's name: as it may be given, and as files and what was kept before may have."""
RANGES = {
    "diameter_in": Range(6.0, 28.0, "in"),
    "depth_in": Range(2.0, 24.0, "in"),
    "rods": Range(4.0, 20.0, "rods"),
    "port_in": Range(1.0, 20.0, "in"),
    "shell_hole_in": Range(0.5, 12.0, "in"),
    "lug_hz": Range(15.0, 1200.0, "Hz"),
    "drum_pitch_hz": Range(20.0, 600.0, "Hz"),
    "relation_semitones": Range(-12.0, 12.0, "semitones"),
    "plies": Range(0.5, 20.0, "mil"),
}


def check_range(field: str, value: float) -> None:
    """Check one number of a drum.

    Raises
    ------
    DrumError
        The number is outside its range; the message names field, value and range.
    """
    allowed = RANGES[field]
    if not allowed.low <= value <= allowed.high:
        called = CALLED[field]
        raise DrumError(
            f"{called.label}: {value:g} is outside {allowed.low:g} to {allowed.high:g} "
            f"{allowed.unit}.",
            field=called.field,
        )


def check_rods(rods: int) -> None:
    """Check a number of rods.

    Raises
    ------
    DrumError
        It is odd where rods sit opposite each other.
    """
    check_range("rods", rods)
    if rods % 2 and rods > 5:
        raise DrumError(
            f"Rods: {rods} is odd; drums have 4 to 20 rods, an even number from 6 upwards.",
            field="rods",
        )


@dataclass(frozen=True, slots=True)
class OwnedDrum:
    """A drum with the heads that are on it now."""

    name: str
    kind: Kind
    diameter_in: float
    depth_in: float
    rods: int
    hoop: str
    shell: str
    batter: str
    reso: str | None
    port_in: float | None = None
    edge: str = USUAL_EDGE
    findings: tuple[str, ...] = ()
    """What an inspection found, by id (``findings``)."""
    shell_hole_in: float | None = None
    """Diameter of a hole in the shell, as some kicks have for a stand or a microphone."""

    @property
    def edge_now(self) -> str:
        """Return the edges as they are: a dent found in one counts as dented."""
        return "dented" if "edge-dent" in self.findings else self.edge

    def as_inspected(self) -> "OwnedDrum":
        """Return the drum without what only the log tells of it."""
        looked = tuple(name for name in self.findings if not findings()[name].by_log)
        return replace(self, findings=looked)

    def __post_init__(self) -> None:
        check_range("diameter_in", self.diameter_in)
        check_range("depth_in", self.depth_in)
        check_rods(self.rods)
        if self.port_in is not None:
            check_range("port_in", self.port_in)
            if self.port_in >= self.diameter_in:
                raise DrumError(
                    f"Port: {self.port_in:g} in is not smaller than the head "
                    f"({self.diameter_in:g} in).",
                    field="port_in",
                )
            if self.kind != "kick":
                raise DrumError("Port: only a kick's front head has one.", field="port_in")
        if self.shell_hole_in is not None:
            check_range("shell_hole_in", self.shell_hole_in)
            if self.shell_hole_in >= self.depth_in:
                raise DrumError(
                    f"Shell hole: {self.shell_hole_in:g} in is not smaller than the shell "
                    f"is deep ({self.depth_in:g} in).",
                    field="shell_hole_in",
                )
            if self.kind != "kick":
                raise DrumError("Shell hole: only a kick has one.", field="shell_hole_in")
        check_findings(self.findings, self.kind)
        if self.kind != "kick" and self.reso is None:
            raise DrumError(f"A {self.kind} needs its reso head here.", field="reso")


def wearing(owned: OwnedDrum, reso: str | None, port_in: float | None) -> OwnedDrum:
    """Return a drum with another front head or reso on it: with a hole, or none at all.

    Parameters
    ----------
    owned
        The drum as it stands in the kit.
    reso
        Construction of the reso or front head, None without one.
    port_in
        Diameter of the hole in the front head, in; None without one.
    """
    return replace(owned, reso=reso, port_in=port_in if reso is not None else None)


def stroke_on(
    catalogue: Catalogue,
    owned: OwnedDrum,
    striker: str,
    on_it: Sequence[Damper],
    port_in: float | None,
) -> Strike:
    """Return a stroke on a drum as its microphone hears it, with dampers and a port or without.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned
        The drum as it stands in the kit.
    striker
        Stick or beater, an id of the catalogue.
    on_it
        What lies on the head.
    port_in
        Diameter of the hole in the front head, in; None without one.

    Raises
    ------
    CatalogueError
        The striker, hoop or shell is not in the catalogue.
    """
    result = catalogue.strike(striker, on_it, hoop=owned.hoop, shell=owned.shell)
    inside = owned.kind == "kick" and (owned.reso is None or port_in is not None)
    return heard_inside(result, prior_coefficients()) if inside else result


def model(
    catalogue: Catalogue,
    owned: OwnedDrum,
    *,
    batter: str | None = None,
    reso: str | None = None,
    dampers: tuple[str, ...] = (),
    striker: str | None = None,
    wires_setting: str = USUAL_WIRES_SETTING,
) -> Drum:
    """Return the drum for the model, with other heads, dampers or striker if given.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned
        The drum as it stands in the kit.
    batter
        Construction of the batter; the one on it if left out.
    reso
        Construction of the reso; the one on it if left out.
    dampers
        What lies on it, ids of the catalogue.
    striker
        Stick or beater, an id of the catalogue; the kind's usual if left out.
    wires_setting
        How a snare's wires are set, an id of the catalogue.

    Raises
    ------
    CatalogueError
        An id is not in the catalogue.
    """
    reso_id = reso or owned.reso
    on_it = [catalogue.damper(d) for d in dampers]
    return Drum(
        kind=owned.kind,
        diameter_m=owned.diameter_in * METRES_PER_INCH,
        depth_m=owned.depth_in * METRES_PER_INCH,
        rods=owned.rods,
        batter=catalogue.construction(batter or owned.batter).film(),
        reso=catalogue.construction(reso_id).film() if reso_id else None,
        port_radius_m=owned.port_in * METRES_PER_INCH / 2.0 if owned.port_in else None,
        shell_hole_m=owned.shell_hole_in * METRES_PER_INCH / 2.0 if owned.shell_hole_in else None,
        dampers=tuple(place for row in on_it for place in row.placed()),
        shell_loss_share=catalogue.loss_share(owned.hoop, owned.shell, owned.edge_now, on_it),
        strike=stroke_on(
            catalogue, owned, striker or USUAL_STRIKER[owned.kind], on_it, owned.port_in
        ),
        wires=catalogue.wires(wires_setting),
        eased=eased_by(on_it),
    )
