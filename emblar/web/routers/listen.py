"""Listen: bring a recording, watch the analysis, look and hear."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.actions import evidence, strokes
from emblar.actions.listen import (
    bring_file_back,
    bring_recording,
    cancel_analysis,
    heard,
    one_reference,
    reference_of,
    take_file_away,
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
    file_back: int | None = None,
    evidence_back: int | None = None,
) -> Response:
    """Show what was heard, or how far it is, or where to bring a recording."""
    work, around = load(session_id, "listen", sel)
    page = listen_page(work, around, start, stop, strokes.last_correction(session_id))
    shown = {"page": page, "frame": around, "file_back": file_back, "evidence_back": evidence_back}
    return render(request, "listen/page.html", shown)


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
    beside: Annotated[bool, Form()] = False,
    drum: Annotated[str, Form()] = "",
) -> Response:
    """Keep a recording and have it analysed."""
    data = file.file.read()
    bring_recording(session_id, file.filename or "", data, kind, beside=beside, voice=drum or None)
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


@router.post("/files/{file_id}/take-away")
def file_away(session_id: int, file_id: int) -> Response:
    """Take a file away from the record."""
    take_file_away(file_id)
    return go(f"/sessions/{session_id}/listen?file_back={file_id}")


@router.post("/files/{file_id}/bring-back")
def file_back(session_id: int, file_id: int) -> Response:
    """Bring a file back that was taken away."""
    bring_file_back(file_id)
    return go(f"/sessions/{session_id}/listen")


@router.post("/regions")
def region(
    session_id: int,
    name: Annotated[str, Form()],
    start: Annotated[float, Form()],
    stop: Annotated[float, Form()],
    sel: Annotated[str, Form()],
    measure: Annotated[bool, Form()] = False,
) -> Response:
    """Name a stretch of the recording."""
    strokes.name_region(session_id, name, start, stop, measure=measure)
    return _back(session_id, sel, start, stop)


@router.post("/regions/forget")
def region_forgotten(
    session_id: int, name: Annotated[str, Form()], sel: Annotated[str, Form()]
) -> Response:
    """Take a named stretch away."""
    strokes.forget_region(session_id, name)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/evidence/value")
def evidence_value(
    session_id: int,
    sel: Annotated[str, Form()],
    quantity: Annotated[str, Form()],
    value: Annotated[float, Form()],
    trust: Annotated[str, Form()],
    source: Annotated[str, Form()] = "",
) -> Response:
    """Keep a value somebody gives."""
    evidence.give_value(session_id, sel, quantity, value, sd=None, trust=trust, source=source)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/evidence/gear")
def evidence_gear(
    session_id: int,
    sel: Annotated[str, Form()],
    words: Annotated[str, Form()],
    trust: Annotated[str, Form()],
) -> Response:
    """Keep what is known of the gear."""
    evidence.give_gear(session_id, sel, words, trust)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/evidence/{evidence_id}/take-away")
def evidence_away(session_id: int, evidence_id: int, sel: Annotated[str, Form()]) -> Response:
    """Take a piece of evidence away."""
    evidence.take_evidence_away(evidence_id)
    return go(f"/sessions/{session_id}/listen?sel={sel}&evidence_back={evidence_id}")


@router.post("/evidence/{evidence_id}/bring-back")
def evidence_back_again(session_id: int, evidence_id: int, sel: str = "") -> Response:
    """Bring a piece of evidence back."""
    evidence.bring_evidence_back(evidence_id)
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
