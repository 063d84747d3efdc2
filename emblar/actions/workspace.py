"""Everything a screen of one session shows, loaded together."""

from dataclasses import dataclass

from emblar.actions.kit import kit
from emblar.actions.listen import Heard, cancelled_of, heard, reference_of, unreadable_of
from emblar.actions.plan import KitPlan, latest_plan
from emblar.actions.scope import Scope
from emblar.actions.sessions import one_session
from emblar.store.database import together
from emblar.store.kit import KitDrum
from emblar.store.references import ReferenceInfo
from emblar.store.sessions import SessionInfo


@dataclass(frozen=True, slots=True)
class Workspace:
    """A session with its recording, what was heard in it, its kit and its plan."""

    session: SessionInfo
    reference: ReferenceInfo | None
    found: Heard | None
    drums: tuple[KitDrum, ...]
    plan: KitPlan | None
    unreadable: tuple[ReferenceInfo, ...] = ()
    """Analysed recordings of the record whose analysis cannot be read any more."""
    cancelled: ReferenceInfo | None = None
    """The newest recording, if its analysis was cancelled."""


def workspace(scope: Scope, session_id: int) -> Workspace:
    """Load a session's workspace."""
    with together():
        return Workspace(
            one_session(scope, session_id),
            reference_of(scope, session_id),
            heard(scope, session_id),
            tuple(kit(scope, session_id)),
            latest_plan(scope, session_id),
            unreadable_of(scope, session_id),
            cancelled_of(scope, session_id),
        )
