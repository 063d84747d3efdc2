"""Evening: the work until the downbeat, as a page, a calendar and JSON."""

from fastapi import APIRouter, Request, Response

from emblar.actions.evening import evening, evening_calendar, evening_file
from emblar.core.errors import InputError
from emblar.web.pages.evening import EveningPage, evening_page
from emblar.web.routers.context import load
from emblar.web.routers.fields import Id
from emblar.web.routers.here import Here
from emblar.web.routers.reading import ReadAtOnce
from emblar.web.templating import render

router = APIRouter(prefix="/sessions/{session_id}", route_class=ReadAtOnce)


@router.get("/evening")
def show(scope: Here, request: Request, session_id: Id, sel: str = "") -> Response:
    """Show the evening."""
    _, around = load(scope, session_id, "sheet", sel)
    try:
        slots = {drum.owned.name: drum.id for drum in around.drums}
        page = evening_page(evening(scope, session_id), session_id, slots)
    except InputError as error:
        page = EveningPage("", str(error), (), (), None, ())
    return render(request, "evening/page.html", {"page": page, "frame": around})


@router.get("/evening.ics")
def as_calendar(scope: Here, session_id: Id) -> Response:
    """Return the evening as an iCalendar file."""
    headers = {"Content-Disposition": 'attachment; filename="evening.ics"'}
    return Response(
        evening_calendar(scope, session_id), media_type="text/calendar", headers=headers
    )


@router.get("/evening.json")
def as_json(scope: Here, session_id: Id) -> Response:
    """Return the evening's jobs as ``emblar.evening/1``."""
    text = evening_file(evening(scope, session_id)).model_dump_json(by_alias=True, indent=2)
    headers = {"Content-Disposition": 'attachment; filename="evening.json"'}
    return Response(text, media_type="application/json", headers=headers)
