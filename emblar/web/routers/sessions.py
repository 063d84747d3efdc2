"""The list of sessions: start one, delete it, bring it back."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.actions.once import only_once
from emblar.actions.sessions import (
    Brief,
    all_sessions,
    delete_session,
    restore_session,
    start_session,
)
from emblar.settings import now
from emblar.web.pages.sessions import sessions_page
from emblar.web.routers.context import go
from emblar.web.routers.fields import AskedId, Id, Text
from emblar.web.templating import render

router = APIRouter()


@router.get("/")
def listing(request: Request, undo: AskedId = None) -> Response:
    """Show every session."""
    page = sessions_page(all_sessions(), now(), undo)
    return render(request, "sessions/page.html", {"page": page})


@router.post("/sessions")
def start(
    name: Annotated[Text, Form()] = "",
    artist: Annotated[Text, Form()] = "",
    once: Annotated[Text, Form()] = "",
) -> Response:
    """Start a session and go to Listen."""
    brief = Brief(name=name, artist=artist)

    def make() -> str:
        return f"/sessions/{start_session(brief).id}/listen"

    return go(only_once(once, brief, make))


@router.get("/sessions/{session_id}")
def enter(session_id: Id) -> Response:
    """Go to the step where the work is."""
    return go(f"/sessions/{session_id}/listen")


@router.post("/sessions/{session_id}/delete")
def delete(session_id: Id) -> Response:
    """Delete a session, offering to bring it back."""
    delete_session(session_id)
    return go(f"/?undo={session_id}")


@router.post("/sessions/{session_id}/restore")
def restore(session_id: Id) -> Response:
    """Bring a session back."""
    restore_session(session_id)
    return go("/")
