"""``emblar.rescue/1``: the few changes to a kit that bring most for a budget."""

from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.planning.rescue import Rescue
from emblar.formats.drum import Strict
from emblar.formats.kitplan import RecipeFile, recipe_file


class FixFile(Strict):
    """One change to one drum; gain in audible steps, price in the coin that was asked in."""

    drum: str
    voice: str
    what: Literal["muffling", "batter", "reso", "both heads"]
    buys: list[str]
    lays_on: list[str]
    recipe: RecipeFile
    gain: float
    price: float
    minutes: float


class RescueFile(Strict):
    """The changes, the best for its price and time first; ``before`` is what is off without."""

    schema_: Literal["emblar.rescue/1"] = Field(default="emblar.rescue/1", alias="schema")
    fixes: list[FixFile]
    price: float
    before: dict[str, float]


def rescue_file(told: Rescue) -> RescueFile:
    """Return what brings most as written to a file."""
    fixes = [
        FixFile(
            **{
                **asdict(fix),
                "recipe": recipe_file(fix.recipe),
                "buys": list(fix.buys),
                "lays_on": list(fix.lays_on),
            }
        )
        for fix in told.fixes
    ]
    return RescueFile(fixes=fixes, price=told.price, before=dict(told.before))
