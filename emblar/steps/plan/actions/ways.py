"""Ways to plan the whole kit, weighed at once, to look at side by side and to take.

What was asked of single drums by hand is left out, but for wished pitches and steps; taking a way
asks for all of it on the drums it uses.
"""

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, replace

from emblar.core.catalogue import Catalogue
from emblar.core.drum import Wish
from emblar.core.errors import InputError
from emblar.core.planning.assign import KitAlternative
from emblar.core.planning.assign import PlannedKit as Weighing
from emblar.core.planning.assign import plan_kit as search_kit
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.problem import Problem
from emblar.core.planning.recipe import kind_of_voice
from emblar.core.planning.target import Target, moved
from emblar.core.quantities import Measured
from emblar.platform.studio import Studio, in_session, one_at_a_time
from emblar.steps.brief.actions import request_of, steps_of, wish_of
from emblar.steps.kit.actions.drums import serious
from emblar.steps.kit.queries import slots as store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.listen.actions.recordings import AnalysedRecord
from emblar.steps.log.actions.entries import with_due_heads
from emblar.steps.plan.actions.planning import KitPlan, plan_kit, target_of, the_shelf
from emblar.steps.sessions.actions.editing import brief_of, one_session

NOTHING_TO_WEIGH = (
    "Add a record in Listen and drums in Kit first; then alternatives can be compared."
)
KEPT = 4
_weighed: OrderedDict[str, Weighing] = OrderedDict()
"""The last weighings by what went in: looking at two others must not search again."""


@dataclass(frozen=True, slots=True)
class Ways:
    """The ways of a kit: each gives voices a drum by its place in ``drums``."""

    alternatives: tuple[KitAlternative, ...]
    drums: tuple[KitDrum, ...]
    unmet: tuple[str, ...]

    def named(self, name: str) -> KitAlternative:
        """Return a way by name; the best for a name that is none."""
        return next((a for a in self.alternatives if a.name == name), self.alternatives[0])


@dataclass(frozen=True, slots=True)
class _Asked:
    """What is weighed: targets, drums, and the shelf with the drums on it."""

    targets: list[Target]
    drums: list[KitDrum]
    shelf: Shelf
    brief: Brief

    def problem(self, locks: Mapping[str, Wish]) -> Problem:
        return Problem(self.targets, self.shelf, self.brief, locks=locks)


def _request(studio: Studio, session_id: int) -> _Asked:
    result, brief = (
        measured_record(studio, session_id),
        brief_of(one_session(studio, session_id)).brief(),
    )
    with in_session(studio, session_id) as db:
        drums = with_due_heads(studio, store.listing(db, session_id))
    if result is None or not drums:
        raise InputError(NOTHING_TO_WEIGH)
    # Two drums may share a name; the search tells them apart by it.
    owned = tuple(replace(d.owned, name=f"{d.owned.name} ({d.id})") for d in drums)
    return _Asked(_targets(result, drums), drums, replace(the_shelf(studio), drums=owned), brief)


def ways_of(studio: Studio, session_id: int) -> Ways:
    """Weigh the ways of planning a session's kit.

    Raises
    ------
    InputError
        There is no record, or no drum in the kit.
    """
    request = _request(studio, session_id)
    weighing = _search_whole_kit(studio.catalogue(), request)
    return Ways(weighing.alternatives, tuple(request.drums), tuple(u.text for u in weighing.unmet))


def assign_voices(studio: Studio, session_id: int) -> KitPlan:
    """Give every voice of the record the drum that can play it best, and plan the kit.

    The whole kit is weighed at once. What was asked of single drums by hand stays asked.

    Raises
    ------
    InputError
        There is no record, or no drum in the kit.
    """
    with one_at_a_time(studio, session_id) as unit:
        request = _sound_only(_request(unit, session_id))
        pairs = zip(request.shelf.drums, request.drums, strict=True)
        held = {owned.name: request_of(drum) for owned, drum in pairs}
        best = search_kit(request.problem(held)).best
        with in_session(unit, session_id) as db:
            for voice, row in best.chosen.items():
                store.assign(db, request.drums[row.drum].id, voice)
        return plan_kit(unit, session_id, says="Drums matched to the record")


def _sound_only(request: _Asked) -> _Asked:
    """Leave drums with a fault that no tuning cures out, as long as others of their kind do."""
    kept = []
    for place, drum in enumerate(request.drums):
        kind = drum.owned.kind
        wanted = sum(kind_of_voice(t.voice) == kind for t in request.targets)
        fit = sum(d.owned.kind == kind and not serious(d.owned) for d in request.drums)
        if not serious(drum.owned) or fit < wanted:
            kept.append(place)
    shelf = replace(request.shelf, drums=tuple(request.shelf.drums[i] for i in kept))
    return replace(request, drums=[request.drums[i] for i in kept], shelf=shelf)


def _targets(record: AnalysedRecord, drums: list[KitDrum]) -> list[Target]:
    """Return the record's targets as wished of the drums that play their voices now."""
    targets = []
    for card in record.analysis.voices:
        target = target_of(record, card.voice)
        if card.voice in ("hat", "cymbal") or target is None:
            continue
        drum = next((d for d in drums if d.voice == card.voice and not d.also), None)
        if drum is not None:
            target = moved(target, steps_of(drum))
            if pitch := drum.wish.get("pitch_hz"):
                values = {**target.values, "pitch": Measured(pitch, 0.0, "Hz")}
                target = replace(target, values=values)
        targets.append(target)
    return targets


def _search_whole_kit(catalogue: Catalogue, request: _Asked) -> Weighing:
    # Pitches asked for by hand count; other choices by hand are left out.
    pairs = zip(request.shelf.drums, request.drums, strict=True)
    held = {
        owned.name: Wish(pitch_hz=hz) for owned, drum in pairs if (hz := drum.wish.get("pitch_hz"))
    }
    problem = request.problem(held)
    key = repr((catalogue, problem))
    if key not in _weighed:
        _weighed[key] = search_kit(problem, measure=True)
        while len(_weighed) > KEPT:
            _weighed.popitem(last=False)
    return _weighed[key]


def take_way(studio: Studio, session_id: int, name: str) -> KitPlan:
    """Ask for everything a way does, drum by drum, and plan the kit so."""
    with one_at_a_time(studio, session_id) as unit:
        return _take_way(unit, session_id, name)


def _take_way(studio: Studio, session_id: int, name: str) -> KitPlan:
    ways = ways_of(studio, session_id)
    chosen = ways.named(name).chosen
    wished = {d.voice: d.wish for d in ways.drums if d.voice and not d.also}
    with in_session(studio, session_id) as db:
        for voice, row in chosen.items():
            kept = {k: v for k, v in wished.get(voice, {}).items() if k in ("pitch_hz", "steps")}
            drum = ways.drums[row.drum].id
            store.assign(db, drum, voice)
            wish = wish_of(row.setup, ways.drums[row.drum].owned, port=True)
            store.set_wish(db, drum, {**kept, **wish})
    return plan_kit(studio, session_id, says=f"Way “{name}” used")
