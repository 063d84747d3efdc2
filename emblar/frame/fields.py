"""What forms and addresses may hold: checked once, here, for every route."""

import math
from collections.abc import Iterable, Mapping
from typing import Annotated, Any

from fastapi import Path, Query
from pydantic import BeforeValidator, Field

from emblar.core.analysis.corrections import Seen
from emblar.core.errors import InputError

LARGEST_ID = 2**31 - 1
LONGEST_TEXT = 2000
LARGEST_NUMBER = 1e9

Id = Annotated[int, Path(ge=1, le=LARGEST_ID)]
"""An id in an address; one that cannot be is not found."""
AskedId = Annotated[
    Annotated[int, Field(ge=1, le=LARGEST_ID)] | None,
    BeforeValidator(lambda text: text or None),
    Query(),
]
"""An id in a query, or none: a choice left empty is none."""


def as_number(text: Any) -> Any:
    """Return a number as people type it, a comma for a point and a true minus among it."""
    if not isinstance(text, str):
        return text
    cleaned = text.strip().replace(",", ".").replace("−", "-").replace("\u00a0", "")
    value = float(cleaned)
    if not math.isfinite(value):
        raise ValueError("is not a number")
    return value


def _number(text: Any) -> Any:
    try:
        value = as_number(text)
    except ValueError as error:
        raise ValueError(f"“{str(text)[:40]}” is not a number") from error
    if isinstance(value, (int, float)) and abs(value) > LARGEST_NUMBER:
        raise ValueError(f"“{str(text)[:40]}” is too large")
    return value


Number = Annotated[float, BeforeValidator(_number)]
"""A number in a form."""
AskedNumber = Annotated[float | None, BeforeValidator(lambda text: _number(text) if text else None)]
"""A number in a query, or none."""


def chosen_strokes(text: str) -> tuple[Seen, ...]:
    """Return strokes as a form names them: ``12.345678@tom-1`` each, with commas between.

    Raises
    ------
    InputError
        It is written otherwise.
    """
    result = []
    for row in filter(None, text.split(",")):
        position, _, voice = row.partition("@")
        try:
            result.append(Seen(float(position), voice))
        except ValueError as error:
            raise InputError("Choose the strokes again. Nothing was changed.") from error
    return tuple(result)


Text = Annotated[str, Field(max_length=LONGEST_TEXT)]


def parts_as_text(parts: Mapping[int, str | None]) -> str:
    """Return which part each drum plays, for an address or a hidden field: ``12.kick_13.``."""
    return "_".join(f"{drum_id}.{part or ''}" for drum_id, part in parts.items())


def parts_from_text(text: str) -> dict[int, str | None]:
    """Return what ``parts_as_text`` wrote; what cannot be read is left out."""
    result = {}
    for row in text[:LONGEST_TEXT].split("_"):
        number, _, part = row.partition(".")
        if number.isascii() and number.isdigit() and int(number) <= LARGEST_ID:
            result[int(number)] = part or None
    return result


def ids_as_text(ids: Iterable[int]) -> str:
    """Return ids for an address or a hidden field: ``12_13``."""
    return "_".join(str(one) for one in ids)


def ids_from_text(text: str) -> tuple[int, ...]:
    """Return what ``ids_as_text`` wrote; what cannot be read is left out."""
    rows = [row for row in text[:LONGEST_TEXT].split("_") if row.isascii() and row.isdigit()]
    return tuple(int(row) for row in rows if 0 < int(row) <= LARGEST_ID)
