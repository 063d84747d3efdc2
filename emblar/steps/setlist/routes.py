"""Setlist: several songs on one kit."""

from fastapi import APIRouter, Request, Response

from emblar.core.errors import EmblarError, InputError
from emblar.formats.setlist import setlist_plan_file
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.studio import Studio
from emblar.steps.setlist.actions import SetlistView, planned_songs, setlist
from emblar.steps.setlist.page import setlist_page

router = APIRouter(route_class=ReadAtOnce)
LARGEST_PLACE = 99


def _places(request: Request) -> dict[int, str]:
    """Return what was typed as each song's place, by session."""
    result = {}
    for name, value in request.query_params.items():
        number = name.removeprefix("place-")
        if number != name and number.isascii() and number.isdigit() and len(number) < 10:
            result[int(number)] = value.strip()
    return result


def _planned(studio: Studio, places: dict[int, str], *, free_order: bool) -> SetlistView:
    order = []
    for session, text in places.items():
        if not text:
            continue
        if not (text.isascii() and text.isdigit() and 1 <= int(text) <= LARGEST_PLACE):
            raise InputError(
                f"“{text[:20]}” is no place in a list: 1, 2, 3, or empty for a song that is not "
                "played."
            )
        order.append((int(text), session))
    ids = [session for _, session in sorted(order)]
    return setlist(studio, ids, free_order=free_order)


@router.get("/setlist")
def show(studio: Here, request: Request, free: str = "") -> Response:
    """Show the songs there are, and how to play those that were chosen."""
    places, problem, result = _places(request), "", None
    if any(places.values()):
        try:
            result = _planned(studio, places, free_order=bool(free))
        except EmblarError as error:
            problem = str(error)
    page = setlist_page(
        studio.catalogue(),
        planned_songs(studio),
        places,
        free_order=bool(free),
        view=result,
        problem=problem,
        query=request.url.query,
    )
    return render(request, "setlist/page.html", {"page": page})


@router.get("/setlist.json")
def as_json(studio: Here, request: Request, free: str = "") -> Response:
    """Return a setlist as ``emblar.setlist-plan/1``."""
    result = _planned(studio, _places(request), free_order=bool(free))
    names = {key: owned.name for key, owned in result.drums.items()}
    text = setlist_plan_file(result.requests, result.result, names).model_dump_json(
        by_alias=True, indent=2
    )
    headers = {"Content-Disposition": 'attachment; filename="setlist.json"'}
    return Response(text, media_type="application/json", headers=headers)
