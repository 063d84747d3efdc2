"""``emblar kits``: saved kits, and adding one to a session."""

from typing import Annotated

import typer

from emblar.core.errors import InputError
from emblar.frame.commands import print_json


def kits_command(
    session: Annotated[int | None, typer.Argument(help="A session to add a kit to")] = None,
    use: Annotated[
        str | None, typer.Option("--use", help="The source of the kit to use, as listed")
    ] = None,
    keep: Annotated[
        str | None, typer.Option("--keep", help="Save the session's kit under this name")
    ] = None,
    instead: Annotated[bool, typer.Option("--instead", help="Replace the session's kit")] = False,
) -> None:
    """List kits, add one to a session, or save a session's kit under a name."""
    from emblar.formats.studio import KitRow, KitsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.kit.actions.saved import bring_kit, kit_choices, save_kit

    if session is None and (use is not None or keep is not None):
        raise InputError("Say which session: its number, as emblar sessions lists it.")
    with database_at_hand():
        if session is not None and use is not None:
            bring_kit(HERE, session, use, replace_kit=instead)
        if session is not None and keep is not None:
            save_kit(HERE, session, keep)
        rows = [
            KitRow(source=k.source, name=k.name, drums=list(k.drums))
            for k in kit_choices(HERE, without=session)
        ]
    print_json(KitsFile(kits=rows))
