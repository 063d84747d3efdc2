"""``emblar predict``: a drum in, its pitch and limits out, without the database."""

import sys
from pathlib import Path
from typing import Annotated

import typer
from pydantic import ValidationError

from emblar.core.errors import InputError
from emblar.formats.drum import DrumFile, predict_file
from emblar.formats.errors import wrong_fields


def read_drum(path: Path) -> DrumFile:
    """Return a drum file.

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
        return DrumFile.model_validate_json(text)
    except ValidationError as error:
        raise InputError(f"{path}: {'; '.join(wrong_fields(error))}") from error


def predict_command(
    file: Annotated[Path, typer.Argument(help="A drum as emblar.drum/1 JSON")],
) -> None:
    """Predict a drum from its lug pitches, or find the lug pitches for a wish."""
    result = predict_file(read_drum(file))
    sys.stdout.write(result.model_dump_json(by_alias=True, indent=2) + "\n")
