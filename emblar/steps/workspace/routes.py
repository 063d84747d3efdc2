"""What every step's route needs: the workspace and the frame around the step."""

from dataclasses import dataclass

from fastapi.responses import RedirectResponse

from emblar.core.naming import spoken
from emblar.frame.fields import parts_from_text
from emblar.platform.settings import current_time
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.drums import Given, changes_since
from emblar.steps.workspace.actions import Workspace, workspace
from emblar.steps.workspace.page import Frame, frame

WITH_PLAN = ("plan", "sheet")


def load(studio: Studio, session_id: int, step: str, selection: str) -> tuple[Workspace, Frame]:
    """Load a session's workspace and the frame of one step."""
    work = workspace(studio, session_id, with_plan=step in WITH_PLAN)
    return work, frame(work, step, selection, current_time())


@dataclass(frozen=True, slots=True)
class GivenLine:
    """Which drums got another part just now, in words, and what to send to undo it."""

    says: str
    was: str


def given_line(studio: Studio, session_id: int, was: str) -> GivenLine | None:
    """Return what giving parts to drums changed, or None if nothing was asked or changed.

    ``was`` is which drum played what before, as ``fields.parts_as_text`` writes it.
    """
    rows = changes_since(studio, session_id, parts_from_text(was)) if was else []
    if not was:
        return None
    if not rows:
        return GivenLine("Nothing changed: the drums have the parts that suit them best.", "")
    return GivenLine(f"{'; '.join(map(_given, rows))}.", was)


def _given(row: Given) -> str:
    current, before = (spoken(part) if part else "nothing" for part in (row.part, row.before))
    result = f", though it has {' and '.join(row.findings)}" if row.findings and row.part else ""
    return f"{row.name} now plays {current} (before: {before}){result}"


def go(href: str) -> RedirectResponse:
    """Answer a change with the page to see next."""
    return RedirectResponse(href, status_code=303)
