"""Sing it: a wish for a drum by two mouth sounds."""

from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile

from emblar.core.planning.sung import MOST_STEPS
from emblar.frame.fields import Id
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.plan.actions.sung import hear_sung, sung_drum, use_sung
from emblar.steps.plan.page.sung import sung_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/plan/sung/{drum_id}", route_class=ReadAtOnce)
AskedSteps = Annotated[float | None, Query(ge=-MOST_STEPS, le=MOST_STEPS)]
FormSteps = Annotated[float | None, Form(ge=-MOST_STEPS, le=MOST_STEPS)]


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    drum_id: Id,
    sung: Annotated[bool, Query(alias="heard")] = False,
    length: AskedSteps = None,
    click: AskedSteps = None,
    falls: Annotated[float | None, Query(ge=-5000.0, le=5000.0)] = None,
) -> Response:
    """Show how to sing, or what was heard."""
    drum = sung_drum(studio, session_id, drum_id)
    _, around = load(studio, session_id, "plan", f"d{drum_id}")
    wished = {n: by for n, by in (("length", length), ("click", click)) if by is not None}
    page = sung_page(session_id, drum, wished if sung else None, falls)
    return render(request, "plan/sung.html", {"page": page, "frame": around})


@router.post("/take")
def sing(
    studio: Here, session_id: Id, drum_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Hear two mouth sounds."""
    wish = hear_sung(studio, session_id, drum_id, file.file.read())
    known = {name: f"{by:.2f}" for name, by in wish.wished.items()}
    if wish.falls_more_cents:
        known["falls"] = f"{wish.falls_more_cents:.0f}"
    query = urlencode({"heard": "true", **known})
    return go(f"/sessions/{session_id}/plan/sung/{drum_id}?{query}")


@router.post("/use")
def use(
    studio: Here,
    session_id: Id,
    drum_id: Id,
    length: FormSteps = None,
    click: FormSteps = None,
) -> Response:
    """Take the wish up."""
    sung_drum(studio, session_id, drum_id)
    wished = {n: by for n, by in (("length", length), ("click", click)) if by is not None}
    use_sung(studio, session_id, drum_id, wished)
    return go(f"/sessions/{session_id}/plan?sel=d{drum_id}")
