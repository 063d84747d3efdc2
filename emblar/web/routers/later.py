"""Places that say what will be here, the patterns page, and a sign of life."""

from fastapi import APIRouter, Request, Response

from emblar.core.errors import NotFoundError
from emblar.web.pages.later import PLACES
from emblar.web.templating import render

router = APIRouter()


@router.get("/health")
def health() -> dict[str, str]:
    """Answer that the web process is up."""
    return {"state": "up"}


@router.get("/patterns")
def patterns(request: Request) -> Response:
    """Show every component once."""
    return render(request, "patterns/page.html", {})


@router.get("/{place}")
def place(request: Request, place: str) -> Response:
    """Show what a place outside a session will do."""
    if place not in PLACES:
        raise NotFoundError("There is no such page.")
    return render(request, "later/place.html", {"later": PLACES[place], "place": place})
