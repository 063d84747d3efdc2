"""Listen: bring a recording, watch the analysis, look and hear."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.actions import strokes
from emblar.actions.listen import (
    bring_recording,
    cancel_analysis,
    heard,
    one_reference,
    reference_of,
)
from emblar.actions.listen_files import ListenFile, listen_file, stem_file
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
    page = listen_page(work, around, start, stop, strokes.last_correction(session_id))
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


def _back(session_id: int, sel: str, start: float, stop: float) -> Response:
    return go(f"/sessions/{session_id}/listen?sel={sel}&start={start:.2f}&stop={stop:.2f}")


@router.post("/strokes/move")
def stroke_to_voice(
    session_id: int,
    index: Annotated[int, Form()],
    voice: Annotated[str, Form()],
    start: Annotated[float, Form()],
    stop: Annotated[float, Form()],
) -> Response:
    """Give a stroke to another voice."""
    strokes.move_stroke(session_id, index, voice)
    return _back(session_id, voice, start, stop)


@router.post("/strokes/take-out")
def stroke_out(
    session_id: int,
    index: Annotated[int, Form()],
    sel: Annotated[str, Form()],
    start: Annotated[float, Form()],
    stop: Annotated[float, Form()],
) -> Response:
    """Take a stroke out."""
    strokes.take_out_stroke(session_id, index)
    return _back(session_id, sel, start, stop)


@router.post("/strokes/put-in")
def stroke_in(
    session_id: int,
    time_s: Annotated[float, Form()],
    voice: Annotated[str, Form()],
    start: Annotated[float, Form()],
    stop: Annotated[float, Form()],
) -> Response:
    """Put a stroke in where none was found."""
    strokes.put_in_stroke(session_id, time_s, voice)
    return _back(session_id, voice, start, stop)


@router.post("/toms/{what}")
def toms(
    session_id: int, what: Literal["split", "merge"], voice: Annotated[str, Form()]
) -> Response:
    """Split a tom in two, or make one of it and the next lower one."""
    {"split": strokes.split, "merge": strokes.merge}[what](session_id, voice)
    return go(f"/sessions/{session_id}/listen?sel={voice}")


@router.post("/take-back")
def take_back(session_id: int, sel: str = "") -> Response:
    """Take the last correction back."""
    strokes.take_back(session_id)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.get("/strokes.{container}")
def strokes_file(session_id: int, container: Literal["mid", "csv", "jams"]) -> Response:
    """Return the strokes as a file."""
    file = listen_file(session_id, f"strokes.{container}")
    return _download(file)


@router.get("/card.{container}")
def card_file(session_id: int, container: Literal["json", "csv"]) -> Response:
    """Return the sound cards as a file."""
    return _download(listen_file(session_id, f"card.{container}"))


@router.get("/stems/{part}.flac")
def stem(session_id: int, part: str) -> Response:
    """Return drums, drumless rest or one voice as FLAC."""
    return _download(stem_file(session_id, part))


def _download(file: ListenFile) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{file.name}"'}
    return Response(file.data, media_type=file.media_type, headers=headers)
