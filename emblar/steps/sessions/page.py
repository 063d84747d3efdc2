"""Home: the sessions, each with its kit and what is next."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from markupsafe import Markup

from emblar.frame.drawing.kit_line import kit_line
from emblar.frame.drawing.kit_strip import State, StripDrum
from emblar.steps.kit.actions.saved import KitChoice
from emblar.steps.sessions.actions.home import How, Next, SessionState
from emblar.steps.workspace.page import time_left

NEXT: dict[Next, tuple[str, str]] = {
    "record": ("listen", "Add the record"),
    "kit": ("kit", "Choose the kit"),
    "plan": ("plan", "Plan the kit"),
    "tune": ("bench", "Tune to the plan"),
    "match": ("match", "Compare with the record"),
}
EXAMPLE_ARTIST = "The Tin Orchard"
"""Made up: no session of anybody else has it."""
AT_ONCE = 40
"""Sessions on a page."""
STATES: dict[How, State] = {
    "nothing": "empty",
    "target": "dotted",
    "planned": "half",
    "tuned": "full",
}


@dataclass(frozen=True, slots=True)
class SessionLine:
    """A session as listed."""

    id: int
    name: str
    artist: str
    downbeat: str
    kit: Markup | None
    drums: str
    next: str
    href: str
    made: str


@dataclass(frozen=True, slots=True)
class SessionsPage:
    """Everything the list of sessions shows."""

    rows: tuple[SessionLine, ...]
    undo: int | None
    kits: tuple[KitChoice, ...]
    older: int | None
    """The last of these rows, if more come after it."""
    newest: bool
    examples: bool
    """Whether the made-up sessions of the demo are among them."""


def sessions_page(
    states: Sequence[SessionState],
    kits: Sequence[KitChoice],
    time: datetime,
    undo: int | None,
    *,
    before: int | None = None,
) -> SessionsPage:
    """Return a page of the list, with the session just deleted to offer bringing it back.

    ``states`` are one more than are shown if older ones follow; ``before`` is the last one of the
    page before this.
    """
    rows = tuple(_row(s, time) for s in states[:AT_ONCE])
    older = rows[-1].id if len(states) > AT_ONCE else None
    examples = any(row.artist == EXAMPLE_ARTIST for row in rows)
    return SessionsPage(rows, undo, tuple(kits), older, before is None, examples)


def step_href(session_id: int, following: Next) -> str:
    """Return the address at which a session's work goes on."""
    return f"/sessions/{session_id}/{NEXT[following][0]}"


def _row(state: SessionState, time: datetime) -> SessionLine:
    session = state.session
    href = step_href(session.id, state.next)
    strip = [
        StripDrum(d.name, d.name, "", d.diameter_in, STATES[d.how], False, href)
        for d in state.drums
    ]
    planned = sum(d.how in ("planned", "tuned") for d in state.drums)
    return SessionLine(
        session.id,
        session.name,
        session.artist,
        time_left(session.downbeat_at, time),
        kit_line(f"kit-{session.id}", strip) if strip else None,
        f"{planned} of {len(strip)} drums planned" if strip else "no drums yet",
        NEXT[state.next][1],
        href,
        session.created_at.strftime("%-d %B %Y"),
    )
