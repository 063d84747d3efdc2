"""The patterns page, and a sign of life."""

from fastapi import APIRouter, Request, Response

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
