"""Plan: solve every drum of the kit for the voice it is to play, and keep the version."""

from dataclasses import dataclass
from typing import Any

from emblar.actions.listen import Heard, heard
from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.plan_drum import DrumPlan, Request, plan_drum
from emblar.core.planning.predicted import planned_stroke
from emblar.core.planning.target import Target, target_from_card
from emblar.formats.analysis import card_from_file
from emblar.formats.plan import DrumPlanFile, drum_plan_file
from emblar.sound.encode import wav_bytes
from emblar.store import drums as drum_store
from emblar.store import plans as store
from emblar.store.database import transaction
from emblar.store.drums import KitDrum
from emblar.store.plans import PlanInfo

SAMPLE_RATE_HZ = 44100


@dataclass(frozen=True, slots=True)
class KitPlan:
    """A version of the plan: the planned drums by id, and why others are not."""

    version: int
    drums: dict[int, DrumPlanFile]
    problems: dict[int, str]


def target_of(found: Heard | None, voice: str | None) -> Target | None:
    """Return what a voice of the record sets as target, or None."""
    card = found.voice(voice) if found and voice else None
    return target_from_card(card_from_file(card)) if card else None


def request_of(drum: KitDrum) -> Request:
    """Return what was asked of a drum by hand."""
    return Request(**{**drum.wish, "dampers": _tuple(drum.wish.get("dampers"))})


def _tuple(value: list[str] | None) -> tuple[str, ...] | None:
    return tuple(value) if value is not None else None


def plan_kit(session_id: int) -> KitPlan:
    """Plan every drum that is to play a voice, and keep the plan as a new version."""
    found = heard(session_id)
    with transaction() as db:
        drums = drum_store.listing(db, session_id)
    planned: dict[int, DrumPlan] = {}
    problems: dict[int, str] = {}
    for drum in drums:
        try:
            planned[drum.id] = _plan(drum, found)
        except EmblarError as error:
            problems[drum.id] = str(error)
    return _keep(session_id, {i: drum_plan_file(p) for i, p in planned.items()}, problems)


def _plan(drum: KitDrum, found: Heard | None) -> DrumPlan:
    request = request_of(drum)
    target = target_of(found, drum.voice)
    if target is None:
        if request.pitch_hz is None:
            raise InputError(
                f"{drum.owned.name} plays no voice of the record yet. Give it one in Kit, or wish "
                "a pitch by hand."
            )
        target = Target("by hand", {}, {})
    return plan_drum(drum.owned, target, request)


def replan_drum(session_id: int, drum_id: int, wish: dict[str, Any]) -> KitPlan:
    """Keep what was asked of one drum by hand and plan that drum anew; the others stay.

    Nothing is kept if the drum cannot be planned so.
    """
    found = heard(session_id)
    with transaction() as db:
        drum = drum_store.get(db, drum_id)
        asked = KitDrum(drum.id, drum.session_id, drum.owned, drum.voice, wish)
        planned = _plan(asked, found)
        drum_store.set_wish(db, drum_id, wish)
    before = latest_plan(session_id)
    drums = dict(before.drums) if before else {}
    problems = dict(before.problems) if before else {}
    drums[drum_id] = drum_plan_file(planned)
    problems.pop(drum_id, None)
    return _keep(session_id, drums, problems)


def _keep(session_id: int, drums: dict[int, DrumPlanFile], problems: dict[int, str]) -> KitPlan:
    document = {
        "drums": {str(i): d.model_dump(by_alias=True) for i, d in drums.items()},
        "problems": {str(i): text for i, text in problems.items()},
    }
    with transaction() as db:
        return _kit_plan(store.add(db, session_id, document))


def _kit_plan(info: PlanInfo) -> KitPlan:
    return KitPlan(
        info.version,
        {int(i): DrumPlanFile.model_validate(d) for i, d in info.document["drums"].items()},
        {int(i): text for i, text in info.document["problems"].items()},
    )


def latest_plan(session_id: int) -> KitPlan | None:
    """Return the newest version of a session's plan, or None."""
    with transaction() as db:
        info = store.latest(db, session_id)
    return _kit_plan(info) if info else None


def planned_sound(session_id: int, drum_id: int) -> bytes:
    """Return one stroke of the planned drum as WAV.

    Raises
    ------
    InputError
        The drum is not planned.
    """
    plan = latest_plan(session_id)
    file = plan.drums.get(drum_id) if plan else None
    if file is None:
        raise InputError("This drum is not planned yet. Plan the kit first.")
    stroke = planned_stroke(file.predicted(), file.kind)
    peak = max(abs(stroke).max(), 1e-9)
    return wav_bytes(0.7 * stroke / peak, SAMPLE_RATE_HZ)
