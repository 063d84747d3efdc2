"""``emblar export`` and ``emblar import``: everything into one file, and back."""

import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from emblar.core.errors import InputError


def export_command(
    file: Annotated[Path, typer.Argument(help="Where everything goes, for example emblar.zip")],
) -> None:
    """Write everything into one file: sessions, drums, readings, plans and sounds."""
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.sessions.actions.export import export_everything

    with database_at_hand():
        try:
            result = export_everything(HERE, file)
        except OSError as error:
            raise InputError(f"{file} cannot be written: {error.strerror}.") from error
    json.dump(asdict(result), sys.stdout)
    sys.stdout.write("\n")


def import_command(
    file: Annotated[Path, typer.Argument(help="A file that emblar export wrote")],
    skip: Annotated[
        bool, typer.Option("--skip", help="Skip sessions and drums that are here already")
    ] = False,
) -> None:
    """Add what an export holds to your data: all of it or nothing."""
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.sessions.actions.export import import_everything

    if not file.is_file():
        raise InputError(f"{file} cannot be read: there is no such file.")
    with database_at_hand():
        result = import_everything(HERE, file, skip_known=skip)
    json.dump(asdict(result), sys.stdout)
    sys.stdout.write("\n")
