"""Cheap-kit rescue: the few changes to a kit that bring most for a budget.

Conventions
-----------
Gains are audible steps of the score, purchase and work left out: how much nearer the record a drum
comes than it can with the heads and muffling that are on it, tuned as well as they can be. Prices
are in the user's coin, from what a plain 14 in head costs there (``prices.toml``).
"""

import itertools
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from typing import Any, Literal

from emblar.core.acoustics.drum import Kind
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup, Wish
from emblar.core.errors import InputError
from emblar.core.planning.brief import Brief, Shelf, Weights, usual_weights
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.problem import Problem
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weighed

What = Literal["muffling", "batter", "reso", "both heads"]


@dataclass(frozen=True, slots=True)
class Fix:
    """One change to one drum: what it becomes, what is bought, and what that brings.

    ``gain`` in audible steps, ``price`` in the user's coin, ``minutes`` of work.
    """

    drum: str
    voice: str
    what: What
    recipe: Setup
    buys: tuple[str, ...]
    lays_on: tuple[str, ...]
    gain: float
    price: float
    minutes: float


@dataclass(frozen=True, slots=True)
class Rescue:
    """The changes that bring most, the best for its price and time first; what is off without."""

    fixes: tuple[Fix, ...]
    price: float
    before: Mapping[str, float]
    """How far each drum is off with what is on it, steps."""


@lru_cache(maxsize=1)
def _prices() -> dict[str, Any]:
    text = (resources.files(__package__) / "prices.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def usual_head_price() -> float:
    """Return what a plain 14 in head is taken to cost."""
    return float(_prices()["head"]["usual_price"])


def head_price(catalogue: Catalogue, construction_id: str, diameter_in: float, kind: Kind) -> float:
    """Return what a head costs over a plain 14 in one.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    construction_id
        What it is made of, an id of the catalogue.
    diameter_in
        Diameter, in.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    """
    row, made = _prices()["head"], catalogue.construction(construction_id)
    price = (diameter_in / 14.0) ** row["size"]
    flags = {
        "kick": kind == "kick",
        "double": len(made.plies_mil) > 1,
        "fluid": made.fluid,
        "ring": made.ring,
        "dot": made.dot,
        "vented": made.vented,
        "woven": made.woven,
        "snare_side": made.is_snare_side,
    }
    for name, has in flags.items():
        price *= row[name] if has else 1.0
    return float(price)


def damper_price(damper_id: str) -> float:
    """Return what a damper costs over a plain 14 in head; what every house has costs nothing."""
    row = _prices()["damper"]
    if damper_id in row["free"]:
        return 0.0
    return float(row["dear"].get(damper_id, row["usual"]))


def rescue(
    pairs: Sequence[tuple[OwnedDrum, Target]],
    shelf: Shelf,
    brief: Brief,
    *,
    budget: float,
    plain_head: float | None = None,
) -> Rescue:
    """Return the changes that bring most within a budget, exactly, a few at most.

    Parameters
    ----------
    pairs
        Each drum with what it is to sound like.
    shelf
        Loose heads and dampers that are there already cost nothing.
    budget
        In the user's coin.
    plain_head
        What a plain 14 in head costs, in the same coin; the usual if left out.
    brief
        What was asked for.

    Raises
    ------
    InputError
        The budget or the price makes no sense.
    """
    coin = usual_head_price() if plain_head is None else plain_head
    if budget < 0.0 or budget > 1e6:
        raise InputError(f"{budget:g} is no budget: 0 to a million.", field="budget")
    if not 0.0 < coin <= 1e5:
        raise InputError(f"{coin:g} is no price of a head.", field="head")
    before: dict[str, float] = {}
    options: list[list[Fix]] = []
    for number, (owned, target) in enumerate(pairs):
        one = _RescueDrum(
            number, owned, target, replace(shelf, drums=tuple(d for d, _ in pairs)), brief
        )
        if one.now is not None:
            before[owned.name] = one.now
            options.append([f for f in one.fixes(coin) if f.price <= budget])
    chosen = _best(options, budget)
    chosen.sort(
        key=lambda f: -f.gain / (f.price / coin + f.minutes * _prices()["rescue"]["minute"] + 1e-3)
    )
    return Rescue(tuple(chosen), sum(f.price for f in chosen), before)


def _best(options: Sequence[Sequence[Fix]], budget: float) -> list[Fix]:
    """Return at most a few fixes, one a drum, that bring most within the budget."""
    rule = _prices()["rescue"]
    best: tuple[float, list[Fix]] = (0.0, [])
    drums = [row for row in options if row]
    for count in range(1, min(rule["most"], len(drums)) + 1):
        for rows in itertools.combinations(drums, count):
            for fixes in itertools.product(*rows):
                if sum(f.price for f in fixes) > budget:
                    continue
                worth = sum(f.gain - rule["minute"] * f.minutes for f in fixes)
                if worth > best[0]:
                    best = worth, list(fixes)
    return best[1]


class _RescueDrum:
    """One drum as it is, and with one thing changed."""

    def __init__(
        self, number: int, owned: OwnedDrum, target: Target, shelf: Shelf, brief: Brief
    ) -> None:
        self.number, self.owned, self.target, self.shelf = number, owned, target, shelf
        self.catalogue = shelf.catalogue
        self.brief = replace(brief, only_owned=False, keep_heads=False, budget_heads=2)
        self.weights: Weights = usual_weights().changed(purchase=0.0, minute=0.0)
        self.on = shelf.now_on.get(owned.name, ())
        as_it_is = Wish(batter=owned.batter, reso=owned.reso, dampers=self.on)
        result = self._search(as_it_is, bought_dampers=False)
        self.now = result[0].total if result else None

    def _search(self, locks: Wish, *, bought_dampers: bool) -> list[Weighed]:
        available = set(self.shelf.dampers) | set(self.on)
        muffling = tuple(
            d
            for d in self.catalogue.dampers
            if bought_dampers or d in available or damper_price(d) == 0.0
        )
        shelf = replace(self.shelf, dampers=muffling)
        held = {self.owned.name: locks}
        problem = Problem((self.target,), shelf, self.brief, self.weights, held)
        return problem.search(self.target.voice, self.number).best()

    def fixes(self, coin: float) -> list[Fix]:
        """Return changes of muffling, of one head or of both, none of which is worse and dearer."""
        if self.now is None:
            return []
        owned = self.owned
        rows: dict[What, Wish] = {
            "muffling": Wish(batter=owned.batter, reso=owned.reso),
            "batter": Wish(reso=owned.reso),
        }
        if owned.reso is not None:
            rows |= {"reso": Wish(batter=owned.batter), "both heads": Wish()}
        result = [
            self._fix(what, row, self.now, coin)
            for what, locks in rows.items()
            for bought_dampers in (False, True)
            for row in self._search(locks, bought_dampers=bought_dampers)
        ]
        least = _prices()["rescue"]["least_gain"]
        return _undominated([fix for fix in result if fix.gain >= least])

    def _fix(self, what: What, row: Weighed, current: float, coin: float) -> Fix:
        matching = self.owned
        lays_on = tuple(d for d in row.setup.dampers if d not in self.on)
        price = sum(
            head_price(self.catalogue, h, matching.diameter_in, matching.kind) for h in row.bought
        )
        price += sum(damper_price(d) for d in lays_on if d not in self.shelf.dampers)
        return Fix(
            matching.name,
            row.voice,
            _what(matching, row.setup, what),
            row.setup,
            row.bought,
            lays_on,
            current - row.total,
            coin * price,
            row.minutes,
        )


def _what(owned: OwnedDrum, recipe: Setup, kind: What) -> What:
    """Return what a recipe really changes: heads left free may stay as they are."""
    batter, reso = recipe.batter != owned.batter, recipe.reso != owned.reso
    cut = recipe.port_in != owned.port_in
    if kind == "muffling" or not (batter or reso or cut):
        return "muffling"
    if batter and (reso or cut):
        return "both heads"
    return "batter" if batter else "reso"


def _undominated(matches: Sequence[Fix]) -> list[Fix]:
    """Return the changes that no other beats in gain for the same price or less."""
    kept: list[Fix] = []
    for fix in sorted(matches, key=lambda f: (f.price, -f.gain, f.minutes)):
        if all(fix.gain > other.gain + 1e-6 for other in kept):
            kept.append(fix)
    return kept
