"""Recipes of one voice on one drum weighed: what each does, what it costs, what it is made of.

Conventions
-----------
A recipe's score is in just-noticeable steps, lower is better: the weighted distance of its card
from the target plus its costs (``weights.toml``). Everything is tuned to the target's pitch before
it is weighed (``outlook``).
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.catalogue import (
    Catalogue,
)
from emblar.core.drum import Setup
from emblar.core.planning.brief import LEAVE_ROOM_STEPS, Brief, Shelf, Weights
from emblar.core.planning.costs import Costs
from emblar.core.planning.kick_window import Window
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.outlook import Field, Options, Outlook, options_of
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps

Array = NDArray[np.float64]
Index = NDArray[np.int64]
MOST_KEPT = 48
SHORT_COSTS = 2.0
"""Too short counts double: length is easy to take away at the desk and hard to add."""
CAPPED_STEPS = 12.0
RENDERED = "rendered"
"""Among the costs: what a recipe's rendered stroke measures farther than was worked out."""
FRONT_OVER_BATTER = 2.0 ** (5.0 / 12.0)
"""A front head is tuned up to a fourth over where batters are (assumption)."""


@dataclass(frozen=True, slots=True)
class Weighed:
    """A recipe for a voice on a drum with what it is predicted to do and what it costs.

    Attributes
    ----------
    card
        Predicted quantities by name.
    apart
        Steps above the target per quantity.
    costs
        Steps by what they are for, weighted distance first (``distance``).
    minutes, bought, cut
        Work, heads to buy (construction ids), whether a port has to be cut.
    shelf_heads
        (construction, diameter) of loose heads it takes from the shelf.
    short_cents
        By how much the target's pitch is missed, 0 where it is reached.
    """

    drum: int
    voice: str
    setup: Setup
    card: dict[str, float]
    apart: dict[str, float]
    costs: dict[str, float]
    minutes: float
    bought: tuple[str, ...]
    cut: bool
    shelf_heads: tuple[tuple[str, float], ...]
    short_cents: float = 0.0

    @property
    def total(self) -> float:
        """Return the score in steps."""
        return sum(self.costs.values())

    @property
    def distance(self) -> float:
        """Return the weighted distance from the target alone, in steps."""
        return self.costs["distance"] + self.costs.get(RENDERED, 0.0)


SETTLING_ROOM = 0.98
"""Share of the ceiling the search uses: the final lug pitches move a little afterwards."""


@dataclass(frozen=True, slots=True, eq=False)
class _Scored:
    """Candidates weighed: arrays over them; ``total`` is infinite where heads do not bear it."""

    outlook: Outlook
    distance: Array
    apart: dict[str, Array]
    costs: dict[str, Array]
    minutes: Array
    total: Array


def aimed(target: Target, brief: Brief) -> Target:
    """Return the target that the search aims at: a little above where the desk can take away."""
    if not brief.leave_room:
        return target
    values = dict(target.values)
    for name, by in LEAVE_ROOM_STEPS.items():
        if name in values:
            old = values[name]
            moved = steps()[name].moved(old.value, by)
            values[name] = Measured(moved, old.sd * abs(moved / old.value), old.unit)
    return Target(target.voice, values, target.missing)


@lru_cache(maxsize=256)
def field_of(
    catalogue: Catalogue,
    owned: OwnedDrum,
    batters: tuple[str, ...],
    resos: tuple[str, ...],
    damper_sets: tuple[tuple[str, ...], ...],
    by: tuple[str, ...],
    settings: tuple[str, ...],
    port_in: float | None,
) -> Field:
    """Return a drum with what may be on it, kept for when it is asked for again.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned
        The drum as it stands in the kit.
    batters
        Constructions for the batter.
    resos
        Constructions for the reso.
    damper_sets
        What may lie on it together.
    by
        Sticks or beaters.
    settings
        How wires may be set.
    port_in
        Diameter of the hole in the front head, in; None without one.
    """
    return Field(catalogue, owned, batters, resos, damper_sets, by, settings, port_in=port_in)


class Weigher(Costs):
    """Weighs recipes of one voice on one drum of a shelf."""

    def __init__(
        self, number: int, target: Target, shelf: Shelf, brief: Brief, weights: Weights
    ) -> None:
        super().__init__(number, target.voice, shelf, brief, weights)
        self.window: Window | None = None
        """Between which lug pitches a kick is tuned; None where a pitch was entered by hand."""
        self.past_ceiling = False
        """True if heads may exceed the safe limits, because the user entered pitch or interval."""
        self.may_buy = math.inf
        """How many heads may be bought for it; no limit where recipes are only compared."""
        self.target = aimed(target, brief)

    def exactly(self, setups: Sequence[Setup], wish: float) -> list[Weighed | None]:
        """Return recipes weighed as the search weighs them; None where heads do not bear it."""
        out: list[Weighed | None] = [None] * len(setups)
        for port, off in {(r.port_in, r.reso is None) for r in setups}:
            places = [i for i, r in enumerate(setups) if (r.port_in, r.reso is None) == (port, off)]
            members = [setups[i] for i in places]
            batters, sets, by, settings = (
                tuple(dict.fromkeys(c))
                for c in zip(
                    *((r.batter, r.dampers, r.striker, r.wires) for r in members), strict=True
                )
            )
            resos = tuple(dict.fromkeys(r.reso for r in members if r.reso))
            field = field_of(self.catalogue, self.owned, batters, resos, sets, by, settings, port)
            options = options_of(
                [
                    (
                        batters.index(r.batter),
                        resos.index(r.reso) if r.reso else 0,
                        sets.index(r.dampers),
                        by.index(r.striker),
                        settings.index(r.wires),
                        r.semitones,
                    )
                    for r in members
                ]
            )
            scored = self._scored(field, options, wish)
            borne = np.flatnonzero(np.isfinite(scored.total)).tolist()
            for i, row in zip(borne, self._rows(field, options, scored, borne), strict=True):
                out[places[i]] = row
        return out

    def weighed(
        self, field: Field, options: Options, wish: float, *, also: NDArray[np.bool_] | None = None
    ) -> list[Weighed]:
        """Weigh all candidates at once; return the best of them that the heads bear.

        The best of those marked by ``also``, of shape (candidates,), are kept next to them.

        Parameters
        ----------
        field
            The drum, with what may be on it.
        options
            Candidates, each by its choices.
        wish
            Drum pitch wished for, Hz; 0 if none is.
        also
            Which to weigh though the heads do not bear them.
        """
        scored = self._scored(field, options, wish)
        kept = _distinct(options, scored.total)
        if also is not None:
            kept += _distinct(options, np.where(also, scored.total, np.inf))
        return self._rows(field, options, scored, list(dict.fromkeys(kept)))

    def _scored(self, field: Field, options: Options, wish: float) -> _Scored:
        known = field.outlook(options, wish)
        k = prior_coefficients()
        share, load = (
            (1.0, math.inf)
            if self.past_ceiling
            else (SETTLING_ROOM * k["film_share_most"], SETTLING_ROOM * k["rod_most"])
        )
        bears = known.reached & (known.stress_share < share) & (known.rod_n <= load)
        bears &= known.slackest_n_per_m >= k["slack_stop"]
        bears &= self.past_ceiling | (known.card["bend"] <= k["bend_most"])
        bears &= self._in_window(field, known) & (self._buys(field, options) <= self.may_buy)
        distance, apart = self._distances(known.card, len(options))
        minutes = self._minutes(field, options)
        costs = self._costs(field, options, known, minutes)
        total = distance + sum(costs.values(), np.zeros(len(options)))
        return _Scored(known, distance, apart, costs, minutes, np.where(bears, total, np.inf))

    def _in_window(self, field: Field, outlook: Outlook) -> NDArray[np.bool_]:
        if self.window is None:
            return np.ones(len(outlook.batter_hz), np.bool_)
        low, high = self.window.low_hz, self.window.high_hz
        inside = (outlook.batter_hz >= low) & (outlook.batter_hz <= high)
        if field.resos:
            inside &= (outlook.reso_hz >= low) & (outlook.reso_hz <= high * FRONT_OVER_BATTER)
        return inside

    def _distances(self, card: Mapping[str, Array], count: int) -> tuple[Array, dict[str, Array]]:
        total = np.zeros(count)
        apart = {}
        for name, step in steps().items():
            target = self.target.values.get(name)
            if target is None or name not in card:
                continue
            value = card[name]
            if step.kind == "ratio":
                off = np.log(np.maximum(value, 1e-9) / target.value) / math.log(step.step)
            else:
                off = (value - target.value) / step.step
            apart[name] = off
            # What the record tells badly counts less.
            trust = 1.0 / (1.0 + 0.25 * step.width(target.value, target.sd) ** 2)
            size = np.minimum(np.abs(off), CAPPED_STEPS)
            if name in ("sustain", "length"):
                size = size * np.where(off < 0.0, SHORT_COSTS, 1.0)
            total += self.weights.distance.get(name, 0.0) * trust * size
        return total, apart

    def _rows(
        self, field: Field, options: Options, scored: _Scored, rows: Sequence[int]
    ) -> list[Weighed]:
        """Return some of the candidates one by one."""
        known, rows_ = scored.outlook, np.array(rows, np.int64)
        cards, aparts = _each(known.card, rows_), _each(scored.apart, rows_)
        costs = _each({"distance": scored.distance, **scored.costs}, rows_)
        numbers = zip(
            *(
                x[rows_].tolist()
                for x in (
                    options.batter,
                    options.reso,
                    options.dampers,
                    options.striker,
                    options.wires,
                    options.semitones,
                    known.batter_hz,
                    known.reso_hz,
                    scored.minutes,
                )
            ),
            strict=True,
        )
        result, cuts = [], self._cuts(field)
        for i, (b, r, on_it, by, setting, apart, hz, reso_hz, minutes) in enumerate(numbers):
            batter = field.batters[b]
            reso = field.resos[r] if field.resos else None
            setup = Setup(
                batter=batter,
                reso=reso,
                batter_hz=hz,
                reso_hz=reso_hz if field.resos else None,
                dampers=field.damper_sets[on_it],
                striker=field.strikers[by],
                wires=field.wire_settings[setting],
                port_in=field.port_in,
                semitones=apart,
            )
            bought, loose = self._new_heads(batter, reso, field.port_in)
            result.append(
                Weighed(
                    self.number,
                    self.target.voice,
                    setup,
                    cards[i],
                    aparts[i],
                    costs[i],
                    minutes,
                    bought,
                    bool(cuts[r]),
                    loose,
                )
            )
        return result

    def _new_heads(
        self, batter: str, reso: str | None, port_in: float | None
    ) -> tuple[tuple[str, ...], tuple[tuple[str, float], ...]]:
        """Return the heads to buy for a recipe, and those that it takes from the shelf."""
        swapped = [batter] if batter != self.owned.batter else []
        same = reso == self.owned.reso and port_in is not None and self.owned.port_in is None
        if reso is not None and not same and not self._as_it_is(reso, port_in):
            swapped.append(reso)
        loose = tuple((h, self.owned.diameter_in) for h in swapped if self.loose(h) is not None)
        return tuple(h for h in swapped if self.loose(h) is None), loose


def _each(columns: Mapping[str, Array], rows: Index) -> list[dict[str, float]]:
    """Return some rows of named columns as a dictionary each."""
    values = np.stack([values[rows] for values in columns.values()], axis=-1).tolist()
    return [dict(zip(columns, row, strict=True)) for row in values]


def _distinct(options: Options, total: Array) -> list[int]:
    """Return the best few candidates, one of those alike in heads, dampers and relation."""
    order = np.argsort(total, kind="stable")
    order = order[np.isfinite(total[order])]
    sign = np.sign(options.semitones[order]).astype(np.int64) + 1
    sizes = [int(x.max(initial=0)) + 1 for x in (options.reso, options.dampers)]
    like = (options.batter[order] * sizes[0] + options.reso[order]) * sizes[1]
    _, first = np.unique((like + options.dampers[order]) * 3 + sign, return_index=True)
    return [int(i) for i in order[np.sort(first)[:MOST_KEPT]]]
