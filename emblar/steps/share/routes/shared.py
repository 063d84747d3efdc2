"""What a shared link shows, and nothing else: these routes are all that strangers reach."""

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request, Response
from fastapi import Path as InPath

from emblar.core.errors import InputError
from emblar.frame.fields import Id, Text
from emblar.frame.templating import render
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.match.actions.comparison import Match, match
from emblar.steps.match.actions.sound import pair_sounds
from emblar.steps.plan.actions.planning import latest_plan, planned_sound
from emblar.steps.sessions.actions.editing import one_session
from emblar.steps.share.actions import LONGEST_TOKEN, Opened, open_share, said_through, say
from emblar.steps.share.page.shared import SharedPage, shared_page
from emblar.steps.sheet.actions import sheet
from emblar.steps.sheet.page import sheet_page
from emblar.steps.workspace.routes import go

router = APIRouter(prefix="/s/{token}")
Token = Annotated[str, InPath(max_length=LONGEST_TOKEN)]
What = Literal["planned", "record", "take"]


@router.get("")
def show(request: Request, token: Token) -> Response:
    """Show what the link is for."""
    page = _page(open_share(token, count=True), token)
    return render(request, "share/shared.html", {"page": page})


def _page(opened: Opened, token: str) -> SharedPage:
    studio, session_id = opened.studio, opened.session_id
    plan = latest_plan(studio, session_id)
    planned = plan.drums if plan is not None else {}
    parts = opened.share.parts
    result = sheet_page(sheet(studio, session_id)) if "sheet" in parts and planned else None
    drums = [
        (drum, planned.get(drum.id), _match(opened, drum) if drum.id in planned else None)
        for drum in kit(studio, session_id)
    ]
    session = one_session(studio, session_id)
    return shared_page(opened, token, session, drums, result, said_through(opened))


def _match(opened: Opened, drum: KitDrum) -> Match | None:
    if not {"match", "sounds"} & set(opened.share.parts):
        return None
    try:
        return match(opened.studio, opened.session_id, drum.id)
    except InputError:
        return None


@router.get("/drums/{slot_id}/{what}.wav")
def sound(token: Token, slot_id: Id, what: What) -> Response:
    """Return how a drum sounds as planned, on the record, or in its newest take."""
    opened = open_share(token)
    opened.check("sounds")
    studio, session_id = opened.studio, opened.session_id
    if what == "planned":
        data = planned_sound(studio, session_id, slot_id, "stroke")
    else:
        data = pair_sounds(studio, session_id, slot_id, None)[0 if what == "record" else 1]
    return Response(data, media_type="audio/wav")


@router.post("/drums/{slot_id}/say")
def comment(
    token: Token,
    slot_id: Id,
    author: Annotated[Text, Form(alias="who")] = "",
    text: Annotated[Text, Form(alias="said")] = "",
    more: Annotated[Text, Form()] = "",
) -> Response:
    """Keep what somebody says of a drum."""
    quantity, _, way = more.partition(":")
    say(open_share(token), slot_id, author, text, quantity, more=way != "less")
    return go(f"/s/{token}#drum-{slot_id}")
