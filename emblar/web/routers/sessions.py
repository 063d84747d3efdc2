"""The list of sessions: start one, delete it, bring it back."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.actions.sessions import (
    Brief,
    all_sessions,
    delete_session,
    restore_session,
    start_session,
)
from emblar.web.pages.sessions import sessions_page
from emblar.web.routers.context import go
from emblar.web.templating import render

router = APIRouter()


@router.get("/")
def listing(request: Request, undo: int | None = None) -> Response:
    """Show every session."""
    page = sessions_page(all_sessions(), datetime.now(UTC), undo)
    return render(request, "sessions/page.html", {"page": page})


@router.post("/sessions")
def start(name: Annotated[str, Form()], artist: Annotated[str, Form()] = "") -> Response:
    """Start a session and go to Listen."""
    session = start_session(Brief(name=name, artist=artist))
    return go(f"/sessions/{session.id}/listen")


@router.get("/sessions/{session_id}")
def enter(session_id: int) -> Response:
    """Go to the step where the work is."""
    return go(f"/sessions/{session_id}/listen")


@router.post("/sessions/{session_id}/delete")
def delete(session_id: int) -> Response:
    """Delete a session, offering to bring it back."""
    delete_session(session_id)
    return go(f"/?undo={session_id}")


@router.post("/sessions/{session_id}/restore")
def restore(session_id: int) -> Response:
    """Bring a session back."""
    restore_session(session_id)
    return go("/")
