"""``emblar backup`` and ``emblar restore``: the whole database as one file."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from emblar.core.errors import InputError


def backup_command(
    file: Annotated[Path, typer.Argument(help="Where the backup goes")],
) -> None:
    """Back everything up into one file, while Emblar runs or not."""
    from emblar.platform.backup import backup
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.settings import settings

    with database_at_hand():
        size = backup(settings().database_url, file)
    json.dump({"file": str(file), "bytes": size}, sys.stdout)
    sys.stdout.write("\n")


def restore_command(
    file: Annotated[Path, typer.Argument(help="A file that emblar backup wrote")],
    replace: Annotated[
        bool, typer.Option("--replace", help="Replace what is there; it is backed up first")
    ] = False,
) -> None:
    """Put a backup in the place of what is there. Emblar must not be running."""
    from emblar.platform.backup import Backups, restore
    from emblar.platform.database import engine
    from emblar.platform.running_database import database, only_one
    from emblar.platform.settings import settings
    from emblar.platform.studio import HERE
    from emblar.steps.sessions.actions.editing import all_sessions

    if not file.is_file():
        raise InputError(f"{file} cannot be read: there is no such file.")
    with only_one(settings().home), database():
        kept = None
        available = len(all_sessions(HERE))
        if available and not replace:
            raise InputError(
                f"This database has {available} sessions. To replace them by the backup, add "
                "--replace; they are backed up first."
            )
        if available:
            kept = Backups(settings().home).make()
        engine().dispose()
        header = restore(settings().database_url, file)
        result = len(all_sessions(HERE))
    json.dump(
        {"sessions": result, "made_at": header.get("made_at"), "kept": str(kept) if kept else None},
        sys.stdout,
    )
    sys.stdout.write("\n")
