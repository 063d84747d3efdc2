"""``emblar sessions`` and ``emblar start``: the sessions of a studio, and a new one."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from emblar.frame.commands import print_json

if TYPE_CHECKING:
    from emblar.formats.studio import SessionEntry
    from emblar.platform.sessions import Order, SessionInfo


def sessions_command(
    find: Annotated[str, typer.Option(help="Only sessions with this in song or artist.")] = "",
    order: Annotated[str, typer.Option(help="newest, downbeat or name.")] = "newest",
) -> None:
    """List the sessions, the newest first."""
    from emblar.formats.studio import SessionsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.sessions.actions.editing import all_sessions

    with database_at_hand():
        rows = [_entry(s) for s in all_sessions(HERE, find=find, order=_order(order))]
    print_json(SessionsFile(sessions=rows))


def start_command(
    recording: Annotated[Path, typer.Argument(help="The record, its drum stem or one stroke.")],
    name: Annotated[str, typer.Option(help="Song or session; else the file's name.")] = "",
    artist: Annotated[str, typer.Option(help="Who plays it.")] = "",
    kit: Annotated[str, typer.Option(help="As `emblar kits` lists it; else the last one.")] = "",
) -> None:
    """Start a session with a recording. The running studio analyses it."""
    from emblar.formats.studio import SessionsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.kit.actions.saved import kit_choices, usual_kit
    from emblar.steps.listen.commands.analyse import read_file
    from emblar.steps.sessions.actions.editing import SessionBrief, start_with_recording

    brief = SessionBrief(name=name, artist=artist)
    data = read_file(recording)
    with database_at_hand():
        source = kit or usual_kit(kit_choices(HERE))
        session = start_with_recording(HERE, brief, recording.name, data, kit=source)
    print_json(SessionsFile(sessions=[_entry(session)]))


def _order(text: str) -> "Order":
    from emblar.core.errors import InputError

    orders: tuple[Order, ...] = ("newest", "downbeat", "name")
    order = next((known for known in orders if known == text), None)
    if order is None:
        raise InputError(f"“{text}” is not an order of sessions. Choose {', '.join(orders)}.")
    return order


def _entry(session: "SessionInfo") -> "SessionEntry":
    from emblar.formats.studio import SessionEntry

    return SessionEntry(
        id=session.id,
        name=session.name,
        studio=session.studio,
        artist=session.artist,
        drums=session.drums,
        downbeat_at=session.downbeat_at,
        recordings=session.recordings,
        plan_version=session.plan_version,
    )
