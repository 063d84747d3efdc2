"""Listen: bring a recording, watch the analysis, look and hear."""

from hashlib import sha256
from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.core.errors import NotFoundError
from emblar.frame.fields import AskedId, AskedNumber, Id, Number, Text, chosen_strokes
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.once import only_once
from emblar.platform.studio import Studio
from emblar.steps.listen.actions import strokes
from emblar.steps.listen.actions.files import ListenFile, listen_file, stem_file
from emblar.steps.listen.actions.pitch_reading_sound import reading_sound
from emblar.steps.listen.actions.recordings import (
    analyse_again,
    analysed_record,
    bring_file_back,
    bring_recording,
    cancel_analysis,
    one_recording,
    open_file,
    recording_of,
    remove_file,
)
from emblar.steps.listen.page.record import listen_page, peaks_window
from emblar.steps.log.actions import evidence
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/listen", route_class=ReadAtOnce)


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    start: AskedNumber = None,
    stop: AskedNumber = None,
    file_back: AskedId = None,
    evidence_back: AskedId = None,
    done: AskedId = None,
    read: AskedId = None,
) -> Response:
    """Show what was heard, or how far it is, or where to bring a recording."""
    work, around = load(studio, session_id, "listen", sel)
    page = listen_page(work, around, start, stop, strokes.last_correction(studio, session_id))
    shown = {
        "page": page,
        "frame": around,
        "file_back": file_back,
        "evidence_back": evidence_back,
        "done": done,
        "read": read,
    }
    return render(request, "listen/page.html", shown)


@router.get("/progress")
def progress(
    studio: Here, request: Request, session_id: Id, recording: AskedId, line: bool = False
) -> Response:
    """Show how far the analysis is; when it has ended, have the browser load the step again."""
    info = one_recording(studio, session_id, recording or 0)
    if not info.active:
        return Response(headers={"HX-Redirect": f"/sessions/{session_id}/listen"})
    return render(request, "listen/_progress.html", {"recording": info, "line": line})


@router.get("/measured")
def measured(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    start: AskedNumber = None,
    stop: AskedNumber = None,
) -> Response:
    """Show the card as soon as the drum is measured anew; until then answer with nothing."""
    result = analysed_record(studio, session_id)
    if result is not None and sel in result.analysis.measuring:
        return Response(status_code=204)
    work, around = load(studio, session_id, "listen", sel)
    page = listen_page(work, around, start, stop, strokes.last_correction(studio, session_id))
    answer: Response = render(request, "listen/_card.html", {"page": page, "frame": around})
    return answer


@router.get("/waveform")
def waveform(studio: Here, session_id: Id, start: Number, stop: Number) -> dict[str, list[float]]:
    """Return the waveform's lowest and highest values between two times in s."""
    result = analysed_record(studio, session_id)
    if result is None:
        raise NotFoundError("Nothing is analysed in this session yet.")
    return peaks_window(result, start, stop)


@router.post("/recording")
def bring(
    studio: Here,
    session_id: Id,
    file: Annotated[UploadFile, File()],
    kind: Annotated[str, Form()] = "auto",
    keep_others: Annotated[bool, Form(alias="beside")] = False,
    drum: Annotated[str, Form()] = "",
    once: Annotated[Text, Form()] = "",
) -> Response:
    """Keep a recording and have it analysed."""
    data, name = file.file.read(), file.filename or ""

    def make(studio: Studio) -> str:
        bring_recording(
            studio, session_id, name, data, kind, keep_others=keep_others, voice=drum or None
        )
        return f"/sessions/{session_id}/listen"

    sent = (name, sha256(data).hexdigest(), kind, keep_others, drum)
    return go(only_once(studio, once, sent, make))


@router.post("/again")
def again(studio: Here, session_id: Id, recording: Annotated[int, Form()]) -> Response:
    """Have a recording that is kept analysed anew."""
    analyse_again(studio, session_id, recording)
    return go(f"/sessions/{session_id}/listen")


@router.post("/cancel")
def cancel(studio: Here, session_id: Id) -> Response:
    """Cancel the analysis that is waiting or running."""
    recording = recording_of(studio, session_id)
    if recording is not None:
        cancel_analysis(studio, session_id, recording.id)
    return go(f"/sessions/{session_id}/listen")


def _back(
    studio: Studio, session_id: int, sel: str, start: float, stop: float, *, done: bool = False
) -> Response:
    """Answer with the window as it was; ``done`` offers to undo what was just done."""
    known = _undo_query(studio, session_id) if done else ""
    return go(f"/sessions/{session_id}/listen?sel={sel}&start={start:.2f}&stop={stop:.2f}{known}")


def _undo_query(studio: Studio, session_id: int) -> str:
    last = strokes.last_correction(studio, session_id)
    return f"&done={last.count}" if last else ""


@router.post("/strokes/move")
def strokes_to_voice(
    studio: Here,
    session_id: Id,
    chosen: Annotated[str, Form()],
    voice: Annotated[str, Form()],
    sel: Annotated[str, Form()],
    start: Annotated[Number, Form()],
    stop: Annotated[Number, Form()],
) -> Response:
    """Give strokes to another voice."""
    strokes.move_strokes(studio, session_id, chosen_strokes(chosen), voice)
    return _back(studio, session_id, sel, start, stop, done=True)


@router.post("/strokes/take-out")
def strokes_out(
    studio: Here,
    session_id: Id,
    chosen: Annotated[str, Form()],
    sel: Annotated[str, Form()],
    start: Annotated[Number, Form()],
    stop: Annotated[Number, Form()],
) -> Response:
    """Take strokes out."""
    strokes.take_out_strokes(studio, session_id, chosen_strokes(chosen))
    return _back(studio, session_id, sel, start, stop, done=True)


@router.post("/strokes/put-in")
def stroke_in(
    studio: Here,
    session_id: Id,
    time_s: Annotated[Number, Form()],
    voice: Annotated[str, Form()],
    start: Annotated[Number, Form()],
    stop: Annotated[Number, Form()],
    sel: Annotated[str, Form()] = "",
) -> Response:
    """Put a stroke in where none was found."""
    strokes.put_in_stroke(studio, session_id, time_s, voice)
    return _back(studio, session_id, sel or voice, start, stop, done=True)


@router.post("/toms/{what}")
def toms(
    studio: Here,
    session_id: Id,
    what: Literal["split", "merge", "remove"],
    voice: Annotated[str, Form()],
) -> Response:
    """Split a tom, make one of it and the next lower one, or remove a drum that is not there."""
    acts = {"split": strokes.split, "merge": strokes.merge, "remove": strokes.remove_voice}
    acts[what](studio, session_id, voice)
    return go(f"/sessions/{session_id}/listen?sel={voice}{_undo_query(studio, session_id)}")


@router.post("/rename")
def rename(
    studio: Here, session_id: Id, voice: Annotated[str, Form()], to: Annotated[str, Form()]
) -> Response:
    """Give all strokes of a drum to another one."""
    strokes.rename_voice(studio, session_id, voice, to)
    return go(f"/sessions/{session_id}/listen?sel={to}{_undo_query(studio, session_id)}")


@router.post("/take-back")
def take_back(
    studio: Here,
    session_id: Id,
    sel: str = "",
    seen: int | None = None,
    start: AskedNumber = None,
    stop: AskedNumber = None,
) -> Response:
    """Take the last correction back, if it is the one that was seen."""
    strokes.take_back(studio, session_id, seen)
    if start is not None and stop is not None:
        return _back(studio, session_id, sel, start, stop)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/files/{file_id}/take-away")
def file_away(studio: Here, session_id: Id, file_id: Id) -> Response:
    """Take a file away from the record."""
    remove_file(studio, session_id, file_id)
    return go(f"/sessions/{session_id}/listen?file_back={file_id}")


@router.post("/files/{file_id}/open")
def file_open(
    studio: Here, session_id: Id, file_id: Id, sel: Annotated[str, Form()] = ""
) -> Response:
    """Show another file of the record."""
    open_file(studio, session_id, file_id)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/files/{file_id}/bring-back")
def file_back(studio: Here, session_id: Id, file_id: Id) -> Response:
    """Add a file back that was taken away."""
    bring_file_back(studio, session_id, file_id)
    return go(f"/sessions/{session_id}/listen")


@router.post("/regions")
def region(
    studio: Here,
    session_id: Id,
    name: Annotated[str, Form()],
    start: Annotated[Number, Form()],
    stop: Annotated[Number, Form()],
    sel: Annotated[str, Form()],
    measure: Annotated[bool, Form()] = False,
) -> Response:
    """Name a stretch of the recording."""
    strokes.name_region(studio, session_id, name, start, stop, measure=measure)
    return _back(studio, session_id, sel, start, stop)


@router.post("/regions/forget")
def region_forgotten(
    studio: Here, session_id: Id, name: Annotated[str, Form()], sel: Annotated[str, Form()]
) -> Response:
    """Take a named stretch away."""
    strokes.forget_region(studio, session_id, name)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/evidence/value")
def evidence_value(
    studio: Here,
    session_id: Id,
    sel: Annotated[str, Form()],
    quantity: Annotated[str, Form()],
    value: Annotated[Number, Form()],
    trust: Annotated[str, Form()],
    source: Annotated[str, Form()] = "",
) -> Response:
    """Keep a value somebody gives."""
    evidence.give_value(
        studio, session_id, sel, quantity, value, sd=None, trust=trust, source=source
    )
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.get("/reading.wav")
def reading_heard(studio: Here, session_id: Id, voice: Text, hz: AskedNumber) -> Response:
    """Return a reading of a drum's pitch as a tone next to its stroke on the record."""
    return Response(reading_sound(studio, session_id, voice, hz or 0.0), media_type="audio/wav")


@router.post("/reading")
def reading(
    studio: Here, session_id: Id, sel: Annotated[Text, Form()], hz: Annotated[Number, Form()]
) -> Response:
    """Keep which reading of the pitch a person hears."""
    chosen = evidence.use_reading(studio, session_id, sel, hz)
    return go(f"/sessions/{session_id}/listen?sel={sel}&read={chosen.id}")


@router.post("/reading/{evidence_id}/undo")
def reading_undo(studio: Here, session_id: Id, evidence_id: Id, sel: str = "") -> Response:
    """Undo the choice of a reading."""
    evidence.undo_reading(studio, session_id, evidence_id)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/evidence/gear")
def evidence_gear(
    studio: Here,
    session_id: Id,
    sel: Annotated[str, Form()],
    words: Annotated[str, Form()],
    trust: Annotated[str, Form()],
) -> Response:
    """Keep what is known of the gear."""
    evidence.give_gear(studio, session_id, sel, words, trust)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.post("/evidence/{evidence_id}/take-away")
def evidence_away(
    studio: Here, session_id: Id, evidence_id: Id, sel: Annotated[str, Form()]
) -> Response:
    """Take a piece of evidence away."""
    evidence.take_evidence_away(studio, session_id, evidence_id)
    return go(f"/sessions/{session_id}/listen?sel={sel}&evidence_back={evidence_id}")


@router.post("/evidence/{evidence_id}/bring-back")
def evidence_back_again(studio: Here, session_id: Id, evidence_id: Id, sel: str = "") -> Response:
    """Bring a piece of evidence back."""
    evidence.bring_evidence_back(studio, session_id, evidence_id)
    return go(f"/sessions/{session_id}/listen?sel={sel}")


@router.get("/strokes.{container}")
def strokes_file(
    studio: Here, session_id: Id, container: Literal["mid", "csv", "jams"]
) -> Response:
    """Return the strokes as a file."""
    file = listen_file(studio, session_id, f"strokes.{container}")
    return _download(file)


@router.get("/card.{container}")
def card_file(studio: Here, session_id: Id, container: Literal["json", "csv"]) -> Response:
    """Return the sound cards as a file."""
    return _download(listen_file(studio, session_id, f"card.{container}"))


@router.get("/stems/{part}.flac")
def stem(studio: Here, session_id: Id, part: str) -> Response:
    """Return drums, drumless rest or one voice as FLAC."""
    return _download(stem_file(studio, session_id, part))


def _download(file: ListenFile) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{file.name}"'}
    return Response(file.data, media_type=file.media_type, headers=headers)
