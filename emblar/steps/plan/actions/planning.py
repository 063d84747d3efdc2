"""Plan: solve every drum of the kit for the voice it is to play, and keep the version."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from emblar.core.catalogue import Catalogue
from emblar.core.errors import DocumentError, EmblarError, InputError, NoSolutionError
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.plan_drum import (
    DrumPlan,
    Task,
    plan_drum,
    plan_drums,
    with_less_to_buy,
    without_heads,
)
from emblar.core.planning.target import Target, moved, target_from_card
from emblar.core.planning.toms import School, tom_pitches_hz
from emblar.core.planning.why import fit_warnings
from emblar.core.synthesis.played import What, kit_played, played
from emblar.core.synthesis.stroke import Samples, Voice, drum_voice
from emblar.core.voices import is_tom
from emblar.formats.analysis import card_from_file
from emblar.formats.brief import ERRANDS
from emblar.formats.plan import DrumPlanFile, drum_plan_file
from emblar.formats.stored import by_id, lenient
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import Studio, in_session, one_at_a_time
from emblar.steps.brief.actions import request_of, steps_of
from emblar.steps.kit.actions.drums import kit as kit_of
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record
from emblar.steps.log.actions.entries import with_due_heads
from emblar.steps.log.actions.evidence import use_reading
from emblar.steps.plan import queries as store
from emblar.steps.plan.actions.by_hand import changed_by_hand, held, what_followed
from emblar.steps.plan.queries import PlanInfo
from emblar.steps.sessions.actions.editing import brief_of, one_session
from emblar.steps.shelf.actions import loose_heads, own_parts

SAMPLE_RATE_HZ = 44100
OFF_THE_SHELF = (
    "This plan uses {}, which is no longer on the shelf. Plan this kit again, or put it back on "
    "the shelf."
)
PLANNED_BEFORE = (
    "This plan was made by an earlier Emblar and cannot be shown as it was. Plan this kit again; "
    "what you asked by hand is kept."
)
PEAK = 0.7


@dataclass(frozen=True, slots=True)
class KitPlan:
    """A version of the plan: the planned drums by id, and why others are not."""

    version: int
    drums: dict[int, DrumPlanFile]
    problems: dict[int, str]
    warnings: tuple[str, ...] = ()
    """Cautions that concern several drums together."""


def target_of(matches: AnalysedRecord | None, voice: str | None) -> Target | None:
    """Return what a voice of the record sets as target, or None."""
    card = matches.voice(voice) if matches and voice else None
    return target_from_card(card_from_file(card)) if card else None


def plan_kit(studio: Studio, session_id: int, *, says: str = "Kit planned") -> KitPlan:
    """Plan every drum that is to play a voice, and keep the plan as a new version.

    ``says`` is what led to it, as the list of versions shows it.
    """
    with one_at_a_time(studio, session_id) as unit:
        return _plan_kit(unit, session_id, says)


def _plan_kit(studio: Studio, session_id: int, says: str) -> KitPlan:
    matches, brief = (
        measured_record(studio, session_id),
        brief_of(one_session(studio, session_id)).brief(),
    )
    with in_session(studio, session_id) as db:
        drums = with_due_heads(studio, kit_store.listing(db, session_id))
    tasks: dict[int, Task] = {}
    problems: dict[int, str] = {}
    for drum in drums:
        try:
            tasks[drum.id] = task_of(drum, matches)
        except EmblarError as error:
            problems[drum.id] = str(error)
    planned: dict[int, DrumPlanFile] = {}
    results = plan_drums(list(tasks.values()), brief=brief, shelf=the_shelf(studio))
    for drum_id, result in zip(tasks, results, strict=True):
        if isinstance(result, EmblarError):
            problems[drum_id] = str(result)
        else:
            planned[drum_id] = _as_on_record(result, matches, tasks[drum_id])
    return _keep(studio, session_id, planned, problems, says)


def tune_toms(studio: Studio, session_id: int, school: School) -> KitPlan:
    """Give the toms their pitches by a school and plan the kit; ``record`` takes them back.

    Raises
    ------
    InputError
        No tom plays a voice, or the record or the brief does not tell what the school needs.
    """
    with one_at_a_time(studio, session_id) as unit:
        return _tune_toms(unit, session_id, school)


def _tune_toms(studio: Studio, session_id: int, school: School) -> KitPlan:
    result, requested = (
        measured_record(studio, session_id),
        brief_of(one_session(studio, session_id)),
    )
    with in_session(studio, session_id) as db:
        drums = kit_store.listing(db, session_id)
    toms = sorted((d for d in drums if is_tom(d.voice or "")), key=lambda d: d.voice or "")
    if not toms:
        raise InputError("No tom plays a voice of the record yet. Give it one in Kit.")
    targets = [target_of(result, d.voice) for d in toms]
    record = [t.value("pitch") if t else None for t in targets]
    pitches: list[float] = []
    if school != "record":
        pitches = tom_pitches_hz(
            studio.catalogue(), school, record, [d.owned for d in toms], requested.key
        )
    with in_session(studio, session_id) as db:
        for index, drum in enumerate(toms):
            wish = {name: value for name, value in drum.wish.items() if name != "pitch_hz"}
            if pitches:
                wish["pitch_hz"] = round(pitches[index], 1)
            kit_store.set_wish(db, drum.id, wish)
    return plan_kit(studio, session_id, says=f"Toms tuned by {school}")


def the_shelf(studio: Studio) -> Shelf:
    """Return what lies on the shelf, without drums."""
    catalogue = studio.catalogue()
    return Shelf(
        (),
        tuple(h.owned for h in loose_heads(studio)),
        tuple(catalogue.dampers),
        tuple(catalogue.strikers),
        catalogue=catalogue,
    )


def task_of(drum: KitDrum, matches: AnalysedRecord | None) -> Task:
    """Return what is to be planned for a drum: the record as wished, and what was asked by hand."""
    request = request_of(drum)
    target = target_of(matches, drum.voice)
    if target is None:
        if request.pitch_hz is None:
            raise InputError(
                f"{drum.owned.name} has no part of the record yet. Give it one in Kit, or ask for "
                "a pitch by hand."
            )
        target = Target("by hand", {}, {})
    return Task(drum.owned, moved(target, steps_of(drum)), request)


def _as_on_record(plan: DrumPlan, matches: AnalysedRecord | None, task: Task) -> DrumPlanFile:
    """Return a plan to keep; it holds the record as it is, not as it is wished."""
    target = target_of(matches, task.target.voice)
    return drum_plan_file(replace(plan, target=dict(target.values) if target else {}))


def replan_drum(studio: Studio, session_id: int, drum_id: int, wish: dict[str, Any]) -> KitPlan:
    """Keep what was asked of one drum by hand and plan that drum anew; the others stay.

    Nothing is kept if the drum cannot be planned so.
    """
    with one_at_a_time(studio, session_id) as unit:
        return _replan_drum(unit, session_id, drum_id, wish, "")


def replan_for_reading(studio: Studio, session_id: int, drum_id: int, hz: float) -> KitPlan:
    """Plan a drum for the reading of its pitch that a person hears on the record.

    Raises
    ------
    InputError
        It plays nothing of the record.
    """
    with one_at_a_time(studio, session_id) as unit, in_session(unit, session_id) as db:
        drum = kit_store.get(db, session_id, drum_id)
        if drum.voice is None:
            raise InputError(f"{drum.owned.name} has no part of the record yet.")
        chosen = use_reading(unit, session_id, drum.voice, hz)
        wish = {name: value for name, value in drum.wish.items() if name != "pitch_hz"}
        says = f"Reading {hz:.0f} Hz used"
        return _replan_drum(unit, session_id, drum_id, wish, says, reading=chosen.id)


def _replan_drum(
    studio: Studio,
    session_id: int,
    drum_id: int,
    wish: dict[str, Any],
    says: str,
    *,
    reading: int | None = None,
) -> KitPlan:
    result = measured_record(studio, session_id)
    with in_session(studio, session_id) as db:
        drum = kit_store.get(db, session_id, drum_id)
    before = latest_plan(studio, session_id)
    drums = dict(before.drums) if before else {}
    problems = dict(before.problems) if before else {}
    current = _still_valid(drums.get(drum_id), drum)
    if current is not None and current.drum is not None:
        # With what the log told when the kit was planned.
        drum = replace(drum, owned=current.drum.owned())
    changed = changed_by_hand(drum.wish, wish)
    rest = held(wish, changed, current, drum.owned) if current is not None and not says else None
    task = task_of(replace(drum, wish=wish), result)
    others = [file for i, file in drums.items() if i != drum_id]
    plan = _planner(studio, session_id, drum, task, others)
    try:
        planned = plan(rest or wish)
    except NoSolutionError:
        if rest is None:
            raise
        rest, planned = None, plan(wish)
    with in_session(studio, session_id) as db:
        kit_store.set_wish(db, drum_id, wish)
    drums[drum_id] = _as_on_record(planned, result, task)
    problems.pop(drum_id, None)
    if not says and current is not None:
        says = what_followed(changed, current, drums[drum_id], kept_rest=rest is not None)
    says = f"{drum.owned.name}: {says or 'changed by hand'}"
    return _keep(studio, session_id, drums, problems, says, reading=reading)


def _still_valid(file: DrumPlanFile | None, drum: KitDrum) -> DrumPlanFile | None:
    """Return a drum's plan if the drum is still as it was planned, otherwise None."""
    if file is None or file.drum is None or file.drum.owned().as_inspected() != drum.owned:
        return None
    return file


def _planner(
    studio: Studio, session_id: int, drum: KitDrum, task: Task, others: Sequence[DrumPlanFile]
) -> Callable[[dict[str, Any]], DrumPlan]:
    """Return a function that plans a drum for given wishes, with the heads other drums leave."""
    request = brief_of(one_session(studio, session_id))
    shelf, brief = left_by(others, the_shelf(studio), request.brief())

    def plan(wishes: dict[str, Any]) -> DrumPlan:
        return plan_drum(
            shelf.catalogue,
            task.owned,
            task.target,
            request_of(replace(drum, wish=wishes)),
            brief=brief,
            shelf=shelf,
            thorough=False,
        )

    return plan


def left_by(others: Sequence[DrumPlanFile], shelf: Shelf, brief: Brief) -> tuple[Shelf, Brief]:
    """Return what other drums' plans leave of the shelf, and of the heads that may be bought."""
    taken: list[tuple[str, float]] = []
    for file in others:
        if file.drum is None:
            continue
        new = [
            h
            for h, current in ((file.batter, file.drum.batter), (file.reso, file.drum.reso))
            if h is not None and h != current
        ]
        for bought in file.bought:
            if bought in new:
                new.remove(bought)
        taken += [(h, file.drum.diameter_in) for h in new]
    return without_heads(shelf, taken), with_less_to_buy(brief, sum(len(f.bought) for f in others))


def _keep(
    studio: Studio,
    session_id: int,
    drums: dict[int, DrumPlanFile],
    problems: dict[int, str],
    says: str,
    *,
    reading: int | None = None,
) -> KitPlan:
    """Keep a version; ``reading`` is the choice of a reading that led to it, undone with it."""
    kit = kit_of(studio, session_id)
    brief = brief_of(one_session(studio, session_id)).brief()
    warnings = kit_warnings(studio.catalogue(), list(drums.values()), brief)
    document = {
        "drums": {str(i): d.model_dump(by_alias=True, mode="json") for i, d in drums.items()},
        "problems": {str(i): text for i, text in problems.items()},
        "wishes": {str(d.id): d.wish for d in kit},
        "parts": {str(d.id): [d.voice, d.also] for d in kit},
        "warnings": list(warnings),
        "reading": reading,
    }
    marks = planned_from(studio, session_id)
    with in_session(studio, session_id) as db:
        before = store.latest(db, session_id)
        # The same again is no new version.
        if before is not None and all(
            before.document.get(name) == document[name] for name in ("drums", "problems")
        ):
            store.set_inputs(db, session_id, before.version, marks)
            info = before
        else:
            info = store.add(db, session_id, document, says=says, inputs=marks)
    return KitPlan(info.version, drums, problems, warnings)


def kit_plan_of(catalogue: Catalogue, info: PlanInfo) -> KitPlan:
    """Return a version as it was planned, with a reason for each drum that cannot be shown so."""
    drums: dict[int, DrumPlanFile] = {}
    problems = {i: str(says) for i, says in by_id(info.document, "problems").items()}
    for i, document in by_id(info.document, "drums").items():
        try:
            file = lenient(DrumPlanFile, document, "This plan")
        except DocumentError:
            problems[i] = PLANNED_BEFORE
            continue
        gone = [d for d in file.dampers if d not in catalogue.dampers]
        gone += [
            h
            for h in (file.batter, file.reso)
            if h is not None and h not in catalogue.constructions
        ]
        if gone:
            problems[i] = OFF_THE_SHELF.format(", ".join(gone))
        else:
            drums[i] = file
    warnings = info.document.get("warnings")
    texts = warnings if isinstance(warnings, list) else []
    return KitPlan(info.version, drums, problems, tuple(str(text) for text in texts))


def kit_warnings(
    catalogue: Catalogue, planned: Sequence[DrumPlanFile], brief: Brief
) -> tuple[str, ...]:
    """Return the cautions that concern several drums together.

    The plan of each drum holds the cautions for that drum alone.
    """
    files = [file for file in planned if file.drum is not None]
    shelf = Shelf(tuple(file.drum.owned() for file in files if file.drum), catalogue=catalogue)
    rows = [file.weighed(place) for place, file in enumerate(files)]
    together = [reason.text for reason in fit_warnings(rows, shelf, brief)]
    alone = {text for file in files for text in file.cautions}
    alone |= {reason.text for row in rows for reason in fit_warnings([row], shelf, brief)}
    return tuple(text for text in together if text not in alone)


def latest_plan(studio: Studio, session_id: int) -> KitPlan | None:
    """Return the newest version of a session's plan, or None."""
    with in_session(studio, session_id) as db:
        info = store.latest(db, session_id)
    return kit_plan_of(studio.catalogue(), info) if info else None


def planned_from(studio: Studio, session_id: int) -> dict[str, str]:
    """Return marks of what a plan is made from: they change when it does."""
    result, requested = analysed_record(studio, session_id), one_session(studio, session_id).brief
    targets = []
    if result is not None:
        for card in result.analysis.voices:
            target = target_of(result, card.voice)
            known = target.values if target else {}
            targets.append((card.voice, [(n, round(q.value, 3)) for n, q in known.items()]))
    drums = [(d.id, d.owned, d.voice, d.also) for d in kit_of(studio, session_id)]
    shelf = [
        (h.owned.construction, h.owned.diameter_in, h.owned.count) for h in loose_heads(studio)
    ]
    parts = [(p.id, p.part) for p in own_parts(studio)]
    brief = [(name, value) for name, value in sorted(requested.items()) if name not in ERRANDS]
    inputs = {"brief": brief, "record": targets, "kit": drums, "shelf": (sorted(shelf), parts)}
    return {
        name: hashlib.sha256(repr(value).encode()).hexdigest()[:16]
        for name, value in inputs.items()
    }


def changed_since(studio: Studio, session_id: int) -> tuple[str, ...]:
    """Return what changed since the newest plan: brief, record, kit or shelf."""
    with in_session(studio, session_id) as db:
        info = store.latest(db, session_id)
    if info is None or not info.inputs:
        return ()
    marks = planned_from(studio, session_id)
    return tuple(name for name, mark in marks.items() if info.inputs.get(name) != mark)


def kit_sound(studio: Studio, session_id: int) -> bytes:
    """Return the planned kit in a groove as WAV, toms humming along.

    Raises
    ------
    InputError
        Nothing is planned.
    """
    plan, catalogue = latest_plan(studio, session_id), studio.catalogue()
    voices: dict[str, Voice] = {}
    for file in plan.drums.values() if plan else ():
        voices.setdefault(file.voice, drum_voice(file.predicted(catalogue), file.kind))
    return _wav(kit_played(voices, sample_rate_hz=SAMPLE_RATE_HZ))


def _wav(samples: Samples) -> bytes:
    return wav_bytes(PEAK * samples / max(float(abs(samples).max()), 1e-9), SAMPLE_RATE_HZ)


def planned_sound(studio: Studio, session_id: int, drum_id: int, what: What) -> bytes:
    """Return the planned drum played as WAV: one stroke, growing strokes, or a groove.

    Raises
    ------
    InputError
        The drum is not planned.
    """
    with in_session(studio, session_id) as db:
        kit_store.get(db, session_id, drum_id)
    plan = latest_plan(studio, session_id)
    file = plan.drums.get(drum_id) if plan else None
    if file is None:
        raise InputError("This drum is not planned yet. Plan the kit first.")
    voice = drum_voice(file.predicted(studio.catalogue()), file.kind)
    return _wav(played(voice, file.kind, what, sample_rate_hz=SAMPLE_RATE_HZ))
