"""Read a JSON file of one of the published formats."""

from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from emblar.core.errors import InputError
from emblar.formats.errors import wrong_fields

Model = TypeVar("Model", bound=BaseModel)


def read_json(path: Path, model: type[Model]) -> Model:
    """Return a file as its model.

    Raises
    ------
    InputError
        It cannot be read or a field is wrong; every wrong field is named with its value.
    """
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
