"""``emblar said``: what was said of a session's drums; say something, take it up, set it aside."""

from typing import TYPE_CHECKING, Annotated

import typer

from emblar.core.errors import InputError
from emblar.frame.commands import print_json

if TYPE_CHECKING:
    from emblar.formats.studio import SaidRow
    from emblar.steps.share.actions import Said


def said_command(
    session: Annotated[int, typer.Argument(help="The session's number: see emblar sessions")],
    drum: Annotated[
        int, typer.Option("--drum", help="Say something of this drum: 1 is the first of the kit")
    ] = 0,
    author: Annotated[str, typer.Option("--who", help="Who says it")] = "",
    words: Annotated[str, typer.Option("--words", help="In words")] = "",
    more: Annotated[
        str, typer.Option("--more", help="What there should be more of, or sustain:less")
    ] = "",
    take_up: Annotated[
        int | None, typer.Option("--take-up", help="Plan the drum with what was said, by its id")
    ] = None,
    aside: Annotated[int | None, typer.Option("--aside", help="Leave it as it is")] = None,
) -> None:
    """List what was said of a session's drums, the newest first."""
    from emblar.formats.studio import SaidFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.kit.actions.drums import kit
    from emblar.steps.share.actions import accept, comments_on, say_here, set_aside

    with database_at_hand():
        if drum or author or words or more:
            drums = kit(HERE, session)
            if not 1 <= drum <= len(drums):
                raise InputError(f"Say of which drum with --drum: 1 to {len(drums)}.")
            quantity, _, way = more.partition(":")
            say_here(HERE, session, drums[drum - 1].id, author, words, quantity, more=way != "less")
        if take_up is not None:
            accept(HERE, session, take_up)
        if aside is not None:
            set_aside(HERE, session, aside)
        result = comments_on(HERE, session)
    file = SaidFile(session=session, said=[_row(one) for one in result])
    print_json(file)


def _row(entry: "Said") -> "SaidRow":
    from emblar.formats.studio import SaidRow

    comment = entry.comment
    return SaidRow.model_validate(
        {
            "id": comment.id,
            "drum": entry.drum,
            "who": comment.author,
            "link": entry.link or None,
            "words": comment.text,
            "quantity": comment.quantity,
            "steps": comment.steps,
            "state": comment.state,
            "at": comment.created_at,
        }
    )
