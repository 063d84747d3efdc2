"""``emblar evening``: the work until the downbeat, without the database."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from emblar.core.errors import InputError


def evening_command(
    evening: Annotated[Path, typer.Argument(help="An evening as emblar.evening/1 JSON")],
    ics: Annotated[
        Path | None, typer.Option(help="Where the schedule goes as an iCalendar file")
    ] = None,
) -> None:
    """Say when to do which job so that all is done by the downbeat, and what is dropped."""
    from emblar.core.evening.schedule import schedule
    from emblar.formats.evening import EveningFile, evening_ics, evening_plan_file
    from emblar.frame.files import read_json

    file = read_json(evening, EveningFile)
    plan = evening_plan_file(schedule(file.evening()), file.start)
    if ics is not None:
        try:
            ics.write_bytes(evening_ics(file, plan))
        except OSError as error:
            raise InputError(f"{ics} cannot be written: {error.strerror}.") from error
    sys.stdout.write(plan.model_dump_json(by_alias=True, indent=2) + "\n")


def setlist_command(
    songs: Annotated[Path, typer.Argument(help="Songs on one kit as emblar.setlist/1 JSON")],
) -> None:
    """Say in which order songs go on one kit, and what is changed between them."""
    from emblar.core.evening.setlist import plan_setlist
    from emblar.formats.setlist import SetlistFile, setlist_plan_file
    from emblar.frame.files import read_json

    file = read_json(songs, SetlistFile)
    drums, asked = file.asked()
    told = plan_setlist(drums, asked, free_order=file.free_order, worth=file.minute_worth)
    text = setlist_plan_file(asked, told).model_dump_json(by_alias=True, indent=2)
    sys.stdout.write(text + "\n")
