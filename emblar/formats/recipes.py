"""``emblar.recipes/1``: what to put on each drum of a kit and where to tune it, to take along."""

from typing import Literal

from pydantic import Field, ValidationError

from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.errors import InputError
from emblar.core.planning.kit import LONGEST_READ
from emblar.formats.codec import Strict, publish
from emblar.formats.errors import wrong_fields

publish(Setup)

MOST_NAMED = 4
"""The most faults of a file that one message lists."""


class DrumRecipeFile(Strict):
    """One drum's recipe, and the drum it was made for."""

    name: str = Field(min_length=1, max_length=LONGEST_READ)
    kind: Literal["kick", "snare", "tom"]
    diameter_in: float = Field(gt=0.0)
    depth_in: float = Field(gt=0.0)
    voice: str
    drum_pitch_hz: float = Field(gt=0.0)
    recipe: Setup

    def unknown_parts(self, catalogue: Catalogue) -> list[str]:
        """Return what the catalogue does not have, by id."""
        heads = [head for head in (self.recipe.batter, self.recipe.reso) if head is not None]
        named = (
            (heads, catalogue.constructions),
            (self.recipe.dampers, catalogue.dampers),
            ([self.recipe.striker], catalogue.strikers),
            ([self.recipe.wires], catalogue.wire_settings),
        )
        return [one for ids, known in named for one in ids if one not in known]


class RecipesFile(Strict):
    """The recipes of a kit."""

    schema_: Literal["emblar.recipes/1"] = Field(default="emblar.recipes/1", alias="schema")
    session: str
    drums: list[DrumRecipeFile]


def recipes_of(data: bytes, catalogue: Catalogue) -> RecipesFile:
    """Read a file of recipes.

    Raises
    ------
    InputError
        The file is not valid (the message lists wrong fields), or names a part that is not in the
        catalogue.
    """
    try:
        file = RecipesFile.model_validate_json(data)
    except ValidationError as error:
        description = "; ".join(wrong_fields(error)[:MOST_NAMED])
        raise InputError(
            f"This is not a file of recipes: {description}. Nothing was changed. Use "
            "the JSON file that “Export the recipes” gives."
        ) from error
    unknown = [
        f"{drum.name}: “{part}”" for drum in file.drums for part in drum.unknown_parts(catalogue)
    ]
    if unknown:
        raise InputError(
            f"These parts are not in your catalogue: {', '.join(unknown[:MOST_NAMED])}. Nothing "
            "was changed. Add them on the Shelf first, or edit the file."
        )
    return file
