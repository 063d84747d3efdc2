"""The list of sessions: start one, delete it, bring it back."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.frame.fields import AskedId, Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.once import only_once
from emblar.platform.settings import current_time
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.saved import bring_kit, kit_choices
from emblar.steps.sessions.actions.editing import (
    SessionBrief,
    delete_session,
    restore_session,
    start_session,
)
from emblar.steps.sessions.actions.home import home, next_step
from emblar.steps.sessions.page import AT_ONCE, sessions_page, step_href
from emblar.steps.workspace.routes import go

router = APIRouter(route_class=ReadAtOnce)


@router.get("/")
def listing(
    studio: Here, request: Request, undo: AskedId = None, before: AskedId = None
) -> Response:
    """Show the newest sessions, or those that come after one."""
    rows = home(studio, before=before, most=AT_ONCE + 1)
    page = sessions_page(rows, kit_choices(studio), current_time(), undo, before=before)
    return render(request, "sessions/page.html", {"page": page})


@router.post("/sessions")
def start(
    studio: Here,
    name: Annotated[Text, Form()] = "",
    artist: Annotated[Text, Form()] = "",
    kit: Annotated[Text, Form()] = "",
    once: Annotated[Text, Form()] = "",
) -> Response:
    """Start a session and go to Listen."""
    brief = SessionBrief(name=name, artist=artist)

    def make(studio: Studio) -> str:
        session = start_session(studio, brief).id
        if kit:
            bring_kit(studio, session, kit)
        return f"/sessions/{session}/listen"

    return go(only_once(studio, once, (brief, kit), make))


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
