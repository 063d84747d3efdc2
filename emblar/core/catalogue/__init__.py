"""What heads, hoops, shells, dampers and strikers there are, read from the data files next to this.

Conventions
-----------
Generic constructions only. Rows are in the order of the files, which is the order shown; what a
user adds comes after them. Every number has its unit, spread and source in its file's ``numbers``.
"""

import math
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import lru_cache
from importlib import resources
from typing import Any, TypeVar

from emblar.core.acoustics.drum import (
    METRES_PER_MIL,
    Film,
    Kind,
    PlacedDamper,
    Side,
    Strike,
    Wires,
)
from emblar.core.errors import CatalogueError


@dataclass(frozen=True, slots=True)
class Construction:
    """A head by how it is made."""

    id: str
    name: str
    sides: tuple[Side, ...]
    kinds: tuple[Kind, ...]
    plies_mil: tuple[float, ...]
    coated: bool = False
    fluid: bool = False
    ring: bool = False
    dot: bool = False
    vented: bool = False
    woven: bool = False
    opaque: bool = False
    may_crack_collar: bool = True
    hole_in: float | None = None
    """Diameter of the port that it comes with, inches."""
    spoken: str = ""
    """The head as it is said in a sentence."""

    def film(self) -> Film:
        """Return the head as film, thickness in m."""
        return Film(
            tuple(ply * METRES_PER_MIL for ply in self.plies_mil),
            coated=self.coated,
            fluid=self.fluid,
            ring=self.ring,
            dot=self.dot,
            vented=self.vented,
            woven=self.woven,
            opaque=self.opaque,
        )

    @property
    def is_snare_side(self) -> bool:
        """Whether it is thin enough to answer snare wires."""
        return sum(self.plies_mil) <= SNARE_SIDE_MOST_MIL and not self.woven

    @property
    def film_label(self) -> str:
        """Film as labelled in drawings, for example ``"7 + 7 mil"``."""
        return " + ".join(f"{ply:g}" for ply in self.plies_mil) + " mil"


@dataclass(frozen=True, slots=True)
class Damper:
    """Something to lay on or against a head or shell; resistance in N s/m, mass in kg.

    ``hold`` is how far it holds the film still, a stiffness over the film's tension.
    ``edge`` multiplies the loss at edge and shell; ``contact``, ``noise`` and ``brightness`` the
    stroke's. ``on_other`` is the resistance it has on the other head, which it touches too;
    ``lifts`` says that a stroke throws it off the film. ``eased`` is the batter's tension over that
    at its other lugs, where lugs are let down. ``reluctance`` is how many audible steps it must
    bring before a tech reaches for it.
    """

    id: str
    name: str
    kinds: tuple[Kind, ...]
    side: Side
    radius: float
    resistance: float
    mass_kg: float
    minutes: float
    edge: float = 1.0
    contact: float = 1.0
    noise: float = 1.0
    brightness: float = 1.0
    hold: float = 0.0
    on_other: float = 0.0
    lifts: bool = False
    eased: float = 1.0
    reluctance: float = 0.0
    least_in: float = 0.0
    """The smallest drum it is used on, diameter in inches."""
    family: str = ""
    """What kind it is of, where there are several amounts of it."""
    only_if_asked: bool = False
    """Whether it makes another instrument of the drum rather than damping it."""

    @property
    def on_head(self) -> bool:
        """Whether it lies on a head rather than on the shell or under the drum."""
        return self.radius < SHELL_FROM

    def placed(self) -> tuple[PlacedDamper, ...]:
        """Return the damper at its usual place, on each head that it touches."""
        first = PlacedDamper(
            self.side, self.radius, self.resistance, self.mass_kg, self.hold, self.lifts
        )
        if self.on_other == 0.0:
            return (first,)
        other: Side = "reso" if self.side == "batter" else "batter"
        return first, PlacedDamper(
            other, self.radius, self.on_other, self.mass_kg, lifts=self.lifts
        )


@dataclass(frozen=True, slots=True)
class ShellPart:
    """A hoop, shell or edge: its share in the losses at the edge, and what it does to a stroke."""

    id: str
    name: str
    loss_share: float
    noise: float = 1.0
    brightness: float = 1.0


@dataclass(frozen=True, slots=True)
class Striker:
    """A stick or beater: shares of the model's medium stroke."""

    id: str
    name: str
    kinds: tuple[Kind, ...]
    impulse: float
    contact: float
    noise: float
    brightness: float
    minutes: float
    only_if_asked: bool = False
    """Whether it is another way of playing rather than another stick."""


@dataclass(frozen=True, slots=True)
class WireSetting:
    """How a snare's wires are set: shares of the model's, delay in s."""

    id: str
    name: str
    level: float
    length: float
    drag: float
    delay_s: float
    minutes: float

    def wires(self) -> Wires:
        """Return the wires for the model."""
        return Wires(self.level, self.length, self.drag, self.delay_s)


@dataclass(frozen=True, slots=True)
class Number:
    """What a number of a file's rows is: unit, one standard deviation over it, source."""

    unit: str
    sd_share: float
    source: str


Row = TypeVar("Row", Construction, Damper, ShellPart, Striker, WireSetting)
TABLES: dict[str, tuple[str, type]] = {
    "construction": ("constructions.toml", Construction),
    "damper": ("dampers.toml", Damper),
    "hoop": ("shells.toml", ShellPart),
    "shell": ("shells.toml", ShellPart),
    "edge": ("shells.toml", ShellPart),
    "striker": ("strikers.toml", Striker),
    "wires": ("strikers.toml", WireSetting),
}
USUAL_STRIKER: dict[Kind, str] = {
    "kick": "beater-felt",
    "snare": "stick-medium",
    "tom": "stick-medium",
}
USUAL_EDGE = "double-cut"
USUAL_WIRES_SETTING = "medium"
SHELL_FROM = 0.97
SNARE_SIDE_MOST_MIL = 5.0
"""A snare side is no thicker: wires do not answer on a heavier film."""


@dataclass(frozen=True, slots=True)
class Catalogue:
    """What parts there are: the shipped ones and a studio's own, as (table, row).

    Raises
    ------
    CatalogueError
        A row has the id of a shipped one.
    """

    own_parts: tuple[tuple[str, Any], ...] = ()
    learned: tuple[tuple[str, float], ...] = ()
    """How many times the shipped loss dampers take, as a studio's own strokes told, by id."""
    _tables: dict[str, dict[str, Any]] = field(init=False, repr=False, compare=False)
    _hash: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        added: dict[str, dict[str, Any]] = {}
        for table, row in self.own_parts:
            if row.id in _shipped(table):
                raise CatalogueError(f"There is already a {table} “{row.id}”. Choose another name.")
            added.setdefault(table, dict(_shipped(table)))[row.id] = row
        for damper_id, times in self.learned:
            rows = added.setdefault("damper", dict(_shipped("damper")))
            if damper_id in rows:
                row = rows[damper_id]
                rows[damper_id] = replace(
                    row, resistance=times * row.resistance, on_other=times * row.on_other
                )
        # Both are asked for thousands of times in a search.
        object.__setattr__(self, "_tables", added)
        object.__setattr__(self, "_hash", hash((self.own_parts, self.learned)))

    def __hash__(self) -> int:
        return self._hash

    def rows(self, table: str) -> dict[str, Any]:
        """Return a table's rows by id, a studio's own after the shipped ones."""
        return self._tables.get(table) or _shipped(table)

    def without_learned(self) -> "Catalogue":
        """Return the catalogue with shipped instead of learned damper strengths."""
        return Catalogue(self.own_parts)

    @property
    def constructions(self) -> dict[str, Construction]:
        """Every head construction by id."""
        return self.rows("construction")

    @property
    def dampers(self) -> dict[str, Damper]:
        """Every damper by id."""
        return self.rows("damper")

    @property
    def hoops(self) -> dict[str, ShellPart]:
        """Every hoop by id."""
        return self.rows("hoop")

    @property
    def shells(self) -> dict[str, ShellPart]:
        """Every shell by id."""
        return self.rows("shell")

    @property
    def edges(self) -> dict[str, ShellPart]:
        """Every bearing edge by id."""
        return self.rows("edge")

    @property
    def strikers(self) -> dict[str, Striker]:
        """Every stick and beater by id."""
        return self.rows("striker")

    @property
    def wire_settings(self) -> dict[str, WireSetting]:
        """Every setting of a snare's wires by id."""
        return self.rows("wires")

    def construction(self, construction_id: str) -> Construction:
        """Return one construction.

        Raises
        ------
        CatalogueError
            There is no construction of that id.
        """
        return _known(self.constructions, "head", construction_id)

    def damper(self, damper_id: str) -> Damper:
        """Return one damper.

        Raises
        ------
        CatalogueError
            There is no damper of that id.
        """
        return _known(self.dampers, "damper", damper_id)

    def constructions_for(self, kind: Kind, side: Side) -> list[Construction]:
        """Return the head constructions for one side of a kind of drum.

        For the reso of a snare, only snare-side heads.
        """
        under = kind == "snare" and side == "reso"
        return [
            row
            for row in self.constructions.values()
            if kind in row.kinds and side in row.sides and (row.is_snare_side or not under)
        ]

    def dampers_for(self, kind: Kind) -> list[Damper]:
        """Return the dampers used on one kind of drum."""
        return [row for row in self.dampers.values() if kind in row.kinds]

    def strikers_for(self, kind: Kind) -> list[Striker]:
        """Return the sticks or beaters for a kind of drum."""
        return [row for row in self.strikers.values() if kind in row.kinds]

    def loss_share(
        self, hoop_id: str, shell_id: str, edge_id: str = USUAL_EDGE, on_it: Iterable[Damper] = ()
    ) -> float:
        """Return the loss at edge, hoop and shell over the prior's, with what lies on the shell.

        Parameters
        ----------
        hoop_id
            Hoop, an id of the catalogue.
        shell_id
            Shell, an id of the catalogue.
        edge_id
            Bearing edge, an id of the catalogue.
        on_it
            What lies on the head.

        Raises
        ------
        CatalogueError
            The hoop, shell or edge is not in the catalogue.
        """
        share = _known(self.hoops, "hoop", hoop_id).loss_share
        share *= _known(self.shells, "shell", shell_id).loss_share
        share *= _known(self.edges, "edge", edge_id).loss_share
        for row in on_it:
            share *= row.edge
        return share

    def strike(
        self,
        striker_id: str,
        on_it: Iterable[Damper] = (),
        place: float | None = None,
        *,
        hoop: str | None = None,
        shell: str | None = None,
    ) -> Strike:
        """Return a stroke with a stick or beater on a head with dampers, on a hoop and shell.

        Parameters
        ----------
        striker_id
            Stick or beater, an id of the catalogue.
        on_it
            What lies on the head.
        place
            Where, distance from the centre over the radius; the usual if left out.
        hoop
            Hoop, where the stroke is a rimshot or cross-stick.
        shell
            Shell, likewise.

        Raises
        ------
        CatalogueError
            The striker, hoop or shell is not in the catalogue.
        """
        result = _known(self.strikers, "stick or beater", striker_id)
        contact, noise, brightness = result.contact, result.noise, result.brightness
        for part_id, rows, what in ((hoop, self.hoops, "hoop"), (shell, self.shells, "shell")):
            if part_id is not None:
                part = _known(rows, what, part_id)
                noise, brightness = noise * part.noise, brightness * part.brightness
        for row in on_it:
            contact, noise = contact * row.contact, noise * row.noise
            brightness *= row.brightness
        return Strike(result.impulse, contact, noise, brightness, place)

    def wires(self, setting_id: str) -> Wires:
        """Return a setting of a snare's wires.

        Raises
        ------
        CatalogueError
            The setting is not in the catalogue.
        """
        return _known(self.wire_settings, "setting of the wires", setting_id).wires()


@lru_cache(maxsize=8)
def _file(name: str) -> dict[str, Any]:
    text = (resources.files(__package__) / "data" / name).read_text(encoding="utf-8")
    return tomllib.loads(text)


def numbers(table: str) -> dict[str, Number]:
    """Return what the numbers of a table's rows are, by field."""
    return {name: Number(**row) for name, row in _file(TABLES[table][0])["numbers"].items()}


def row_of(table: str, row: Mapping[str, Any]) -> Any:
    """Return one row of a table as its dataclass.

    Raises
    ------
    CatalogueError
        A field is missing, unknown or of the wrong kind; the message names it.
    """
    made = TABLES[table][1]
    known = {field.name: field for field in fields(made)}
    unknown = sorted(set(row) - set(known))
    if unknown:
        raise CatalogueError(f"{table}: unknown {', '.join(unknown)}. Known: {', '.join(known)}.")
    values = {key: tuple(v) if isinstance(v, list) else v for key, v in row.items()}
    try:
        return made(**values)
    except TypeError as error:
        raise CatalogueError(f"{table} {row.get('id', '')}: {error}.") from error


@lru_cache(maxsize=16)
def _shipped(table: str) -> dict[str, Any]:
    rows = (row_of(table, row) for row in _file(TABLES[table][0])[table])
    return {row.id: row for row in rows}


def _known(rows: Mapping[str, Row], what: str, row_id: str) -> Row:
    result = rows.get(row_id)
    if result is None:
        raise CatalogueError(f"There is no {what} “{row_id}”. Known are: {', '.join(rows)}.")
    return result


def eased_by(on_it: Iterable[Damper]) -> float:
    """Return the batter's tension over that at its tuned lugs, with lugs let down or without."""
    return math.prod(row.eased for row in on_it)


SHIPPED = Catalogue()
"""The catalogue without a studio's own parts."""
