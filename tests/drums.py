"""Drums that several tests use, made up."""

from emblar.core.acoustics.drum import METRES_PER_INCH, METRES_PER_MIL, Drum, Film
from emblar.core.planning.kit import OwnedDrum

MIL = METRES_PER_MIL


def film(*plies_mil: float, **flags: bool) -> Film:
    return Film(tuple(p * MIL for p in plies_mil), **flags)


def tom(diameter_in: float = 12.0, depth_in: float = 8.0, **changes: object) -> Drum:
    values: dict[str, object] = {
        "kind": "tom",
        "diameter_m": diameter_in * METRES_PER_INCH,
        "depth_m": depth_in * METRES_PER_INCH,
        "rods": 6,
        "batter": film(7, 7, coated=True),
        "reso": film(10),
    }
    return Drum(**(values | changes))  # type: ignore[arg-type]


def kick(**changes: object) -> Drum:
    return tom(22.0, 16.0, **({"kind": "kick", "rods": 10, "batter": film(10)} | changes))


OWNED_TOM = OwnedDrum(
    "Rack 12", "tom", 12, 8, 6, "flanged", "maple-lacquer", "single-clear", "single-clear"
)
OWNED_KICK = OwnedDrum(
    "Kick 22", "kick", 22, 16, 10, "wood", "maple-lacquer", "double-clear", "front-opaque", 5
)
OWNED_SNARE = OwnedDrum(
    "Snare 14", "snare", 14, 6.5, 10, "flanged", "steel", "single-coated", "snare-side"
)

TOM_FORM = {
    "name": "Rack 12",
    "kind": "tom",
    "diameter_in": "12",
    "depth_in": "8",
    "rods": "6",
    "hoop": "flanged",
    "shell": "maple-lacquer",
    "batter": "double-coated",
    "reso": "single-clear",
}
"""The Kit page's form for a tom, as a browser sends it."""
