"""What commands share: files read and printed in the published formats."""

import sys
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, TypeVar

import typer

from emblar.core.errors import InputError

if TYPE_CHECKING:
    from pydantic import BaseModel

Model = TypeVar("Model", bound="BaseModel")
SessionId = Annotated[int, typer.Argument(help="The session's number: see emblar sessions")]


class Head(StrEnum):
    """The head that is tapped."""

    BATTER = "batter"
    RESO = "reso"


def read_json(path: Path, model: type[Model]) -> Model:
    """Return a file as its model.

    Raises
    ------
    InputError
        It cannot be read or a field is wrong; every wrong field is named with its value.
    """
    from pydantic import ValidationError

    from emblar.formats.errors import wrong_fields

    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"{path} cannot be read: {error}.") from error
    try:
        return model.model_validate_json(text)
    except ValidationError as error:
        raise InputError(f"{path}: {'; '.join(wrong_fields(error))}") from error


def read_bytes(path: Path) -> bytes:
    """Return a file's bytes.

    Raises
    ------
    InputError
        It cannot be read.
    """
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}.") from error


def print_json(file: "BaseModel") -> None:
    """Print a file as JSON."""
    sys.stdout.write(file.model_dump_json(by_alias=True, indent=2) + "\n")
