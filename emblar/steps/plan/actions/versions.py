"""Plan versions: listed, looked at next to each other, and taken back."""

from emblar.core.errors import InputError
from emblar.formats.stored import by_id
from emblar.platform.studio import Studio, in_session, one_at_a_time
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.log.actions.evidence import undo_reading
from emblar.steps.plan import queries as store
from emblar.steps.plan.actions.planning import KitPlan, kit_plan_of, planned_from
from emblar.steps.plan.queries import PlanInfo


def versions(studio: Studio, session_id: int) -> list[PlanInfo]:
    """Return every version of a session's plan, the newest first."""
    with in_session(studio, session_id) as db:
        return store.listing(db, session_id)


def plan_version(studio: Studio, session_id: int, version: int) -> KitPlan:
    """Return one version as it was."""
    with in_session(studio, session_id) as db:
        info = store.get(db, session_id, version)
    return kit_plan_of(studio.catalogue(), info)


def use_version(studio: Studio, session_id: int, version: int) -> PlanInfo:
    """Bring a version back as the newest one, with what was asked by hand and who played what."""
    with one_at_a_time(studio, session_id) as unit, in_session(unit, session_id) as db:
        wanted = store.get(db, session_id, version)
        available = {d.id for d in kit_store.listing(db, session_id)}
        for slot, wish in by_id(wanted.document, "wishes").items():
            if slot in available:
                kit_store.set_wish(db, slot, wish)
        parts = {k: v for k, v in by_id(wanted.document, "parts").items() if k in available}
        for slot in parts:
            kit_store.assign(db, slot, None)
        for slot, (part, also) in parts.items():
            kit_store.assign(db, slot, part, also=also)
        # What the kit, the brief and the shelf are like now counts for the other changes.
        marks = planned_from(unit, session_id)
        inputs = wanted.inputs | ({"kit": marks["kit"]} if parts and wanted.inputs else {})
        return store.add(
            db,
            session_id,
            wanted.document,
            says=f"Plan {version} again",
            restores=wanted.restores or version,
            inputs=inputs,
        )


def undo_plan(studio: Studio, session_id: int) -> PlanInfo:
    """Bring back the version before the one that is shown; again, the one before that.

    Raises
    ------
    InputError
        There is none before.
    """
    with one_at_a_time(studio, session_id) as unit:
        listed = versions(unit, session_id)
        if not listed:
            raise InputError("There is no plan yet.")
        shown = listed[0].restores or listed[0].version
        before = next((row for row in listed if row.version == shown - 1), None)
        if before is None:
            raise InputError("There is no plan before this one.")
        with unit.work() as db:
            reading = store.get(db, session_id, shown).document.get("reading")
            if isinstance(reading, int):
                undo_reading(unit, session_id, reading)
            return use_version(unit, session_id, before.restores or before.version)
