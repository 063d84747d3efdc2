"""Shelf: what lies loose, and heads and dampers of one's own."""

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request, Response
from pydantic import BaseModel

from emblar.core.errors import InputError
from emblar.frame.fields import Id, Text, as_number
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.once import only_once
from emblar.platform.studio import Studio
from emblar.steps.shelf.actions import (
    add_construction,
    add_damper,
    add_head,
    put_back,
    take_off_shelf,
)
from emblar.steps.shelf.page import shelf_page
from emblar.steps.workspace.routes import go

router = APIRouter(prefix="/shelf", route_class=ReadAtOnce)
What = Literal["head", "part"]
Kind = Literal["kick", "snare", "tom"]
Side = Literal["batter", "reso"]


class OwnHeadFields(BaseModel):
    """A head of one's own as asked for."""

    name: str
    plies: str
    kinds: list[Kind] = []
    sides: list[Side] = []
    made: list[str] = []


def _number(name: str, text: str) -> float:
    """Return a number of the form; ``name`` is its field's."""
    try:
        return float(as_number(text))
    except ValueError as error:
        raise InputError(
            f"“{text[:40]}” is not a number. Nothing was added.", field=name
        ) from error


def _whole(name: str, text: str) -> int:
    value = _number(name, text)
    if value != int(value):
        raise InputError(f"{value:g} is no whole number. Nothing was added.", field=name)
    return int(value)


@router.get("")
def show(studio: Here, request: Request, undo: str = "") -> Response:
    """Show the shelf."""
    return render(request, "shelf/page.html", {"page": shelf_page(studio, undo)})


@router.post("/heads")
def head(
    studio: Here,
    construction: Annotated[str, Form()],
    diameter_in: Annotated[str, Form()],
    count: Annotated[str, Form()] = "1",
    condition: Annotated[str, Form()] = "fresh",
    once: Annotated[Text, Form()] = "",
) -> Response:
    """Put loose heads on the shelf."""
    row = construction, _number("diameter_in", diameter_in), _whole("count", count), condition

    def make(studio: Studio) -> str:
        add_head(studio, *row)
        return "/shelf"

    return go(only_once(studio, once, row, make))


@router.post("/dampers")
def own_damper(
    studio: Here,
    name: Annotated[str, Form()],
    kind: Annotated[Kind, Form()],
    side: Annotated[Side, Form()],
    radius: Annotated[str, Form()],
    resistance: Annotated[str, Form()],
    mass: Annotated[str, Form()],
    minutes: Annotated[str, Form()] = "1",
) -> Response:
    """Add a damper of one's own."""
    numbers = {
        "radius": _number("radius", radius),
        "resistance": _number("resistance", resistance),
        "mass_kg": _number("mass", mass) / 1000.0,
        "minutes": _number("minutes", minutes),
    }
    add_damper(studio, name, kind, side, numbers)
    return go("/shelf")


@router.post("/constructions")
def own_head(studio: Here, fields: Annotated[OwnHeadFields, Form()]) -> Response:
    """Add a head of one's own."""
    add_construction(studio, fields.name, fields.kinds, fields.sides, fields.plies, fields.made)
    return go("/shelf")


@router.post("/{what}/{row_id}/take")
def take(studio: Here, what: What, row_id: Id) -> Response:
    """Take something off the shelf, offering to bring it back."""
    take_off_shelf(studio, what, row_id)
    return go(f"/shelf?undo={what}-{row_id}")


@router.post("/{what}/{row_id}/back")
def back(studio: Here, what: What, row_id: Id) -> Response:
    """Bring it back."""
    put_back(studio, what, row_id)
    return go("/shelf")
