"""``emblar share`` and ``emblar network``: links for others, and whether they are let in."""

from typing import Annotated

import typer

from emblar.frame.commands import SessionId, print_json


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
    from emblar.platform.studio import HERE
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
    print_json(LinksFile(session=session, links=rows, address=address))


def network_command(
    let_in: Annotated[
        bool | None,
        typer.Option("--let-in/--keep-out", help="Let phones and shared links in, or nobody"),
    ] = None,
) -> None:
    """Say whether others on the network are let in; let them in, or keep them out again."""
    from emblar.formats.studio import NetworkFile
    from emblar.platform.network import answered_at, keep_others_out, let_others_in
    from emblar.steps.share.page.links import link_begins, phone_begins

    if let_in is not None:
        (let_others_in if let_in else keep_others_out)()
    others = bool(answered_at())
    phones = phone_begins() if others else None
    print_json(NetworkFile(others_let_in=others, links=link_begins(), phones=phones))
