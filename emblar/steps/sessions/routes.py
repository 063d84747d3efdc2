"""The list of sessions: start one, delete it, bring it back."""

from hashlib import sha256
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile

from emblar.frame.fields import AskedId, Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.once import only_once
from emblar.platform.sessions import Order
from emblar.platform.settings import current_time
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.saved import bring_kit, kit_choices, usual_kit
from emblar.steps.sessions.actions.editing import (
    SessionBrief,
    delete_session,
    restore_session,
    start_session,
    start_with_recording,
)
from emblar.steps.sessions.actions.home import example_is_pending, home, next_step, request_example
from emblar.steps.sessions.page import AT_ONCE, SessionChoice, sessions_page, step_href
from emblar.steps.workspace.routes import go

USUAL_KIT = "usual"
"""Asks for the kit that the page offers: that of the last session, or none."""
router = APIRouter(route_class=ReadAtOnce)


@router.get("/")
def listing(
    studio: Here,
    request: Request,
    undo: AskedId = None,
    find: Text = "",
    order: Order = "newest",
    skip: Annotated[int, Query(ge=0)] = 0,
    example: bool = False,
) -> Response:
    """Show the sessions a page at a time, all or those with a text in name or artist."""
    rows = home(studio, find=find, order=order, skip=skip, most=AT_ONCE + 1)
    choice = SessionChoice(find.strip(), order, skip)
    making = example and example_is_pending(studio)
    page = sessions_page(rows, kit_choices(studio), current_time(), undo, choice, making=making)
    return render(request, "sessions/page.html", {"page": page})


@router.post("/sessions")
def start(
    studio: Here,
    file: UploadFile | None = None,
    name: Annotated[Text, Form()] = "",
    artist: Annotated[Text, Form()] = "",
    kit: Annotated[Text, Form()] = "",
    once: Annotated[Text, Form()] = "",
) -> Response:
    """Start a session, with a recording or without, and go to Listen."""
    brief = SessionBrief(name=name, artist=artist)
    data, filename = (file.file.read(), file.filename or "") if file else (b"", "")
    if kit == USUAL_KIT:
        kit = usual_kit(kit_choices(studio))

    def make(studio: Studio) -> str:
        if filename:
            session = start_with_recording(studio, brief, filename, data, kit=kit)
        else:
            session = start_session(studio, brief)
            if kit:
                bring_kit(studio, session.id, kit)
        return f"/sessions/{session.id}/listen"

    sent = (brief, kit, filename, sha256(data).hexdigest())
    return go(only_once(studio, once, sent, make))


@router.post("/example")
def example(studio: Here) -> Response:
    """Have the example sessions made."""
    request_example(studio)
    return go("/?example=true")


@router.get("/sessions/{session_id}")
def enter(studio: Here, session_id: Id) -> Response:
    """Go to the step where the work is."""
    return go(step_href(session_id, next_step(studio, session_id)))


@router.post("/sessions/{session_id}/delete")
def delete(studio: Here, session_id: Id) -> Response:
    """Delete a session, offering to bring it back."""
    delete_session(studio, session_id)
    return go(f"/?undo={session_id}")


@router.post("/sessions/{session_id}/restore")
def restore(studio: Here, session_id: Id) -> Response:
    """Bring a session back."""
    restore_session(studio, session_id)
    return go("/")
