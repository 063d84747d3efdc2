"""What is asked of a drum by hand: as it is kept with the drum, and as the planner takes it."""

from typing import Any

from emblar.core.drum import Port, Setup, Wish
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.recipe import relation_of
from emblar.core.planning.search import ring_in
from emblar.steps.kit.queries.slots import KitDrum


def request_of(drum: KitDrum) -> Wish:
    """Return what was asked of a drum by hand."""
    request = {name: value for name, value in drum.wish.items() if name != "steps"}
    return Wish(**{**request, "dampers": _tuple(drum.wish.get("dampers"))})


def wish_of(recipe: Setup, owned: OwnedDrum, *, port: bool) -> dict[str, Any]:
    """Return a recipe as what is asked of a drum by hand, its port only if that is to be."""
    wish: dict[str, Any] = {
        "relation": relation_of(recipe.semitones),
        "semitones": recipe.semitones,
        "batter": recipe.batter,
        "dampers": list(recipe.dampers),
        "striker": recipe.striker,
    }
    if recipe.reso is not None:
        wish["reso"] = recipe.reso
    if owned.kind == "snare":
        wish["wires"] = recipe.wires
    if port and has_front(owned):
        wish["port"] = front_wish(recipe.reso, recipe.port_in, owned)
    return wish


def front_wish(reso: str | None, port_in: float | None, owned: OwnedDrum) -> Port:
    """Return what becomes of a front head, as it is asked by hand."""
    if reso is None:
        return "off"
    if port_in is None:
        return "closed"
    return "ring" if port_in == ring_in(owned.diameter_in) else "cut"


def has_front(owned: OwnedDrum) -> bool:
    """Whether a drum is a kick with a front head, which may be cut or come off."""
    return owned.kind == "kick" and owned.reso is not None


def steps_of(drum: KitDrum) -> dict[str, float]:
    """Return by how many steps a drum is wished to differ from the record, per quantity."""
    return dict(drum.wish.get("steps", {}))


def _tuple(value: list[str] | None) -> tuple[str, ...] | None:
    return tuple(value) if value is not None else None
