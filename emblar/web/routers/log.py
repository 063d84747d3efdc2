"""Log: drums over the sessions."""

from fastapi import APIRouter, Request, Response

from emblar.actions import log as actions
from emblar.formats.log import log_csv
from emblar.web.pages.log import drum_log_page, log_page
from emblar.web.routers.fields import Id, Text
from emblar.web.routers.here import Here
from emblar.web.templating import render

router = APIRouter()


@router.get("/log")
def show(scope: Here, request: Request, q: Text = "") -> Response:
    """Show every drum with what was last read on it."""
    page = log_page(actions.log(scope, q), q)
    return render(request, "log/page.html", {"page": page})


@router.get("/log/drums/{drum_id}")
def drum(scope: Here, request: Request, drum_id: Id) -> Response:
    """Show one drum over time."""
    page = drum_log_page(actions.drum_log(scope, drum_id))
    return render(request, "log/drum.html", {"page": page})


@router.get("/log.json")
def as_json(scope: Here) -> Response:
    """Return the whole log as JSON."""
    data = actions.log_file(scope).model_dump_json(by_alias=True, indent=2)
    return _download(data, "emblar-log.json", "application/json")


@router.get("/log.csv")
def as_csv(scope: Here) -> Response:
    """Return every reading as CSV."""
    return _download(log_csv(actions.log_file(scope)), "emblar-log.csv", "text/csv; charset=utf-8")


def _download(data: str, name: str, media_type: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(data, media_type=media_type, headers=headers)
