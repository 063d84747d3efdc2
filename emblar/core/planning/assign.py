"""The whole kit at once: which drum plays which voice, with which recipe.

Conventions
-----------
Every voice gets at most one drum and every drum one voice, a higher tom never the larger drum;
loose heads on the shelf are finite, so is the budget for new ones. That is a small integer program,
solved exactly (HiGHS, through scipy). The same recipes are weighed in several ways; each way is one
*alternative*.
"""

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp

from emblar.core.drum import Setup
from emblar.core.naming import voice_title
from emblar.core.planning.alike import alike_toms
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.problem import Problem
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weighed
from emblar.core.voices import is_tom

Array = NDArray[Any]

MISSED_STEPS_PER_CENT = 0.1
MINUTE_FIRST = 1e3
SAME_SIZE_IN = 0.1
MINUTES_WEIGHED = (0.01, 0.03, 0.1, 0.3, 1.0, 10.0)
"""Audible steps that a minute counts for, the more the shorter the time is."""
Cost = Callable[[Weighed], float]


@dataclass(frozen=True, slots=True)
class Unmet:
    """A voice that no drum of this shelf can play as wished, and by how much it misses."""

    voice: str
    quantity: str
    wished: float
    nearest: float | None
    text: str


@dataclass(frozen=True, slots=True)
class KitAlternative:
    """One way of planning the kit."""

    name: str
    says: str
    chosen: Mapping[str, Weighed]

    @property
    def minutes(self) -> float:
        """Return all work together in minutes of one pair of hands."""
        return sum(w.minutes for w in self.chosen.values())

    @property
    def total(self) -> float:
        """Return the score of all drums together in steps."""
        return sum(w.total for w in self.chosen.values())

    @property
    def distance(self) -> float:
        """Return how far all drums together lie from their targets, weighted steps."""
        return sum(w.distance for w in self.chosen.values())


@dataclass(frozen=True, slots=True)
class PlannedKit:
    """The alternatives, the best first, and what cannot be met."""

    alternatives: tuple[KitAlternative, ...]
    unmet: tuple[Unmet, ...]
    candidates: int

    @property
    def best(self) -> KitAlternative:
        """Return the alternative with the best score."""
        return self.alternatives[0]


def searched(problem: Problem) -> dict[str, list[Weighed]]:
    """Return the best recipes of every voice on every drum that plays it."""
    return _search_voices(problem, problem.searches())


def _search_voices(
    problem: Problem, searches: Mapping[tuple[str, int], DrumSearch]
) -> dict[str, list[Weighed]]:
    rows: dict[str, list[Weighed]] = {target.voice: [] for target in problem.targets}
    for (voice, _), search in searches.items():
        rows[voice] += search.best()
    return rows


def plan_kit(problem: Problem, *, measure: bool = False) -> PlannedKit:
    """Plan a whole kit.

    Parameters
    ----------
    problem
        What is to sound like what, and what there is.
    measure
        Whether strokes of the best kit's recipes are rendered and measured, as when one drum is
        planned alone, where several are nearly as good. It takes another second.
    """
    searches, shelf, brief = problem.searches(), problem.shelf, problem.brief
    options = _search_voices(problem, searches)
    # Where the best kit stands, a last look round it, as when one drum is planned alone.
    for row in _assigned(options, shelf, brief, _scored).values():
        members = [w for w in options[row.voice] if w.drum == row.drum]
        others = [w for w in options[row.voice] if w.drum != row.drum]
        search = searches[row.voice, row.drum]
        look = search.finalists if measure else search.polished
        options[row.voice] = others + look(members)
    result = _alternatives(options, searches, shelf, brief)
    unmet = _unmet(problem.targets, options, result[0].chosen if result else {})
    if not result:
        result.append(KitAlternative("best", "closest to the record for its cost", {}))
    return PlannedKit(tuple(result), tuple(unmet), sum(len(rows) for rows in options.values()))


def _alternatives(
    options: Mapping[str, Sequence[Weighed]],
    searches: Mapping[tuple[str, int], DrumSearch],
    shelf: Shelf,
    brief: Brief,
) -> list[KitAlternative]:
    """Return the ways the whole kit can be planned, the best first."""
    ways: list[tuple[str, str, Cost, Callable[[Weighed], bool]]] = [
        ("best", "closest to the record for its cost", _scored, lambda _: True),
        ("closest", "closest sound, any cost", lambda w: w.distance, lambda _: True),
        (
            "least work",
            "fewest minutes",
            lambda w: MINUTE_FIRST * w.minutes + w.total,
            lambda _: True,
        ),
        ("buy nothing", "only heads that are there", _scored, lambda w: not w.bought),
        ("cut nothing", "no new hole", _scored, lambda w: not w.cut),
        ("equal heads", "both heads of a tom alike", _scored, _toms(0)),
        ("reso higher", "toms with the reso above", _scored, _toms(1)),
        ("reso lower", "toms with the reso below", _scored, _toms(-1)),
    ]
    result: list[KitAlternative] = []
    alike: dict[frozenset[tuple[str, int, Setup]], dict[str, Weighed]] = {}
    for name, says, cost, allowed in ways:
        if cost is _scored and result and all(map(allowed, result[0].chosen.values())):
            # What is best of all is best of those it is among.
            chosen = dict(result[0].chosen)
        else:
            rows = {v: [w for w in members if allowed(w)] for v, members in options.items()}
            chosen = _assigned(rows, shelf, brief, cost)
        if cost is _scored:
            key = frozenset((v, w.drum, w.setup) for v, w in chosen.items())
            if key not in alike:
                alike[key] = alike_toms(
                    shelf.catalogue, chosen, partial(_weighed_for, chosen, searches)
                )
            chosen = alike[key]
        if chosen and (name == "best" or len(chosen) == len(result[0].chosen)):
            result.append(KitAlternative(name, says, chosen))
    return result


def _weighed_for(
    chosen: Mapping[str, Weighed],
    searches: Mapping[tuple[str, int], DrumSearch],
    voice: str,
    setups: Sequence[Setup],
) -> Sequence[Weighed | None]:
    """Return recipes of a voice weighed on the drum that is chosen for it."""
    row = chosen[voice]
    return searches[voice, row.drum].dressed_alike(setups, row.card["pitch"])


def shared_out(
    options: Mapping[int, Sequence[Weighed]], shelf: Shelf, brief: Brief
) -> dict[int, Weighed]:
    """Return the best recipe of each drum so that shelf and budget do for all of them.

    Parameters
    ----------
    options
        Recipes by drum, best first; every drum plays what it plays already.
    shelf
        The loose heads there are.
    brief
        How many heads may be bought. What had to be bought for choices made by hand is on top.

    Returns
    -------
    dict
        One recipe a drum; a drum is left out if the heads it needs go to others.
    """
    matching = {
        str(i): [replace(row, voice=str(i), drum=i) for row in rows] for i, rows in options.items()
    }
    forced = sum(min((len(r.bought) for r in rows), default=0) for rows in matching.values())
    most = max(brief.most_bought, forced)
    allowed = replace(brief, only_owned=False, budget_heads=most)
    chosen = _assigned(matching, shelf, allowed, _scored)
    if brief.minutes is not None:
        # Minutes weigh more and more until the work fits into the time there is.
        for weight in MINUTES_WEIGHED:
            if sum(r.minutes for r in chosen.values()) <= brief.minutes * brief.hands:
                break
            chosen = _assigned(matching, shelf, allowed, partial(_pressed, weight))
    return {
        i: next(r for r in rows if r.setup == chosen[str(i)].setup)
        for i, rows in options.items()
        if str(i) in chosen
    }


def _scored(row: Weighed) -> float:
    return row.total


def _pressed(weight: float, row: Weighed) -> float:
    return row.total + weight * row.minutes


def _toms(sign: int) -> Callable[[Weighed], bool]:
    def allowed(row: Weighed) -> bool:
        alone = not is_tom(row.voice) or row.setup.reso is None
        return alone or int(np.sign(row.setup.semitones)) == sign

    return allowed


def _assigned(
    options: Mapping[str, Sequence[Weighed]], shelf: Shelf, brief: Brief, cost: Cost
) -> dict[str, Weighed]:
    rows, price = _cheapest([row for members in options.values() for row in members], cost)
    if not rows:
        return {}
    limits: list[Array] = []
    most: list[float] = []
    voice = np.array([r.voice for r in rows])
    drum = np.array([r.drum for r in rows])

    def at_most(held: Array, limit: float) -> None:
        limits.append(held.astype(np.float64))
        most.append(limit)

    for name in options:
        at_most(voice == name, 1.0)
    for number in np.unique(drum):
        at_most(drum == number, 1.0)
    heads: dict[tuple[str, float], Array] = {}
    for place, row in enumerate(rows):
        for key in row.shelf_heads:
            heads.setdefault(key, np.zeros(len(rows)))[place] += 1.0
    for (kind, diameter), held in heads.items():
        at_most(
            held,
            float(
                sum(
                    h.count
                    for h in shelf.heads
                    if h.construction == kind and abs(h.diameter_in - diameter) < SAME_SIZE_IN
                )
            ),
        )
    # A higher tom is not the larger drum.
    played = sorted({(r.voice, r.drum) for r in rows if is_tom(r.voice)})
    size = [d.diameter_in for d in shelf.drums]
    places = {pair: (voice == pair[0]) & (drum == pair[1]) for pair in played}
    for one, other in itertools.permutations(played, 2):
        if one[0] < other[0] and size[one[1]] > size[other[1]]:
            at_most(places[one] | places[other], 1.0)
    bought = np.array([len(r.bought) for r in rows])
    at_most(bought, float(brief.most_bought))
    result = milp(
        # A voice left without a drum costs more than all the others together.
        price - (1.0 + len(options) * float(np.abs(price).max())),
        constraints=LinearConstraint(np.array(limits), -np.inf, np.array(most)),
        integrality=np.ones(len(rows), np.int64),
        bounds=Bounds(0, 1),
        options={"mip_rel_gap": 0.0},
    )
    if result.x is None:
        return {}
    chosen = [row for row, on in zip(rows, result.x, strict=True) if on > 0.5]
    return {row.voice: row for row in chosen}


def _cheapest(rows: Sequence[Weighed], cost: Cost) -> tuple[list[Weighed], Array]:
    """Return of recipes that take the same drum and heads for a voice the cheapest, and prices."""
    result: dict[tuple[object, ...], tuple[float, Weighed]] = {}
    for row in rows:
        price = cost(row) + MISSED_STEPS_PER_CENT * abs(row.short_cents)
        takes = (row.voice, row.drum, tuple(sorted(row.shelf_heads)), len(row.bought))
        if takes not in result or price < result[takes][0]:
            result[takes] = price, row
    return [row for _, row in result.values()], np.array([price for price, _ in result.values()])


def _unmet(
    targets: Sequence[Target],
    options: Mapping[str, Sequence[Weighed]],
    chosen: Mapping[str, Weighed],
) -> list[Unmet]:
    result = []
    for target in targets:
        title, wished = voice_title(target.voice), target.value("pitch")
        row = chosen.get(target.voice)
        if wished is None:
            why = target.missing.get("pitch", "it was not measured")
            text = f"{title}: the record does not tell its pitch ({why}). Wish one by hand."
            result.append(Unmet(target.voice, "pitch", 0.0, None, text))
        elif row is None:
            none = not options.get(target.voice)
            why = "no drum of this kind bears it" if none else "its drums play other voices"
            text = f"{title}: no drum is left for it: {why}. Add a drum to the shelf."
            result.append(Unmet(target.voice, "drum", wished, None, text))
        elif row.short_cents:
            text = (
                f"{title}: {wished:.1f} Hz is out of reach on this shelf; the nearest is "
                f"{row.card['pitch']:.1f} Hz, {abs(row.short_cents):.0f} cents "
                f"{'above' if row.short_cents > 0 else 'below'}."
            )
            result.append(Unmet(target.voice, "pitch", wished, row.card["pitch"], text))
    return result
