"""``emblar sessions``, ``kits``, ``plans`` and ``share``: what a studio keeps, from the shell."""

import sys
from typing import Annotated

import typer
from pydantic import BaseModel

from emblar.core.errors import InputError

SessionId = Annotated[int, typer.Argument(help="The session's number: see emblar sessions")]


def _print(file: BaseModel) -> None:
    sys.stdout.write(file.model_dump_json(by_alias=True, indent=2) + "\n")


def sessions_command() -> None:
    """List the sessions, the newest first."""
    from emblar.formats.studio import SessionRow, SessionsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.scope import HERE
    from emblar.steps.sessions.actions.editing import all_sessions

    with database_at_hand():
        rows = [
            SessionRow(
                id=s.id,
                name=s.name,
                studio=s.studio,
                artist=s.artist,
                drums=s.drums,
                downbeat_at=s.downbeat_at,
                recordings=s.recordings,
                plan_version=s.plan_version,
            )
            for s in all_sessions(HERE)
        ]
    _print(SessionsFile(sessions=rows))


def kits_command(
    session: Annotated[int | None, typer.Argument(help="A session to bring a kit to")] = None,
    use: Annotated[
        str | None, typer.Option("--use", help="The kit to bring, by its source as listed")
    ] = None,
    keep: Annotated[
        str | None, typer.Option("--keep", help="Keep the session's kit by this name")
    ] = None,
    instead: Annotated[
        bool, typer.Option("--instead", help="Remove the drums that are in the session's kit now")
    ] = False,
) -> None:
    """List the kits there are; add one to a session, or save a session's kit by name."""
    from emblar.formats.studio import KitRow, KitsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.scope import HERE
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
    _print(KitsFile(kits=rows))


def plans_command(
    session: SessionId,
    use: Annotated[
        int | None, typer.Option("--use", help="Bring this version back as the newest")
    ] = None,
    undo: Annotated[
        bool, typer.Option("--undo", help="Bring the version before the last back")
    ] = False,
) -> None:
    """List the versions of a session's plan; bring one back."""
    from emblar.formats.studio import VersionRow, VersionsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.scope import HERE
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
    _print(VersionsFile(session=session, versions=rows))


def share_command(
    session: SessionId,
    name: Annotated[
        str | None, typer.Option("--for", help="Make a link for somebody, by name")
    ] = None,
    part: Annotated[
        list[str] | None, typer.Option("--part", help="What it shows: sheet, match, sounds")
    ] = None,
    days: Annotated[int, typer.Option("--days", help="How long it lasts")] = 7,
    end: Annotated[int | None, typer.Option("--end", help="End the link with this id")] = None,
) -> None:
    """List a session's open links; make one, or end one."""
    from emblar.formats.studio import LinkRow, LinksFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.scope import HERE
    from emblar.steps.share.actions import end_share, make_share, shares
    from emblar.steps.share.page.links import link_begins

    with database_at_hand():
        address = None
        if end is not None:
            end_share(HERE, session, end)
        if name is not None:
            token = make_share(HERE, session, name, part or ["sheet"], days)
            address = f"{link_begins()}/s/{token}"
        rows = [
            LinkRow(
                id=s.id, name=s.name, parts=list(s.parts), expires_at=s.expires_at, opened=s.opened
            )
            for s in shares(HERE, session)
        ]
    _print(LinksFile(session=session, links=rows, address=address))


def recipes_command(
    style: Annotated[
        str | None, typer.Option("--style", help="Only of this style, as Brief says it")
    ] = None,
) -> None:
    """List what worked before, by style: recipes of drums that were tuned to their plan."""
    from emblar.formats.recipes import RecipesFile
    from emblar.formats.studio import WorkedFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.scope import HERE
    from emblar.steps.plan.actions.recipes import worked

    styles: dict[str, list[RecipesFile]] = {}
    with database_at_hand():
        for row in worked(HERE):
            if style is None or row.style.lower() == style.lower():
                styles.setdefault(row.style, []).append(row.recipes)
    _print(WorkedFile(styles=styles))
