"""One drum planned whole: recipe, reasons, predicted card, range, and what to be careful with."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from emblar.core.acoustics.drum import Drum, Kind
from emblar.core.acoustics.forward import Prediction, predict, settling
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Relation, Setup, Wish
from emblar.core.errors import EmblarError, InputError, NoSolutionError
from emblar.core.planning.alike import alike_toms
from emblar.core.planning.assign import SAME_SIZE_IN, shared_out
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.cautions import cautions_of
from emblar.core.planning.kit import OwnedDrum, check_range, model, wearing
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.problem import Problem
from emblar.core.planning.recipe import relation_of, workable_range_hz
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.sounds import other_sounds
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weighed
from emblar.core.planning.why import Explainer, Reason, School
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from emblar.core.synthesis.stroke import Partial, Voice, settle_span_s

NOTHING_ASKED = Brief()
SETTLINGS = 2
LEAST_STEPS = 0.5


@dataclass(frozen=True, slots=True)
class Other:
    """Another way to plan the drum: what it is best at, and what it moves against the chosen."""

    name: str
    says: str
    weighed: Weighed
    moves: dict[str, float]


@dataclass(frozen=True, slots=True)
class DrumPlan:
    """The plan for one drum."""

    owned: OwnedDrum
    voice: str
    weighed: Weighed
    prediction: Prediction
    reasons: tuple[Reason, ...]
    schools: tuple[School, ...]
    others: tuple[Other, ...]
    sounds: tuple[Other, ...]
    """The same tuning with other muffling."""
    card: dict[str, Measured]
    target: dict[str, Measured]
    missing: dict[str, str]
    range_hz: tuple[float, float]
    cautions: tuple[str, ...]

    @property
    def setup(self) -> Setup:
        """Return what to put on and where to tune."""
        return self.weighed.setup

    @property
    def relation(self) -> Relation:
        """Return the relation of the heads by name."""
        return relation_of(self.setup.semitones)


@dataclass(frozen=True, slots=True)
class Task:
    """One drum to plan: what it is to sound like, and what stays as asked by hand."""

    owned: OwnedDrum
    target: Target
    request: Wish


def plan_drum(
    catalogue: Catalogue,
    owned: OwnedDrum,
    target: Target,
    request: Wish,
    *,
    brief: Brief = NOTHING_ASKED,
    shelf: Shelf | None = None,
    thorough: bool = True,
) -> DrumPlan:
    """Plan one drum.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned
        The drum with what is on it.
    target
        The record's card of the voice it is to play.
    request
        What stays as asked by hand.
    brief, shelf
        What is asked of the kit, and what loose heads, dampers and strikers there are; by default
        every damper and striker of the catalogue.
    thorough
        Look round the best recipes once more and measure their strokes; without it a change by
        hand is answered at once.

    Raises
    ------
    InputError
        Neither the record nor a wish says which pitch.
    NoSolutionError
        The drum cannot reach the pitch; what it can is in the message.
    """
    available = (
        Shelf((owned,), (), tuple(catalogue.dampers), catalogue=catalogue)
        if shelf is None
        else replace(shelf, catalogue=catalogue)
    )
    one = _Search(Task(owned, target, request), available, brief)
    return one.explain(one.candidates(thorough=thorough))


def plan_drums(
    tasks: Sequence[Task], *, brief: Brief, shelf: Shelf, thorough: bool = True
) -> list[DrumPlan | EmblarError]:
    """Plan several drums that share a shelf and what may be bought.

    Each drum is searched by itself; then the kit is settled at once, so that no loose head goes on
    two drums and no more heads are bought than the brief allows. What was chosen by hand comes
    first.

    Parameters
    ----------
    tasks
        A drum each, with its target and what was asked of it.
    brief
        What was asked for.
    shelf
        What is owned and may be bought.
    thorough
        Whether to take a last look round what was found.

    Returns
    -------
    list
        A plan or the reason why there is none, in the order of ``tasks``.
    """
    results: list[DrumPlan | EmblarError | None] = [None] * len(tasks)
    options: dict[int, tuple[_Search, list[Weighed]]] = {}
    for i, task in enumerate(tasks):
        try:
            one = _Search(task, shelf, brief)
            options[i] = one, one.candidates(thorough=thorough)
        except EmblarError as error:
            results[i] = error
    chosen = _alike(
        shelf.catalogue,
        shared_out({i: result for i, (_, result) in options.items()}, shelf, brief),
        options,
    )
    left, budget = _after(chosen.values(), shelf, brief)
    for i, (one, result) in options.items():
        try:
            if i in chosen:
                row = chosen[i]
                results[i] = one.explain([row, *(w for w in result if w is not row)])
                continue
            # Its heads went to other drums: what is left, and what may still be bought.
            again = _Search(tasks[i], left, budget)
            row_again = again.candidates(thorough=False)
            left, budget = _after(row_again[:1], left, budget)
            results[i] = again.explain(row_again)
        except EmblarError as error:
            results[i] = error
    return [r for r in results if r is not None]


def _alike(
    catalogue: Catalogue,
    chosen: Mapping[int, Weighed],
    options: Mapping[int, tuple["_Search", list[Weighed]]],
) -> dict[int, Weighed]:
    """Return the drums' recipes with one kind of damper on the toms, unless two bring more."""

    def weigh(name: str, setups: Sequence[Setup]) -> Sequence[Weighed | None]:
        row = chosen[int(name)]
        return options[int(name)][0].search.dressed_alike(setups, row.card["pitch"])

    result = alike_toms(catalogue, {str(i): row for i, row in chosen.items()}, weigh)
    return {int(name): row for name, row in result.items()}


def _after(chosen: Iterable[Weighed], shelf: Shelf, brief: Brief) -> tuple[Shelf, Brief]:
    rows = list(chosen)
    left = without_heads(shelf, (head for row in rows for head in row.shelf_heads))
    return left, with_less_to_buy(brief, sum(len(row.bought) for row in rows))


def without_heads(shelf: Shelf, taken: Iterable[tuple[str, float]]) -> Shelf:
    """Return a shelf without loose heads that are taken, as (construction, diameter in inches)."""
    heads = list(shelf.heads)
    for construction_id, diameter in taken:
        for place, head in enumerate(heads):
            same = head.construction == construction_id and head.count > 0
            if same and abs(head.diameter_in - diameter) < SAME_SIZE_IN:
                heads[place] = replace(head, count=head.count - 1)
                break
    return replace(shelf, heads=tuple(heads))


def with_less_to_buy(brief: Brief, bought: int) -> Brief:
    """Return a brief that allows only what is left of the heads to buy."""
    return replace(brief, budget_heads=max(0, brief.budget_heads - bought))


class _Search:
    """One drum's search, and what is told of the recipe chosen from it."""

    def __init__(self, task: Task, shelf: Shelf, brief: Brief) -> None:
        self.owned, self.request, self.brief = task.owned, task.request, brief
        self.target = task.target
        self.pitch = _wished_pitch(shelf.catalogue, task, brief)
        known = _wished(task.target, self.pitch)
        self.asked = replace(task.target, values={**task.target.values, "pitch": known})
        self.shelf = replace(shelf, drums=(self.owned,))
        self.catalogue = shelf.catalogue
        self.problem = self._problem(self.request)
        self.search = self.problem.search(self.asked.voice, 0)

    def _problem(self, locks: Wish) -> Problem:
        return Problem((self.asked,), self.shelf, self.brief, locks={self.owned.name: locks})

    def _free(self) -> DrumSearch:
        """Return the search with nothing asked of the muffling."""
        locks = replace(self.request, dampers=None)
        return self._problem(locks).search(self.asked.voice, 0)

    def candidates(self, *, thorough: bool) -> list[Weighed]:
        """Return the best recipes, best first."""
        search = self.search
        result = search.best()
        if not result:
            raise NoSolutionError(
                f"{self.owned.name}: these heads cannot be tuned to {self.pitch:.0f} Hz. Choose "
                "another drum for this part, another relation of the heads, or another pitch."
            )
        return search.finalists(result) if thorough else result

    def explain(self, matches: list[Weighed]) -> DrumPlan:
        """Return the plan with the first recipe, the others as other ways."""
        best, owned = matches[0], self.owned
        if best.short_cents and owned.kind != "kick":
            way, size = ("high", "smaller") if best.short_cents < 0 else ("low", "larger")
            by_hand = self.request.pitch_hz is not None
            raise NoSolutionError(
                f"{owned.name}: its heads cannot be tuned that {way} ({self.pitch:.0f} Hz). The "
                f"nearest safe pitch is {best.card['pitch']:.0f} Hz, {abs(best.short_cents):.0f} "
                f"cents off. Choose a {size} drum for this part"
                + (", or other heads." if by_hand else ", or enter the pitch by hand.")
            )
        setup = best.setup
        drum = model(
            self.catalogue,
            wearing(owned, setup.reso, setup.port_in),
            batter=setup.batter,
            reso=setup.reso,
            dampers=setup.dampers,
            striker=setup.striker,
            wires_setting=setup.wires,
        )
        pitch = best.card["pitch"] if best.short_cents else self.pitch
        row, prediction = _settled_at(best, drum, owned.kind, pitch)
        explain = Explainer(row, self.problem)
        card = predicted_card(prediction, owned.kind)
        return DrumPlan(
            owned=owned,
            voice=self.target.voice,
            weighed=row,
            prediction=prediction,
            reasons=tuple(explain.reasons()),
            schools=tuple(explain.schools()),
            others=tuple(_others(best, matches)),
            sounds=tuple(
                Other(sound.name, sound.says, sound.weighed, _moves(sound.weighed, row))
                for sound in other_sounds(row, self._free())
            ),
            card=card,
            target=dict(self.target.values),
            missing=dict(self.target.missing),
            range_hz=workable_range_hz(drum, prediction.tensions),
            cautions=cautions_of(
                _as_shown(replace(row, drum=0), card),
                prediction,
                self.shelf,
                self.brief,
                wish_hz=self.pitch,
            ),
        )


def _as_shown(row: Weighed, card: dict[str, Measured]) -> Weighed:
    """Return a recipe with the length that the plan shows, so that its cautions say the same."""
    length = card.get("length")
    return replace(row, card={**row.card, "length": length.value}) if length else row


def _wished_pitch(catalogue: Catalogue, task: Task, brief: Brief) -> float:
    """Return the pitch in Hz to plan for, everything asked by hand checked."""
    owned, target, request = task.owned, task.target, task.request
    pitch = request.pitch_hz or target.value("pitch")
    if pitch is None:
        why = target.missing.get("pitch", "it was not measured")
        raise InputError(
            f"{owned.name}: the record does not tell the pitch of {target.voice} ({why}). "
            "Wish a pitch by hand."
        )
    check_range("drum_pitch_hz", pitch)
    if request.semitones is not None:
        check_range("relation_semitones", request.semitones)
    if request.port in ("cut", "ring") and not _hole_may_be_had(catalogue, request, owned, brief):
        raise InputError(
            f"{owned.name}: the brief forbids cutting. Allow it there first, or allow a front head "
            "bought with a port; a cut cannot be undone.",
            field="port",
        )
    reso = request.reso
    if (
        owned.kind == "snare"
        and reso is not None
        and not catalogue.construction(reso).is_snare_side
    ):
        raise InputError(
            f"{owned.name}: “{catalogue.construction(reso).name}” is no snare-side film; "
            "wires do not answer on it. Choose a snare-side head there."
        )
    return pitch


def _hole_may_be_had(catalogue: Catalogue, request: Wish, owned: OwnedDrum, brief: Brief) -> bool:
    """Whether the hole asked for may be cut, is there, or comes with a head that may be bought."""
    if not brief.never_cut:
        return True
    if request.port == "ring":
        return False
    if request.reso is not None:
        current = request.reso == owned.reso and owned.port_in is not None
        return current or catalogue.construction(request.reso).hole_in is not None
    return owned.port_in is not None or brief.most_bought > 0


def _settled_at(row: Weighed, drum: Drum, kind: Kind, wish_hz: float) -> tuple[Weighed, Prediction]:
    """Bring a recipe's lug pitches to where a medium stroke settles at the wished pitch."""
    setup = row.setup
    for _ in range(SETTLINGS):
        result = settling(drum, setup.batter_hz, setup.reso_hz)
        fundamental = Partial(result.drum_pitch_hz, result.sustain_s, 1.0)
        voice = Voice((fundamental,), (), result.bend_cents, settle_span_s(kind))
        share = wish_hz / voice.settled_hz()
        reso = setup.reso_hz * share if setup.reso_hz is not None else None
        setup = replace(setup, batter_hz=setup.batter_hz * share, reso_hz=reso)
    return replace(row, setup=setup), predict(drum, setup.batter_hz, setup.reso_hz)


def _wished(target: Target, pitch: float) -> Measured:
    known = target.values.get("pitch")
    if known is not None and known.value == pitch:
        return known
    return Measured(pitch, 0.0, "Hz")


def _others(best: Weighed, matches: list[Weighed]) -> list[Other]:
    """Return the ways that are best at one thing and differ from the chosen one."""
    ways: list[tuple[str, str, Callable[[Weighed], tuple[float, float]]]] = [
        ("closest", "closest sound, any cost", lambda w: (w.distance, w.total)),
        ("least work", "fewest minutes", lambda w: (w.minutes, w.total)),
        ("buy nothing", "only heads that are there", lambda w: (len(w.bought), w.total)),
    ]
    out: list[Other] = []
    for name, says, key in ways:
        row = min(matches, key=key)
        if row is best or any(o.weighed is row for o in out) or key(row)[0] >= key(best)[0]:
            continue
        if name == "buy nothing" and (row.bought or not best.bought):
            continue
        out.append(Other(name, says, row, _moves(row, best)))
    return out


def _moves(row: Weighed, than: Weighed) -> dict[str, float]:
    """Return what a recipe moves against another, in audible steps; what is not heard left out."""
    moves = {
        n: steps()[n].apart(v, than.card[n])
        for n, v in row.card.items()
        if n in than.card and n != "pitch"
    }
    return {n: v for n, v in moves.items() if abs(v) >= LEAST_STEPS}
