"""``emblar evening``: the work until the downbeat, without the database."""

from pathlib import Path
from typing import Annotated

import typer

from emblar.core.errors import InputError
from emblar.frame.commands import print_json, read_json


def evening_command(
    evening: Annotated[Path, typer.Argument(help="An evening as emblar.evening/1 JSON")],
    ics: Annotated[
        Path | None, typer.Option(help="Where the schedule goes as an iCalendar file")
    ] = None,
) -> None:
    """Say when to do which job so that all is done by the downbeat, and what is dropped."""
    from emblar.core.evening.schedule import schedule
    from emblar.formats.evening import EveningFile, evening_ics, evening_plan_file

    file = read_json(evening, EveningFile)
    plan = evening_plan_file(schedule(file.evening()), file.start)
    if ics is not None:
        try:
            ics.write_bytes(evening_ics(file, plan))
        except OSError as error:
            raise InputError(f"{ics} cannot be written: {error.strerror}.") from error
    print_json(plan)
