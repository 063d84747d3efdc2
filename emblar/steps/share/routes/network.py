"""Allow or block phones on this network. With accounts, only an owner may do this."""

from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Form, Request, Response

from emblar.frame.fields import Id, Text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.platform.network import keep_others_out, let_others_in
from emblar.platform.studio import check_session
from emblar.steps.share.routes import links
from emblar.steps.workspace.routes import go

router = APIRouter(prefix="/network/{session_id}", route_class=ReadAtOnce)


@router.post("/let-in")
def let_in(
    studio: Here, request: Request, session_id: Id, back: Annotated[Text, Form()] = "sheet"
) -> Response:
    """Let phones on this network in, and pair one."""
    check_session(studio, session_id)
    let_others_in()
    return links.phone(studio, request, session_id, back)


@router.post("/keep-out")
def keep_out(studio: Here, session_id: Id, back: Annotated[Text, Form()] = "sheet") -> Response:
    """Block phones and shared links again."""
    check_session(studio, session_id)
    keep_others_out()
    return go(f"/sessions/{session_id}/share?{urlencode({'back': back})}")
