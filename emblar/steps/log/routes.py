"""Log: drums over the sessions."""

import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, File, Form, Request, Response, UploadFile
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from emblar.formats.log import log_csv
from emblar.frame.fields import AskedId, Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.studio import check_session
from emblar.steps.kit.actions.drums import delete_drum, restore_drum
from emblar.steps.log.actions import entries as actions
from emblar.steps.log.page import drum_log_page, log_page
from emblar.steps.plan.actions.recipes import worked
from emblar.steps.plan.page.recipes import worked_page
from emblar.steps.sessions.actions.export import BY_PAGE, export_everything, import_everything
from emblar.steps.shelf.actions import dampers_learned
from emblar.steps.workspace.routes import go

router = APIRouter(route_class=ReadAtOnce)


@router.get("/log")
def show(studio: Here, request: Request, q: Text = "", undo: AskedId = None) -> Response:
    """Show every drum with what was last read on it."""
    page = log_page(studio.catalogue(), actions.log(studio, q), q, dampers=dampers_learned(studio))
    return render(request, "log/page.html", {"page": page, "undo": undo})


@router.post("/log/drums/{drum_id}/delete")
def delete(studio: Here, drum_id: Id) -> Response:
    """Delete a drum from the studio, offering to undo it."""
    delete_drum(studio, drum_id)
    return go(f"/log?undo={drum_id}")


@router.post("/log/drums/{drum_id}/restore")
def restore(studio: Here, drum_id: Id) -> Response:
    """Undo the deletion of a drum."""
    restore_drum(studio, drum_id)
    return go(f"/log/drums/{drum_id}")


@router.get("/log/everything")
def everything(studio: Here) -> Response:
    """Return everything of the studio as one file."""
    with tempfile.NamedTemporaryFile(prefix="emblar-", suffix=".zip", delete=False) as held:
        file = Path(held.name)
    try:
        export_everything(studio, file)
    except BaseException:
        file.unlink(missing_ok=True)
        raise
    gone = BackgroundTask(file.unlink, missing_ok=True)
    return FileResponse(
        file, media_type="application/zip", filename="emblar-everything.zip", background=gone
    )


@router.post("/log/everything")
def bring(
    studio: Here,
    request: Request,
    file: Annotated[UploadFile, File()],
    skip: Annotated[bool, Form()] = False,
) -> Response:
    """Add what an export holds to the studio's data."""
    imported = import_everything(studio, file.file, BY_PAGE, skip_known=skip)
    page = log_page(studio.catalogue(), actions.log(studio), "", imported, dampers_learned(studio))
    return render(request, "log/page.html", {"page": page, "undo": None})


@router.get("/log/recipes")
def worked_before(studio: Here, request: Request, session: Id | None = None) -> Response:
    """Show recipes that worked, by style; from a session they can be used there."""
    if session is not None:
        check_session(studio, session)
    page = worked_page(studio.catalogue(), worked(studio), session)
    return render(request, "log/recipes.html", {"page": page})


@router.get("/log/drums/{drum_id}")
def drum(studio: Here, request: Request, drum_id: Id) -> Response:
    """Show one drum over time."""
    page = drum_log_page(studio.catalogue(), actions.drum_log(studio, drum_id))
    return render(request, "log/drum.html", {"page": page})


@router.get("/log.json")
def as_json(studio: Here) -> Response:
    """Return the whole log as JSON."""
    data = actions.log_file(studio).model_dump_json(by_alias=True, indent=2)
    return _download(data, "emblar-log.json", "application/json")


@router.get("/log.csv")
def as_csv(studio: Here) -> Response:
    """Return every reading as CSV."""
    return _download(log_csv(actions.log_file(studio)), "emblar-log.csv", "text/csv; charset=utf-8")


def _download(data: str, name: str, media_type: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(data, media_type=media_type, headers=headers)
