"""Home: every session with its kit, how far each drum is, and what is next."""

from dataclasses import dataclass
from typing import Literal

from emblar.platform import sessions
from emblar.platform.jobs import EXAMPLE, defer, is_pending
from emblar.platform.sessions import Order, SessionInfo
from emblar.platform.studio import Studio
from emblar.steps.bench import queries as bench
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan import queries as plans

Next = Literal["record", "kit", "plan", "tune", "match"]
How = Literal["nothing", "target", "planned", "tuned"]


@dataclass(frozen=True, slots=True)
class DrumState:
    """A drum of a session's kit and how far it is."""

    name: str
    diameter_in: float
    how: How


@dataclass(frozen=True, slots=True)
class SessionState:
    """A session, how far each drum of its kit is, and what is next."""

    session: SessionInfo
    drums: tuple[DrumState, ...]
    next: Next


def home(
    studio: Studio,
    *,
    only: int | None = None,
    find: str = "",
    order: Order = "newest",
    skip: int = 0,
    most: int | None = None,
) -> list[SessionState]:
    """Return the sessions; ``only``, ``find``, ``order``, ``skip``, ``most`` as ``listing``."""
    with studio.work() as db:
        listed = sessions.listing(
            db, studio.studio_id, only=only, find=find, order=order, skip=skip, most=most
        )
        ids = [s.id for s in listed]
        kits, planned = kit_store.listings(db, ids), plans.planned(db, ids)
        tuned = bench.tuned(db, ids)
    rows = []
    for session in listed:
        done = planned.get(session.id, set())
        drums = tuple(
            DrumState(
                d.owned.name,
                d.owned.diameter_in,
                _how(d, d.id in done, d.drum_id in tuned.get(session.id, set())),
            )
            for d in kits.get(session.id, [])
        )
        rows.append(SessionState(session, drums, _next(session, drums)))
    return rows


def request_example(studio: Studio) -> None:
    """Have the worker make the example sessions, which takes about a minute."""
    with studio.work() as db:
        if not is_pending(db, EXAMPLE, studio_id=studio.studio_id):
            defer(db, EXAMPLE, priority=0, lock=EXAMPLE, studio_id=studio.studio_id)


def example_is_pending(studio: Studio) -> bool:
    """True if the worker has yet to finish the example sessions."""
    with studio.work() as db:
        return is_pending(db, EXAMPLE, studio_id=studio.studio_id)


def _how(drum: KitDrum, planned: bool, tuned: bool) -> How:
    if planned:
        return "tuned" if tuned else "planned"
    return "target" if drum.voice else "nothing"


def _next(session: SessionInfo, drums: tuple[DrumState, ...]) -> Next:
    if not session.recordings:
        return "record"
    if not any(d.how != "nothing" for d in drums):
        return "kit"
    if any(d.how == "planned" for d in drums):
        return "tune"
    return "match" if any(d.how == "tuned" for d in drums) else "plan"


def next_step(studio: Studio, session_id: int) -> Next:
    """Return what is next in one session."""
    with studio.work() as db:
        sessions.get(db, studio.studio_id, session_id)
    return home(studio, only=session_id)[0].next
