"""What heads, hoops, shells and dampers there are, read from the data files beside this one.

Conventions
-----------
Generic constructions only. Rows are in the order of the files, which is the order shown.
"""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

from emblar.core.acoustics.drum import METRES_PER_MIL, Film, Kind, PlacedDamper, Side
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

    def film(self) -> Film:
        """Return the head as film, thickness in m."""
        return Film(
            tuple(ply * METRES_PER_MIL for ply in self.plies_mil),
            coated=self.coated,
            fluid=self.fluid,
            ring=self.ring,
            dot=self.dot,
            vented=self.vented,
        )

    @property
    def film_label(self) -> str:
        """Film as labelled in drawings, for example ``"7 + 7 mil"``."""
        return " + ".join(f"{ply:g}" for ply in self.plies_mil) + " mil"


@dataclass(frozen=True, slots=True)
class Damper:
    """Something to lay on or against a head; resistance in N s/m, mass in kg."""

    id: str
    name: str
    kinds: tuple[Kind, ...]
    side: Side
    radius: float
    resistance: float
    resistance_sd: float
    mass_kg: float
    minutes: float

    def placed(self) -> PlacedDamper:
        """Return the damper at its usual place."""
        return PlacedDamper(self.side, self.radius, self.resistance, self.mass_kg)


@dataclass(frozen=True, slots=True)
class ShellPart:
    """A hoop or a shell with its share in the losses at the edge."""

    id: str
    name: str
    loss_share: float


def _rows(file: str, table: str) -> list[dict[str, Any]]:
    text = (resources.files(__package__) / "data" / file).read_text(encoding="utf-8")
    return list(tomllib.loads(text)[table])


def _tuples(row: dict[str, Any]) -> dict[str, Any]:
    return {key: tuple(value) if isinstance(value, list) else value for key, value in row.items()}


@lru_cache(maxsize=1)
def constructions() -> dict[str, Construction]:
    """Return every head construction by id."""
    rows = (Construction(**_tuples(row)) for row in _rows("constructions.toml", "construction"))
    return {row.id: row for row in rows}


@lru_cache(maxsize=1)
def dampers() -> dict[str, Damper]:
    """Return every damper by id."""
    rows = (Damper(**_tuples(row)) for row in _rows("dampers.toml", "damper"))
    return {row.id: row for row in rows}


@lru_cache(maxsize=1)
def hoops() -> dict[str, ShellPart]:
    """Return every hoop by id."""
    return {row["id"]: ShellPart(**row) for row in _rows("shells.toml", "hoop")}


@lru_cache(maxsize=1)
def shells() -> dict[str, ShellPart]:
    """Return every shell by id."""
    return {row["id"]: ShellPart(**row) for row in _rows("shells.toml", "shell")}


def construction(construction_id: str) -> Construction:
    """Return one construction.

    Raises
    ------
    CatalogueError
        There is no construction of that id.
    """
    found = constructions().get(construction_id)
    if found is None:
        raise CatalogueError(
            f"There is no head “{construction_id}”. Known are: {', '.join(constructions())}."
        )
    return found


def damper(damper_id: str) -> Damper:
    """Return one damper.

    Raises
    ------
    CatalogueError
        There is no damper of that id.
    """
    found = dampers().get(damper_id)
    if found is None:
        raise CatalogueError(
            f"There is no damper “{damper_id}”. Known are: {', '.join(dampers())}."
        )
    return found


def constructions_for(kind: Kind, side: Side) -> list[Construction]:
    """Return the constructions made for one side of one kind of drum."""
    return [row for row in constructions().values() if kind in row.kinds and side in row.sides]


def dampers_for(kind: Kind) -> list[Damper]:
    """Return the dampers used on one kind of drum."""
    return [row for row in dampers().values() if kind in row.kinds]


def loss_share(hoop_id: str, shell_id: str) -> float:
    """Return the loss at edge, hoop and shell over the prior's.

    Raises
    ------
    CatalogueError
        The hoop or the shell is not in the catalogue.
    """
    if hoop_id not in hoops() or shell_id not in shells():
        raise CatalogueError(
            f"There is no hoop “{hoop_id}” or no shell “{shell_id}”. "
            f"Hoops: {', '.join(hoops())}. Shells: {', '.join(shells())}."
        )
    return hoops()[hoop_id].loss_share * shells()[shell_id].loss_share
