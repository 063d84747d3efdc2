"""Round the kit: is it even from drum to drum."""

from typing import Annotated

from fastapi import APIRouter, File, Path, Query, Request, Response, UploadFile

from emblar.core.matching.round import MOST_STRIKES
from emblar.frame.fields import Id
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.match.actions.round_kit import bring_round, round_kit
from emblar.steps.match.page.round_kit import round_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/match/round", route_class=ReadAtOnce)
USUAL_STRIKES = 3
Strikes = Annotated[int, Path(ge=1, le=MOST_STRIKES)]


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    strikes: Annotated[int, Query(ge=1, le=MOST_STRIKES)] = USUAL_STRIKES,
) -> Response:
    """Show how to play it, or how the drums stand."""
    _, around = load(studio, session_id, "match", sel)
    page = round_page(round_kit(studio, session_id), around, strikes)
    return render(request, "match/round.html", {"page": page, "frame": around})


@router.post("/{strikes}/take")
def bring(
    studio: Here, session_id: Id, strikes: Strikes, file: Annotated[UploadFile, File()]
) -> Response:
    """Read a round of the kit."""
    bring_round(studio, session_id, strikes, file.file.read())
    return go(f"/sessions/{session_id}/match/round?strikes={strikes}")
