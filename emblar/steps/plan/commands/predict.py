"""``emblar predict``: a drum in, its pitch and limits out, without the database."""

from pathlib import Path
from typing import Annotated

import typer

from emblar.frame.commands import print_json, read_json


def predict_command(
    file: Annotated[Path, typer.Argument(help="A drum as emblar.drum/1 JSON")],
) -> None:
    """Predict a drum from its lug pitches, or find the lug pitches for a wish."""
    from emblar.formats.drum import DrumFile
    from emblar.steps.plan.actions.prediction import predict_file

    result = predict_file(read_json(file, DrumFile))
    print_json(result)
