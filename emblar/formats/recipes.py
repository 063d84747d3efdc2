"""``emblar.recipes/1``: what to put on each drum of a kit and where to tune it, to take along."""

from typing import Literal

from pydantic import Field, ValidationError, field_validator

from emblar.core.catalogue import constructions, dampers, strikers, wire_settings
from emblar.core.drum import Setup
from emblar.core.errors import InputError
from emblar.core.planning.kit import LONGEST_READ
from emblar.formats.codec import Strict, publish
from emblar.formats.errors import wrong_fields

publish(Setup)

NOT_HERE = "“{}” is in no catalogue or shelf here"


class DrumRecipeFile(Strict):
    """One drum's recipe, and the drum it was made for."""

    name: str = Field(min_length=1, max_length=LONGEST_READ)
    kind: Literal["kick", "snare", "tom"]
    diameter_in: float = Field(gt=0.0)
    depth_in: float = Field(gt=0.0)
    voice: str
    drum_pitch_hz: float = Field(gt=0.0)
    recipe: Setup

    @field_validator("recipe")
    @classmethod
    def known(cls, recipe: Setup) -> Setup:
        """Refuse what the catalogue here does not have."""
        heads = constructions()
        for name in (recipe.batter, recipe.reso):
            if name is not None and name not in heads:
                raise ValueError(NOT_HERE.format(name))
        for name in recipe.dampers:
            if name not in dampers():
                raise ValueError(NOT_HERE.format(name))
        if recipe.striker not in strikers():
            raise ValueError(NOT_HERE.format(recipe.striker))
        if recipe.wires not in wire_settings():
            raise ValueError(NOT_HERE.format(recipe.wires))
        return recipe


class RecipesFile(Strict):
    """The recipes of a kit."""

    schema_: Literal["emblar.recipes/1"] = Field(default="emblar.recipes/1", alias="schema")
    session: str
    drums: list[DrumRecipeFile]


def recipes_of(data: bytes) -> RecipesFile:
    """Return a file of recipes.

    Raises
    ------
    InputError
        It is none; every wrong field is named.
    """
    try:
        return RecipesFile.model_validate_json(data)
    except ValidationError as error:
        description = "; ".join(wrong_fields(error)[:4])
        raise InputError(
            f"This is not a file of recipes: {description}. Nothing was changed. Use "
            "the JSON file that “Export the recipes” gives."
        ) from error
