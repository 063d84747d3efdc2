"""``emblar setlist``: songs on one kit in the best order, without the database."""

from pathlib import Path
from typing import Annotated

import typer

from emblar.frame.commands import print_json, read_json


def setlist_command(
    songs: Annotated[Path, typer.Argument(help="Songs on one kit as emblar.setlist/1 JSON")],
) -> None:
    """Say in which order songs go on one kit, and what is changed between them."""
    from emblar.core.catalogue import SHIPPED
    from emblar.core.evening.setlist import plan_setlist
    from emblar.formats.setlist import SetlistFile, setlist_plan_file

    file = read_json(songs, SetlistFile)
    drums, request = file.for_planner(SHIPPED)
    known = plan_setlist(
        SHIPPED, drums, request, free_order=file.free_order, worth=file.minute_worth
    )
    print_json(setlist_plan_file(request, known))
