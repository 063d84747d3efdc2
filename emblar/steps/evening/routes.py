"""Evening: the work until the downbeat, as a page, a calendar and JSON."""

from fastapi import APIRouter, Request, Response

from emblar.core.errors import InputError
from emblar.frame.fields import Id
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.evening.actions import evening, evening_calendar, evening_file
from emblar.steps.evening.page import EveningPage, evening_page
from emblar.steps.workspace.routes import load

router = APIRouter(prefix="/sessions/{session_id}", route_class=ReadAtOnce)


@router.get("/evening")
def show(studio: Here, request: Request, session_id: Id, sel: str = "") -> Response:
    """Show the evening."""
    _, around = load(studio, session_id, "sheet", sel)
    try:
        slots = {drum.owned.name: drum.id for drum in around.drums}
        page = evening_page(evening(studio, session_id), session_id, slots)
    except InputError as error:
        page = EveningPage("", str(error), (), (), None, ())
    return render(request, "evening/page.html", {"page": page, "frame": around})


@router.get("/evening.ics")
def as_calendar(studio: Here, session_id: Id) -> Response:
    """Return the evening as an iCalendar file."""
    headers = {"Content-Disposition": 'attachment; filename="evening.ics"'}
    return Response(
        evening_calendar(studio, session_id), media_type="text/calendar", headers=headers
    )


@router.get("/evening.json")
def as_json(studio: Here, session_id: Id) -> Response:
    """Return the evening's jobs as ``emblar.evening/1``."""
    text = evening_file(evening(studio, session_id)).model_dump_json(by_alias=True, indent=2)
    headers = {"Content-Disposition": 'attachment; filename="evening.json"'}
    return Response(text, media_type="application/json", headers=headers)
