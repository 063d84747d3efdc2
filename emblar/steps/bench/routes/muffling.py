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
def show(studio: Here, request: Request, session_id: Id, slot_id: Id) -> Response:
    """Show what to do next, and the strokes so far."""
    view = muffling(studio, session_id, slot_id)
    _, around = load(studio, session_id, "bench", f"d{slot_id}")
    page = muffle_page(studio.catalogue(), view, session_id)
    return render(request, "bench/muffle.html", {"page": page, "frame": around})


@router.post("/stroke")
def stroke(
    studio: Here, session_id: Id, slot_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Read a stroke with what lies on the drum."""
    muffled_stroke(studio, session_id, slot_id, file.file.read())
    return _back(session_id, slot_id)


@router.post("/on")
def on(studio: Here, session_id: Id, slot_id: Id, damper: Annotated[Text, Form()]) -> Response:
    """Keep that something was laid on."""
    lay(studio, session_id, slot_id, damper)
    return _back(session_id, slot_id)


@router.post("/off")
def off(studio: Here, session_id: Id, slot_id: Id, damper: Annotated[Text, Form()]) -> Response:
    """Keep that something was taken off."""
    take_off(studio, session_id, slot_id, damper)
    return _back(session_id, slot_id)


@router.post("/back")
def back(
    studio: Here, session_id: Id, slot_id: Id, whole: Annotated[bool, Form()] = False
) -> Response:
    """Remove the last stroke, or all of them."""
    take_stroke_back(studio, session_id, slot_id, all_of_it=whole)
    return _back(session_id, slot_id)


@router.post("/done")
def done(studio: Here, session_id: Id, slot_id: Id) -> Response:
    """Leave it as it is; the bench goes on."""
    muffling_done(studio, session_id, slot_id)
    return go(f"/sessions/{session_id}/bench?sel=d{slot_id}")
