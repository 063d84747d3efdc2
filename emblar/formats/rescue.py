"""``emblar.rescue/1``: the few changes to a kit that bring most for a budget."""

from typing import Literal

from pydantic import Field

from emblar.core.drum import Setup
from emblar.core.planning.rescue import Fix, Rescue
from emblar.formats.codec import Strict, publish

publish(Fix, Setup)


class RescueFile(Strict):
    """The changes, the best for its price and time first; ``before`` is what is off without."""

    schema_: Literal["emblar.rescue/1"] = Field(default="emblar.rescue/1", alias="schema")
    fixes: list[Fix]
    price: float
    before: dict[str, float]


def rescue_file(changes: Rescue) -> RescueFile:
    """Return what brings most as written to a file."""
    return RescueFile(fixes=list(changes.fixes), price=changes.price, before=dict(changes.before))
