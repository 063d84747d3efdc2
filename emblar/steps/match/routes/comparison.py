"""Match: bring takes, hear them against the record, make the next move, go back."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.core.errors import InputError
from emblar.core.matching.room import rooms
from emblar.frame.fields import AskedId, Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.bench.actions.way_back import go_back, way_to
from emblar.steps.bench.page.way_back import way_page
from emblar.steps.match.actions import comparison as actions
from emblar.steps.match.actions.sound import laid_over, pair_sounds, song_sounds
from emblar.steps.match.page.comparison import match_page
from emblar.steps.match.page.overlay import overlays
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/match", route_class=ReadAtOnce)
Which = Literal["record", "take"]
WAV = "audio/wav"


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    take: AskedId = None,
    way: AskedId = None,
    way_from: AskedId = None,
    gone: AskedId = None,
    room: Text = "",
    against: AskedId = None,
) -> Response:
    """Show a drum against the record."""
    _, around = load(studio, session_id, "match", sel)
    page, problem, path = None, "", None
    if around.drum is None:
        problem = "There is no drum to compare with the record yet. Add your drums in Kit."
    else:
        try:
            result = actions.match(studio, session_id, around.drum.id, take)
            page = match_page(result, around, room if room in rooms() else "", against)
        except InputError as error:
            problem = str(error)
        if page is not None and way is not None:
            available = way_to(studio, session_id, around.drum.id, way, way_from)
            path = way_page(studio.catalogue(), result, available, way, way_from)
    return render(
        request,
        "match/page.html",
        {"page": page, "frame": around, "problem": problem, "way": path, "gone": gone},
    )


@router.get("/{slot_id}/overlay")
def overlay(
    studio: Here, request: Request, session_id: Id, slot_id: Id, take: AskedId = None
) -> Response:
    """Show record and take laid over one another."""
    try:
        laid = laid_over(studio, session_id, slot_id, take)
        known = {"drawings": overlays(laid.record, laid.take, laid.spectra), "problem": ""}
    except InputError as error:
        known = {"drawings": (), "problem": str(error)}
    return render(request, "match/_overlay.html", known)


def _back(session_id: int, slot_id: int, more: str = "") -> Response:
    return go(f"/sessions/{session_id}/match?sel=d{slot_id}{more}")


@router.post("/{slot_id}/take")
def bring(
    studio: Here, session_id: Id, slot_id: Id, file: Annotated[list[UploadFile], File()]
) -> Response:
    """Keep takes, one a microphone, and have them measured."""
    sounds = [(one.filename or "", one.file.read()) for one in file]
    actions.bring_takes(studio, session_id, slot_id, sounds)
    return _back(session_id, slot_id)


@router.get("/{slot_id}/pair/{which}.wav")
def pair(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    which: Which,
    take: AskedId = None,
    room: Text = "",
    against: AskedId = None,
) -> Response:
    """Return record or take, cut alike, starting together, equally loud."""
    sounds = pair_sounds(studio, session_id, slot_id, take, room, against)
    return Response(sounds[0 if which == "record" else 1], media_type=WAV)


@router.get("/{slot_id}/song/{which}.wav")
def song(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    which: Which,
    take: AskedId = None,
    room: Text = "",
    against: AskedId = None,
) -> Response:
    """Return a piece of the song as it is, or with our strokes in it."""
    sounds = song_sounds(studio, session_id, slot_id, take, room, against)
    return Response(sounds[0 if which == "record" else 1], media_type=WAV)


@router.post("/{slot_id}/move")
def move(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    kind: Annotated[Text, Form()],
    what: Annotated[Text, Form()],
) -> Response:
    """Keep that a move was made."""
    actions.make_move(studio, session_id, slot_id, kind, what)
    return _back(session_id, slot_id)


@router.post("/{slot_id}/changed")
def changed(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    kind: Annotated[Text, Form()] = "",
    what: Annotated[Text, Form()] = "",
) -> Response:
    """Keep a change that was made without being offered."""
    actions.note_change(studio, session_id, slot_id, kind, what)
    return _back(session_id, slot_id)


@router.post("/{slot_id}/back")
def back(studio: Here, session_id: Id, slot_id: Id, setup: Annotated[int, Form(ge=1)]) -> Response:
    """Keep that the way back to a setup was gone; heads that were turned are tapped next."""
    if go_back(studio, session_id, slot_id, setup).pitches:
        return go(f"/sessions/{session_id}/bench?sel=d{slot_id}")
    return _back(session_id, slot_id)


@router.post("/{slot_id}/takes/{take_id}/take-away")
def take_away(studio: Here, session_id: Id, slot_id: Id, take_id: Id) -> Response:
    """Remove a take."""
    actions.take_away(studio, session_id, slot_id, take_id)
    return _back(session_id, slot_id, f"&gone={take_id}")


@router.post("/{slot_id}/takes/{take_id}/bring-back")
def bring_back(studio: Here, session_id: Id, slot_id: Id, take_id: Id) -> Response:
    """Upload a take back that was removed."""
    actions.bring_take_back(studio, session_id, slot_id, take_id)
    return _back(session_id, slot_id)
