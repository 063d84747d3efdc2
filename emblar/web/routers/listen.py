"""Listen: bring a recording, watch the analysis, look and hear."""

from typing import Annotated

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.actions.listen import (
    bring_recording,
    cancel_analysis,
    heard,
    one_reference,
    reference_of,
)
from emblar.core.errors import NotFoundError
from emblar.web.pages.listen import listen_page, peaks_window
from emblar.web.routers.context import go, load
from emblar.web.templating import render

router = APIRouter(prefix="/sessions/{session_id}/listen")


@router.get("")
def show(
    request: Request,
    session_id: int,
    sel: str = "",
    start: float | None = None,
    stop: float | None = None,
) -> Response:
    """Show what was heard, or how far it is, or where to bring a recording."""
    work, around = load(session_id, "listen", sel)
    page = listen_page(work, around, start, stop)
    return render(request, "listen/page.html", {"page": page, "frame": around})


@router.get("/progress")
def progress(request: Request, session_id: int, reference: int) -> Response:
    """Show how far the analysis is; when it has ended, have the browser load the step anew."""
    info = one_reference(reference)
    if not info.active:
        return Response(headers={"HX-Redirect": f"/sessions/{session_id}/listen"})
    return render(request, "listen/_progress.html", {"reference": info})


@router.get("/waveform")
def waveform(session_id: int, start: float, stop: float) -> dict[str, list[float]]:
    """Return the waveform's lowest and highest values between two times in s."""
    found = heard(session_id)
    if found is None:
        raise NotFoundError("Nothing is analysed in this session yet.")
    return peaks_window(found, start, stop)


@router.post("/recording")
def bring(
    session_id: int,
    file: Annotated[UploadFile, File()],
    kind: Annotated[str, Form()] = "auto",
) -> Response:
    """Keep a recording and have it analysed."""
    bring_recording(session_id, file.filename or "", file.file.read(), kind)
    return go(f"/sessions/{session_id}/listen")


@router.post("/cancel")
def cancel(session_id: int) -> Response:
    """Cancel the analysis that is waiting or running."""
    reference = reference_of(session_id)
    if reference is not None:
        cancel_analysis(reference.id)
    return go(f"/sessions/{session_id}/listen")
