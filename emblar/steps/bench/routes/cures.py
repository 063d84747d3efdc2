"""Cures: when a drum chokes, and tricks."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.frame.fields import Id, Text
from emblar.frame.here import Here
from emblar.frame.notice import notice_query
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.bench.actions.cures import cures_of, use_cure
from emblar.steps.bench.page.cures import cures_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/bench/{slot_id}/cures", route_class=ReadAtOnce)


@router.get("")
def show(studio: Here, request: Request, session_id: Id, slot_id: Id) -> Response:
    """Show what can be done about a drum."""
    view = cures_of(studio, session_id, slot_id)
    _, around = load(studio, session_id, "bench", f"d{slot_id}")
    return render(
        request, "bench/cures.html", {"page": cures_page(view, session_id), "frame": around}
    )


@router.post("")
def use(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    cure: Annotated[Text, Form()],
    place: Annotated[int, Form(ge=0, le=99)],
) -> Response:
    """Plan a drum so and go on at the bench, or hear what a trick does."""
    used = use_cure(studio, session_id, slot_id, cure, place)
    if used.purpose != "choke":
        return go(f"/sessions/{session_id}/bench/{slot_id}/muffle")
    says = notice_query(f"Planned: {used.title}.")
    return go(f"/sessions/{session_id}/bench?sel=d{slot_id}{says}")
