"""Rescue of a cheap kit: the few changes that bring most for a budget, and taking one of them."""

from dataclasses import replace

from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.rescue import Fix, Rescue, rescue
from emblar.platform.studio import Studio, in_session
from emblar.steps.brief.actions import wish_of
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.plan.actions.planning import replan_drum, task_of, the_shelf
from emblar.steps.sessions.actions.editing import brief_of, one_session

NOTHING = "Add a record in Listen and give the drums their parts in Kit first."


def rescue_of(
    studio: Studio, session_id: int, budget: float, plain_head: float | None = None
) -> Rescue:
    """Return what brings a session's kit nearest its record within a budget.

    Raises
    ------
    InputError
        No drum plays a part of the record, or the budget makes no sense.
    """
    result = measured_record(studio, session_id)
    brief = brief_of(one_session(studio, session_id)).brief()
    pairs = []
    for drum in kit(studio, session_id):
        try:
            task = task_of(drum, result)
        except EmblarError:
            continue
        if task.target.value("pitch") is not None:
            pairs.append((replace(task.owned, name=_name(drum)), task.target))
    if not pairs:
        raise InputError(NOTHING)
    # What lies on the shelf is there; dampers are counted as bought unless every house has them.
    shelf = replace(the_shelf(studio), dampers=())
    return rescue(pairs, shelf, brief, budget=budget, plain_head=plain_head)


def _name(drum: KitDrum) -> str:
    """Return a name that no other drum of the kit has."""
    return f"{drum.owned.name} ({drum.id})"


def drum_of_fix(studio: Studio, session_id: int, fix: Fix) -> KitDrum:
    """Return the drum that a change is for."""
    return next(d for d in kit(studio, session_id) if _name(d) == fix.drum)


def check_drum(studio: Studio, session_id: int, slot_id: int) -> None:
    """Check that a drum is in a session's kit.

    Raises
    ------
    NotFoundError
        It is not.
    """
    with in_session(studio, session_id) as db:
        kit_store.get(db, session_id, slot_id)


def take_fix(
    studio: Studio, session_id: int, slot_id: int, budget: float, plain_head: float
) -> None:
    """Ask for a change that was offered, and plan its drum with it.

    Raises
    ------
    InputError
        It is not offered any more.
    """
    check_drum(studio, session_id, slot_id)
    for fix in rescue_of(studio, session_id, budget, plain_head).fixes:
        drum = drum_of_fix(studio, session_id, fix)
        if drum.id == slot_id:
            kept = {k: v for k, v in drum.wish.items() if k in ("pitch_hz", "steps")}
            wish = wish_of(fix.recipe, drum.owned, port=True)
            replan_drum(studio, session_id, slot_id, {**kept, **wish})
            return
    raise InputError("This is not offered any more: the kit or the record has changed.")
