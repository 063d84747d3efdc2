"""Home: the sessions, each with its kit and what is next."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import urlencode

from markupsafe import Markup

from emblar.core.naming import counted
from emblar.frame.drawing.kit_line import kit_line
from emblar.frame.drawing.kit_strip import State, StripDrum
from emblar.platform.sessions import Order
from emblar.steps.kit.actions.saved import KitChoice, usual_kit
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
class SessionChoice:
    """Which sessions are listed."""

    find: str = ""
    order: Order = "newest"
    skip: int = 0

    def href(self, skip: int) -> str:
        """Return the address of another page of the same list."""
        query = {"find": self.find} if self.find else {}
        if self.order != "newest":
            query["order"] = self.order
        if skip:
            query["skip"] = str(skip)
        return f"/?{urlencode(query)}" if query else "/"


@dataclass(frozen=True, slots=True)
class SessionsPage:
    """Everything the list of sessions shows."""

    rows: tuple[SessionLine, ...]
    undo: int | None
    kits: tuple[KitChoice, ...]
    choice: SessionChoice
    before: str
    after: str
    """Addresses of the pages of the list before and after this one; empty without."""
    examples: bool
    """Whether the made-up sessions of the demo are among them."""
    making: bool
    """Whether the made-up sessions are being made."""

    @property
    def empty(self) -> bool:
        """True if the studio has no sessions."""
        return not self.rows and not self.choice.find and not self.choice.skip

    @property
    def has_previous_kit(self) -> bool:
        """True if the first kit is the last session's."""
        return bool(usual_kit(self.kits))

    @property
    def choosable(self) -> bool:
        """True if there are several sessions to search or sort."""
        return len(self.rows) > 1 or bool(self.choice.find)


def sessions_page(
    states: Sequence[SessionState],
    kits: Sequence[KitChoice],
    time: datetime,
    undo: int | None,
    choice: SessionChoice,
    *,
    making: bool = False,
) -> SessionsPage:
    """Return a page of the list, with the session just deleted to offer bringing it back.

    ``states`` are one more than are shown if others follow; ``making`` says that the made-up
    sessions are being made.
    """
    rows = tuple(_row(s, time) for s in states[:AT_ONCE])
    after = choice.href(choice.skip + AT_ONCE) if len(states) > AT_ONCE else ""
    before = choice.href(max(0, choice.skip - AT_ONCE)) if choice.skip else ""
    examples = not making and any(row.artist == EXAMPLE_ARTIST for row in rows)
    return SessionsPage(rows, undo, tuple(kits), choice, before, after, examples, making)


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
    return SessionLine(
        session.id,
        session.name,
        session.artist,
        time_left(session.downbeat_at, time),
        kit_line(f"kit-{session.id}", strip) if strip else None,
        _how_far(state),
        NEXT[state.next][1],
        href,
        session.created_at.strftime("%-d %B %Y"),
    )


def _how_far(state: SessionState) -> str:
    if not state.drums:
        return "no drums yet"
    tuned = sum(d.how == "tuned" for d in state.drums)
    planned = tuned + sum(d.how == "planned" for d in state.drums)
    count, done = (tuned, "tuned") if tuned else (planned, "planned")
    return f"{count} of {counted(len(state.drums), 'drum')} {done}"
