"""What every step's route needs: the workspace and the frame around the step."""

from datetime import UTC, datetime

from fastapi.responses import RedirectResponse

from emblar.actions.workspace import Workspace, workspace
from emblar.web.pages.frame import Frame, frame


def load(session_id: int, step: str, selection: str) -> tuple[Workspace, Frame]:
    """Load a session's workspace and the frame of one step."""
    work = workspace(session_id)
    return work, frame(work, step, selection, datetime.now(UTC))


def go(href: str) -> RedirectResponse:
    """Answer a change with the page to see next."""
    return RedirectResponse(href, status_code=303)
