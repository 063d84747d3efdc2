"""The journey of a drum: notes and pictures of its setups."""

from typing import Annotated

from fastapi import APIRouter, File, Form, Path, Response, UploadFile

from emblar.formats.picture import MEDIA_TYPE
from emblar.frame.fields import LARGEST_ID, AskedId, Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.steps.bench.actions.tuning import UNSAVED_SETUP
from emblar.steps.match.actions import journey as actions
from emblar.steps.workspace.routes import go

router = APIRouter(
    prefix="/sessions/{session_id}/match/{slot_id}/setups/{setup_id}", route_class=ReadAtOnce
)

SetupId = Annotated[int, Path(ge=UNSAVED_SETUP, le=LARGEST_ID)]
"""The id of a setup in an address, or ``UNSAVED_SETUP``."""


def _back(session_id: int, slot_id: int, take_id: int | None) -> Response:
    shown = f"&take={take_id}" if take_id else ""
    return go(f"/sessions/{session_id}/match?sel=d{slot_id}{shown}")


@router.post("/note")
def note(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    setup_id: SetupId,
    note: Annotated[Text, Form()] = "",
    take: AskedId = None,
) -> Response:
    """Keep what is said of a setup."""
    actions.keep_note(studio, session_id, slot_id, setup_id, note)
    return _back(session_id, slot_id, take)


@router.post("/picture")
def bring_picture(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    setup_id: SetupId,
    file: Annotated[UploadFile, File()],
    take: AskedId = None,
) -> Response:
    """Keep a picture of a setup."""
    actions.keep_picture(studio, session_id, slot_id, setup_id, file.file.read())
    return _back(session_id, slot_id, take)


@router.post("/picture/take-away")
def take_picture_away(
    studio: Here, session_id: Id, slot_id: Id, setup_id: SetupId, take: AskedId = None
) -> Response:
    """Remove the picture of a setup."""
    actions.take_picture_away(studio, session_id, slot_id, setup_id)
    return _back(session_id, slot_id, take)


@router.get("/picture.jpg")
def picture(studio: Here, session_id: Id, slot_id: Id, setup_id: SetupId) -> Response:
    """Return the picture of a setup."""
    data = actions.picture(studio, session_id, slot_id, setup_id)
    return Response(data, media_type=MEDIA_TYPE, headers={"Cache-Control": "private, no-cache"})
