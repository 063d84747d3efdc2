"""Brief: what the session is about."""

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.actions.sessions import Brief, change_brief
from emblar.core.errors import InputError
from emblar.web.routers.context import go, load
from emblar.web.templating import render

router = APIRouter(prefix="/sessions/{session_id}")


@router.get("/brief")
def show(request: Request, session_id: int, sel: str = "") -> Response:
    """Show the brief."""
    _, around = load(session_id, "brief", sel)
    at = around.session.downbeat_at
    local = at.astimezone().strftime("%Y-%m-%dT%H:%M") if at else ""
    return render(request, "brief/page.html", {"frame": around, "downbeat_at": local})


@router.post("/brief")
def change(
    session_id: int,
    name: Annotated[str, Form()],
    artist: Annotated[str, Form()] = "",
    studio: Annotated[str, Form()] = "",
    wish: Annotated[str, Form()] = "",
    downbeat_at: Annotated[str, Form()] = "",
) -> Response:
    """Keep the brief and go on to Listen."""
    try:
        at = datetime.fromisoformat(downbeat_at).astimezone() if downbeat_at else None
    except ValueError as error:
        raise InputError(
            f"“{downbeat_at}” is not a date and time: write it as 2026-05-04T10:00."
        ) from error
    change_brief(session_id, Brief(name, studio, artist, wish, at))
    return go(f"/sessions/{session_id}/listen")
