"""Muffle: one thing laid on a drum at a time, a stroke before and a stroke after."""

from typing import Annotated

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.frame.fields import Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.bench.actions.muffling import (
    lay,
    muffled_stroke,
    muffling,
    muffling_done,
    take_off,
    take_stroke_back,
)
from emblar.steps.bench.page.muffling import muffle_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/bench/{slot_id}/muffle", route_class=ReadAtOnce)


def _back(session_id: int, slot_id: int) -> Response:
    return go(f"/sessions/{session_id}/bench/{slot_id}/muffle")


@router.get("")
def show(scope: Here, request: Request, session_id: Id, slot_id: Id) -> Response:
    """Show what to do next, and the strokes so far."""
    view = muffling(scope, session_id, slot_id)
    _, around = load(scope, session_id, "bench", f"d{slot_id}")
    page = muffle_page(view, session_id)
    return render(request, "bench/muffle.html", {"page": page, "frame": around})


@router.post("/stroke")
def stroke(
    scope: Here, session_id: Id, slot_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Read a stroke with what lies on the drum."""
    muffled_stroke(scope, session_id, slot_id, file.file.read())
    return _back(session_id, slot_id)


@router.post("/on")
def on(scope: Here, session_id: Id, slot_id: Id, damper: Annotated[Text, Form()]) -> Response:
    """Keep that something was laid on."""
    lay(scope, session_id, slot_id, damper)
    return _back(session_id, slot_id)


@router.post("/off")
def off(scope: Here, session_id: Id, slot_id: Id, damper: Annotated[Text, Form()]) -> Response:
    """Keep that something was taken off."""
    take_off(scope, session_id, slot_id, damper)
    return _back(session_id, slot_id)


@router.post("/back")
def back(
    scope: Here, session_id: Id, slot_id: Id, whole: Annotated[bool, Form()] = False
) -> Response:
    """Remove the last stroke, or all of them."""
    take_stroke_back(scope, session_id, slot_id, all_of_it=whole)
    return _back(session_id, slot_id)


@router.post("/done")
def done(scope: Here, session_id: Id, slot_id: Id) -> Response:
    """Leave it as it is; the bench goes on."""
    muffling_done(scope, session_id, slot_id)
    return go(f"/sessions/{session_id}/bench?sel=d{slot_id}")
