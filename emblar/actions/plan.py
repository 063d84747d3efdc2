"""Plan: solve every drum of the kit for the voice it is to play, and keep the version."""

from dataclasses import dataclass, replace
from typing import Any

from pydantic import ValidationError

from emblar.actions.listen import Heard, heard
from emblar.actions.sessions import asked_of, one_session
from emblar.actions.shelf import loose_heads, use_own_parts
from emblar.core.catalogue import constructions, dampers, strikers
from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.plan_drum import DrumPlan, Request, plan_drum
from emblar.core.planning.recipe import relation_of
from emblar.core.planning.target import Target, moved, target_from_card
from emblar.core.planning.toms import School, tom_pitches_hz
from emblar.core.planning.weighing import Recipe
from emblar.core.synthesis.played import What, kit_played, played
from emblar.core.synthesis.stroke import Samples, Voice, drum_voice
from emblar.formats.analysis import card_from_file
from emblar.formats.kitplan import RecipeFile
from emblar.formats.plan import DrumPlanFile, drum_plan_file
from emblar.sound.encode import wav_bytes
from emblar.store import drums as drum_store
from emblar.store import plans as store
from emblar.store.database import one_at_a_time, transaction
from emblar.store.drums import KitDrum
from emblar.store.plans import PlanInfo

SAMPLE_RATE_HZ = 44100
OFF_THE_SHELF = (
    "This plan puts {} on the drum, which was taken off the shelf. Plan this kit again, or put it "
    "back on the shelf."
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


def target_of(found: Heard | None, voice: str | None) -> Target | None:
    """Return what a voice of the record sets as target, or None."""
    card = found.voice(voice) if found and voice else None
    return target_from_card(card_from_file(card)) if card else None


def request_of(drum: KitDrum) -> Request:
    """Return what was asked of a drum by hand."""
    asked = {name: value for name, value in drum.wish.items() if name != "steps"}
    return Request(**{**asked, "dampers": _tuple(drum.wish.get("dampers"))})


def wish_of(recipe: Recipe | RecipeFile, owned: OwnedDrum, *, port: bool) -> dict[str, Any]:
    """Return a recipe as what is asked of a drum by hand, its port only if that is to be."""
    wish: dict[str, Any] = {
        "relation": relation_of(recipe.semitones),
        "semitones": recipe.semitones,
        "batter": recipe.batter,
        "dampers": list(recipe.dampers),
        "striker": recipe.striker,
    }
    if recipe.reso is not None:
        wish["reso"] = recipe.reso
    if owned.kind == "snare":
        wish["wires"] = recipe.wires
    if port and may_be_ported(owned):
        wish["port"] = "closed" if recipe.port_in is None else "cut"
    return wish


def may_be_ported(owned: OwnedDrum) -> bool:
    """Whether a drum has a front head without a hole."""
    return owned.kind == "kick" and owned.reso is not None and owned.port_in is None


def steps_of(drum: KitDrum) -> dict[str, float]:
    """Return by how many steps a drum is wished to differ from the record, per quantity."""
    return dict(drum.wish.get("steps", {}))


def _tuple(value: list[str] | None) -> tuple[str, ...] | None:
    return tuple(value) if value is not None else None


def plan_kit(session_id: int) -> KitPlan:
    """Plan every drum that is to play a voice, and keep the plan as a new version."""
    with one_at_a_time(session_id):
        return _plan_kit(session_id)


def _plan_kit(session_id: int) -> KitPlan:
    found, brief = heard(session_id), asked_of(one_session(session_id)).brief()
    with transaction() as db:
        drums = drum_store.listing(db, session_id)
    planned: dict[int, DrumPlan] = {}
    problems: dict[int, str] = {}
    shelf = the_shelf()
    for drum in drums:
        try:
            planned[drum.id] = _plan(drum, found, brief, shelf)
        except EmblarError as error:
            problems[drum.id] = str(error)
    return _keep(session_id, {i: drum_plan_file(p) for i, p in planned.items()}, problems)


def tune_toms(session_id: int, school: School) -> KitPlan:
    """Give the toms their pitches by a school and plan the kit; ``record`` takes them back.

    Raises
    ------
    InputError
        No tom plays a voice, or the record or the brief does not tell what the school needs.
    """
    found, asked = heard(session_id), asked_of(one_session(session_id))
    with transaction() as db:
        drums = drum_store.listing(db, session_id)
    toms = sorted(
        (d for d in drums if (d.voice or "").startswith("tom-")), key=lambda d: d.voice or ""
    )
    if not toms:
        raise InputError("No tom plays a voice of the record yet. Give it one in Kit.")
    targets = [target_of(found, d.voice) for d in toms]
    record = [t.value("pitch") if t else None for t in targets]
    pitches: list[float] = []
    if school != "record":
        pitches = tom_pitches_hz(school, record, [d.owned for d in toms], asked.key)
    with transaction() as db:
        for index, drum in enumerate(toms):
            wish = {name: value for name, value in drum.wish.items() if name != "pitch_hz"}
            if pitches:
                wish["pitch_hz"] = round(pitches[index], 1)
            drum_store.set_wish(db, drum.id, wish)
    return plan_kit(session_id)


def the_shelf() -> Shelf:
    """Return what lies on the shelf, without drums."""
    use_own_parts()
    return Shelf((), tuple(h.owned for h in loose_heads()), tuple(dampers()), tuple(strikers()))


def _plan(
    drum: KitDrum, found: Heard | None, brief: Brief, shelf: Shelf, *, thorough: bool = True
) -> DrumPlan:
    request = request_of(drum)
    target = target_of(found, drum.voice)
    if target is None:
        if request.pitch_hz is None:
            raise InputError(
                f"{drum.owned.name} plays no voice of the record yet. Give it one in Kit, or wish "
                "a pitch by hand."
            )
        target = Target("by hand", {}, {})
    wished = moved(target, steps_of(drum))
    plan = plan_drum(drum.owned, wished, request, brief=brief, shelf=shelf, thorough=thorough)
    # What is shown beside the plan is the record as it is, not as it is wished.
    return replace(plan, target=dict(target.values))


def replan_drum(session_id: int, drum_id: int, wish: dict[str, Any]) -> KitPlan:
    """Keep what was asked of one drum by hand and plan that drum anew; the others stay.

    Nothing is kept if the drum cannot be planned so.
    """
    with one_at_a_time(session_id):
        return _replan_drum(session_id, drum_id, wish)


def _replan_drum(session_id: int, drum_id: int, wish: dict[str, Any]) -> KitPlan:
    found, brief = heard(session_id), asked_of(one_session(session_id)).brief()
    with transaction() as db:
        drum = drum_store.get(db, drum_id)
    planned = _plan(replace(drum, wish=wish), found, brief, the_shelf(), thorough=False)
    with transaction() as db:
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
        info = store.add(db, session_id, document)
    return KitPlan(info.version, drums, problems)


def _kit_plan(info: PlanInfo) -> KitPlan:
    drums: dict[int, DrumPlanFile] = {}
    problems = {int(i): text for i, text in info.document["problems"].items()}
    for i, document in info.document["drums"].items():
        try:
            file = DrumPlanFile.model_validate(document)
        except ValidationError:
            problems[int(i)] = PLANNED_BEFORE
            continue
        gone = [d for d in file.dampers if d not in dampers()]
        gone += [h for h in (file.batter, file.reso) if h is not None and h not in constructions()]
        if gone:
            problems[int(i)] = OFF_THE_SHELF.format(", ".join(gone))
        else:
            drums[int(i)] = file
    return KitPlan(info.version, drums, problems)


def latest_plan(session_id: int) -> KitPlan | None:
    """Return the newest version of a session's plan, or None."""
    use_own_parts()
    with transaction() as db:
        info = store.latest(db, session_id)
    return _kit_plan(info) if info else None


def kit_sound(session_id: int) -> bytes:
    """Return the planned kit in a groove as WAV, toms humming along.

    Raises
    ------
    InputError
        Nothing is planned.
    """
    plan = latest_plan(session_id)
    voices: dict[str, Voice] = {}
    for file in plan.drums.values() if plan else ():
        voices.setdefault(file.voice, drum_voice(file.predicted(), file.kind))
    return _wav(kit_played(voices, sample_rate_hz=SAMPLE_RATE_HZ))


def _wav(samples: Samples) -> bytes:
    return wav_bytes(PEAK * samples / max(float(abs(samples).max()), 1e-9), SAMPLE_RATE_HZ)


def planned_sound(session_id: int, drum_id: int, what: What) -> bytes:
    """Return the planned drum played as WAV: one stroke, growing strokes, or a groove.

    Raises
    ------
    InputError
        The drum is not planned.
    """
    plan = latest_plan(session_id)
    file = plan.drums.get(drum_id) if plan else None
    if file is None:
        raise InputError("This drum is not planned yet. Plan the kit first.")
    voice = drum_voice(file.predicted(), file.kind)
    return _wav(played(voice, file.kind, what, sample_rate_hz=SAMPLE_RATE_HZ))
