"""Everything a screen of one session shows, loaded together."""

import contextlib
from dataclasses import dataclass, field

from pydantic import ValidationError

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import Catalogue
from emblar.formats.bench import LeftFile
from emblar.platform.sessions import SessionInfo
from emblar.platform.studio import Studio
from emblar.steps.bench import queries as bench
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import (
    AnalysedRecord,
    analysed_record,
    cancelled_recording,
    recording_of,
    unreadable_recordings,
)
from emblar.steps.listen.queries import RecordingInfo
from emblar.steps.plan import queries as plans
from emblar.steps.plan.actions.planning import KitPlan, latest_plan
from emblar.steps.sessions.actions.editing import one_session

SIDES: tuple[Side, ...] = ("batter", "reso")


@dataclass(frozen=True, slots=True)
class Workspace:
    """A session with its recording, what was heard in it, its kit and its plan."""

    session: SessionInfo
    recording: RecordingInfo | None
    record: AnalysedRecord | None
    drums: tuple[KitDrum, ...]
    plan: KitPlan | None
    """The newest plan; only where it is shown."""
    catalogue: Catalogue
    planned: frozenset[int] = frozenset()
    """The drums that the newest plan plans."""
    tuned: frozenset[int] = frozenset()
    """The drums that were brought to their plan."""
    left: dict[int, dict[Side, LeftFile]] = field(default_factory=dict)
    """Where drums were left whose jobs are done but whose heads are off their goal."""
    unreadable: tuple[RecordingInfo, ...] = ()
    """Analysed recordings of the record whose analysis cannot be read any more."""
    cancelled: RecordingInfo | None = None
    """The newest recording, if its analysis was cancelled."""


def left_of(stored: dict[str, dict[str, float]]) -> dict[Side, LeftFile]:
    """Return where a drum's heads were left, as far as what was kept can be read."""
    result: dict[Side, LeftFile] = {}
    for side in SIDES:
        with contextlib.suppress(ValidationError):
            if side in stored:
                result[side] = LeftFile.model_validate(stored[side])
    return result


def workspace(studio: Studio, session_id: int, *, with_plan: bool) -> Workspace:
    """Load what a step of a session shows."""
    with studio.together() as unit, unit.work() as db:
        planned = plans.planned(db, [session_id]).get(session_id, set())
        finished = bench.finished(db, [session_id]).get(session_id, {})
        drums = tuple(kit(unit, session_id))
        return Workspace(
            one_session(unit, session_id),
            recording_of(unit, session_id),
            analysed_record(unit, session_id),
            drums,
            latest_plan(unit, session_id) if with_plan else None,
            unit.catalogue(),
            frozenset(planned),
            frozenset(d.id for d in drums if not finished.get(d.drum_id, {"unfinished": {}})),
            {d.id: left_of(finished[d.drum_id]) for d in drums if finished.get(d.drum_id)},
            unreadable_recordings(unit, session_id),
            cancelled_recording(unit, session_id),
        )
