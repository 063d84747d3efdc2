"""Share: make links, end them, answer what was said through them."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.core.errors import InputError
from emblar.frame.fields import Id, Text, as_number
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.network import answered_at
from emblar.platform.studio import Studio, check_session
from emblar.steps.accounts.actions import LoggedIn
from emblar.steps.kit.actions.drums import kit
from emblar.steps.share import actions
from emblar.steps.share.page.links import share_page
from emblar.steps.workspace.routes import go, load

OWNER = "Here"
"""Who says it where nobody has to log in."""
router = APIRouter(prefix="/sessions/{session_id}/share", route_class=ReadAtOnce)


def _shown(
    request: Request,
    studio: Studio,
    session_id: int,
    token: str = "",
    *,
    phone: bool = False,
    back: str = "sheet",
) -> Response:
    _, around = load(studio, session_id, "sheet", "")
    page = share_page(
        session_id,
        actions.shares(studio, session_id),
        actions.comments_on(studio, session_id),
        token,
        reaches_others=bool(answered_at()),
        phone=phone,
        back=back,
        drums=kit(studio, session_id),
    )
    return render(request, "share/page.html", {"page": page, "frame": around})


@router.get("")
def show(studio: Here, request: Request, session_id: Id, back: str = "sheet") -> Response:
    """Show the links that are open, and what was said through them."""
    return _shown(request, studio, session_id, back=back)


@router.post("")
def make(
    studio: Here,
    request: Request,
    session_id: Id,
    name: Annotated[Text, Form()] = "",
    parts: Annotated[list[str] | None, Form()] = None,
    days: Annotated[Text, Form()] = "7",
) -> Response:
    """Make a link and show it, this once."""
    check_session(studio, session_id)
    try:
        count = float(as_number(days))
    except ValueError as error:
        raise InputError(f"“{days[:20]}” is not a number of days.", field="days") from error
    token = actions.make_share(studio, session_id, name, parts or [], round(count))
    return _shown(request, studio, session_id, token)


@router.post("/phone")
def phone(
    studio: Here, request: Request, session_id: Id, back: Annotated[Text, Form()] = "sheet"
) -> Response:
    """Pair a phone with the bench of this session, where phones are let in."""
    check_session(studio, session_id)
    token = actions.pair_phone(studio, session_id) if answered_at() else ""
    return _shown(request, studio, session_id, token, phone=True, back=back)


@router.post("/{share_id}/end")
def end(studio: Here, session_id: Id, share_id: Id) -> Response:
    """End a link."""
    actions.end_share(studio, session_id, share_id)
    return go(f"/sessions/{session_id}/share")


@router.post("/say")
def say(
    studio: Here,
    request: Request,
    session_id: Id,
    drum: Annotated[int, Form(ge=1)],
    text: Annotated[Text, Form(alias="said")] = "",
    more: Annotated[Text, Form()] = "",
) -> Response:
    """Keep what somebody with an account says of a drum."""
    check_session(studio, session_id)
    login: LoggedIn | None = getattr(request.state, "entered", None)
    user = login.account.name if login is not None else OWNER
    quantity, _, way = more.partition(":")
    actions.say_here(studio, session_id, drum, user, text, quantity, more=way != "less")
    return go(f"/sessions/{session_id}/share")


@router.post("/said/{comment_id}/accept")
def accept(studio: Here, session_id: Id, comment_id: Id) -> Response:
    """Take what was said as a wish and plan the drum with it."""
    actions.accept(studio, session_id, comment_id)
    return go(f"/sessions/{session_id}/share")


@router.post("/said/{comment_id}/aside")
def aside(studio: Here, session_id: Id, comment_id: Id) -> Response:
    """Leave what was said as it is."""
    actions.set_aside(studio, session_id, comment_id)
    return go(f"/sessions/{session_id}/share")
