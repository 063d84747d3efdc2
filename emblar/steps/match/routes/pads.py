"""Cymbals and pads: what is struck next to the planned drums, against the record."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from emblar.frame.fields import AskedId, Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.match.actions import pads as actions
from emblar.steps.match.page.pads import pads_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/match/pads", route_class=ReadAtOnce)
Field = Annotated[Text, Form()]


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    pad: AskedId = None,
    gone: AskedId = None,
) -> Response:
    """Show the pads of a session, one of them with its takes."""
    _, around = load(studio, session_id, "match", sel)
    page = pads_page(actions.pads(studio, session_id), around, pad)
    return render(request, "match/pads.html", {"page": page, "frame": around, "gone": gone})


def _back(session_id: int, more: str = "") -> Response:
    return go(f"/sessions/{session_id}/match/pads{more}")


@router.post("")
def add(
    studio: Here, session_id: Id, name: Field = "", made_of: Field = "", part: Field = ""
) -> Response:
    """Add a pad."""
    pad = actions.add_pad(studio, session_id, name, made_of, part)
    return _back(session_id, f"?pad={pad.id}")


@router.post("/{pad_id}")
def change(
    studio: Here,
    session_id: Id,
    pad_id: Id,
    name: Field = "",
    made_of: Field = "",
    part: Field = "",
) -> Response:
    """Keep another name, make or part of a pad."""
    actions.change_pad(studio, session_id, pad_id, name, made_of, part)
    return _back(session_id, f"?pad={pad_id}")


@router.post("/{pad_id}/take-away")
def take_away(studio: Here, session_id: Id, pad_id: Id) -> Response:
    """Remove a pad."""
    actions.take_pad_away(studio, session_id, pad_id)
    return _back(session_id, f"?gone={pad_id}")


@router.post("/{pad_id}/bring-back")
def bring_back(studio: Here, session_id: Id, pad_id: Id) -> Response:
    """Bring a pad back that was removed."""
    actions.bring_pad_back(studio, session_id, pad_id)
    return _back(session_id, f"?pad={pad_id}")


@router.post("/{pad_id}/take")
def bring(
    studio: Here, session_id: Id, pad_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Keep a take of a pad and have it measured."""
    actions.bring_pad_take(studio, session_id, pad_id, file.filename or "", file.file.read())
    return _back(session_id, f"?pad={pad_id}")


@router.get("/{pad_id}/pair/{which}.wav")
def pair(
    studio: Here,
    session_id: Id,
    pad_id: Id,
    which: Literal["record", "take"],
    take: AskedId = None,
) -> Response:
    """Return record or take, cut alike, starting together, equally loud."""
    sounds = actions.pad_sounds(studio, session_id, pad_id, take)
    return Response(sounds[0 if which == "record" else 1], media_type="audio/wav")
