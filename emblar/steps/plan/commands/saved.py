"""``emblar plans`` and ``emblar recipes``: versions of a plan, and recipes that worked."""

from typing import Annotated

import typer

from emblar.core.errors import InputError
from emblar.frame.commands import SessionId, print_json


def plans_command(
    session: SessionId,
    use: Annotated[
        int | None, typer.Option("--use", help="Make this version the newest again")
    ] = None,
    undo: Annotated[
        bool, typer.Option("--undo", help="Make the version before the last the newest again")
    ] = False,
) -> None:
    """List the versions of a session's plan; bring one back."""
    from emblar.formats.studio import VersionRow, VersionsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.plan.actions.versions import undo_plan, use_version, versions

    if use is not None and undo:
        raise InputError("--use and --undo are two wishes. Give one.")
    with database_at_hand():
        if use is not None:
            use_version(HERE, session, use)
        if undo:
            undo_plan(HERE, session)
        rows = [
            VersionRow(version=v.version, says=v.says, created_at=v.created_at, restores=v.restores)
            for v in versions(HERE, session)
        ]
    print_json(VersionsFile(session=session, versions=rows))


def recipes_command(
    style: Annotated[
        str | None, typer.Option("--style", help="Only of this style, as Brief says it")
    ] = None,
) -> None:
    """List what worked before, by style: recipes of drums that were tuned to their plan."""
    from emblar.formats.recipes import RecipesFile
    from emblar.formats.studio import WorkedFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.plan.actions.recipes import worked

    styles: dict[str, list[RecipesFile]] = {}
    with database_at_hand():
        for row in worked(HERE):
            if style is None or row.style.lower() == style.lower():
                styles.setdefault(row.style, []).append(row.recipes)
    print_json(WorkedFile(styles=styles))
