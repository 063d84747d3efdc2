"""One voice on one drum: every recipe weighed, the best kept.

Conventions
-----------
A recipe's score is in just-noticeable steps, lower is better: the weighted distance of its card
from the target plus its costs (``weights.toml``). First heads and relation are searched bare and
with what lies on the drum now; then, on the best of them, dampers, strikers and wires. Everything
is tuned to the target's pitch before it is weighed (``outlook``).
"""

import itertools
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import (
    USUAL_STRIKER,
    USUAL_WIRES_SETTING,
    construction,
    constructions_for,
    damper,
    dampers_for,
    strikers,
    wire_settings,
)
from emblar.core.planning.brief import LEAVE_ROOM_STEPS, Brief, Shelf, Weights, strikers_of
from emblar.core.planning.findings import findings
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field, Options, Outlook, options_of
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.recipe import Relation, relation_of
from emblar.core.planning.schools import against
from emblar.core.planning.steps import steps
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured

Array = NDArray[np.float64]
Index = NDArray[np.int64]
SEMITONES = (-5.0, -3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 7.0)
BEST_HEADS, BEST_AGAIN, KEPT, REFINED = 5, 2, 24, 6
NEW_PORT_IN = 5.0
SHORT_COSTS = 2.0
"""Too short counts double: length is easy to take away at the desk and hard to add."""
CAPPED_STEPS = 12.0
NEARLY_AS_GOOD = 1.0
POLISHINGS, AROUND, LEAST_GAIN = 2, 3, 0.02
PORT_RANGE_SEMITONES = 30
LASTING_M, THIN_M = 0.00030, 0.0001
"""A batter this thick lasts under hard strokes; each step thinner counts once (assumption)."""
Port = Literal["closed", "cut"]


@dataclass(frozen=True, slots=True)
class Recipe:
    """What to put on a drum and where to tune it."""

    batter: str
    reso: str | None
    port_in: float | None
    dampers: tuple[str, ...]
    striker: str
    wires: str
    semitones: float
    batter_hz: float
    reso_hz: float | None


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
    recipe: Recipe
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
        return self.costs["distance"]


@dataclass(frozen=True, slots=True)
class Locks:
    """What stays as it is on one drum; None leaves it to the search."""

    batter: str | None = None
    reso: str | None = None
    dampers: tuple[str, ...] | None = None
    striker: str | None = None
    wires: str | None = None
    semitones: float | None = None
    relation: Relation | None = None
    port: Port | None = None


NO_LOCKS = Locks()


@dataclass(frozen=True, slots=True, eq=False)
class _Scored:
    """Candidates weighed: arrays over them; ``total`` is infinite where heads do not bear it."""

    told: Outlook
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


@lru_cache(maxsize=64)
def _field(
    owned: OwnedDrum,
    batters: tuple[str, ...],
    resos: tuple[str, ...],
    damper_sets: tuple[tuple[str, ...], ...],
    by: tuple[str, ...],
    settings: tuple[str, ...],
    port_in: float | None,
) -> Field:
    return Field(owned, batters, resos, damper_sets, by, settings, port_in=port_in)


class DrumSearch:
    """The search of one voice on one drum of a shelf."""

    def __init__(
        self,
        number: int,
        target: Target,
        shelf: Shelf,
        brief: Brief,
        weights: Weights,
        locks: Locks = NO_LOCKS,
    ) -> None:
        self.number, self.owned = number, shelf.drums[number]
        self.shelf, self.brief, self.weights, self.locks = shelf, brief, weights, locks
        self.target = aimed(target, brief)
        self.now = shelf.now_on.get(self.owned.name, ())
        fitting = [
            h for h in shelf.heads
            if h.count > 0 and abs(h.diameter_in - self.owned.diameter_in) < 0.1
        ]  # fmt: skip
        order = ("worn", "used", "fresh")
        # The best there is of each comes last and stays.
        fitting.sort(key=lambda h: order.index(h.condition))
        self._conditions: dict[str, str] = {h.construction: h.condition for h in fitting}

    def best(self) -> list[Weighed]:
        """Return the best recipes, best first; empty if no head bears any pitch here.

        Where the pitch cannot be reached the nearest that can is planned, and by how much it
        misses is told in ``short_cents``.
        """
        wish = self.target.value("pitch")
        if wish is None:
            return []
        found = self._at(wish)
        if found:
            return found
        nearest = self._nearest(wish)
        if nearest is None:
            return []
        short = 1200.0 * math.log2(nearest / wish)
        return [replace(w, short_cents=short) for w in self._at(nearest)]

    def finalists(self, found: list[Weighed], count: int) -> list[Weighed]:
        """Return recipes with the first few put in order by what their strokes *measure*.

        The outlook's card is worked out, not measured; among recipes that are nearly as good, a
        rendered stroke measured by the code that measured the record decides.
        """
        found = self._polished(found)
        first = [w for w in found[:count] if w.total < found[0].total + NEARLY_AS_GOOD]
        if len(first) < 2:
            return found
        order = sorted(first, key=lambda w: w.total - w.distance + self._measured(w))
        return [*order, *(w for w in found if w not in order)]

    def _polished(self, found: list[Weighed]) -> list[Weighed]:
        """Return recipes with those added that differ from the best in two choices at once.

        Around the best few, dampers and relation together, then heads; again while that helps.
        """
        wish, port = found[0].card["pitch"], found[0].recipe.port_in
        for _ in range(POLISHINGS):
            best, own = found[0], [w for w in found if w.recipe.port_in == port]
            near = self._around(port, wish, own)
            near += self._once_dressed(port, wish, sorted(near, key=lambda w: w.total))
            near = [replace(w, short_cents=best.short_cents) for w in near]
            found = _kept([*found, *near])
            if found[0].total > best.total - LEAST_GAIN:
                break
        return found

    def _around(self, port: float | None, wish: float, found: list[Weighed]) -> list[Weighed]:
        """Return the best few heads and strokes with every damper set and relation together."""
        best = list(dict.fromkeys(
            (w.recipe.batter, w.recipe.reso, w.recipe.striker, w.recipe.wires) for w in found
        ))[:AROUND]  # fmt: skip
        batters, resos, by, settings = (tuple(dict.fromkeys(c)) for c in zip(*best, strict=True))
        there = tuple(r for r in resos if r is not None)
        field = _field(self.owned, batters, there, self._damper_sets(), by, settings, port)
        rows = [
            (batters.index(b), resos.index(r) if r else 0, on_it, by.index(s), settings.index(w), t)
            for b, r, s, w in best
            for on_it in range(len(field.damper_sets))
            for t in (self._relations() if r else (0.0,))
        ]
        return self._weighed(field, options_of(rows), wish)

    def _measured(self, row: Weighed) -> float:
        """Return the weighted distance of a recipe's rendered stroke from the target."""
        recipe, owned = row.recipe, replace(self.owned, port_in=row.recipe.port_in)
        drum = model(
            owned, batter=recipe.batter, reso=recipe.reso, dampers=recipe.dampers,
            striker=recipe.striker, wires_setting=recipe.wires,
        )  # fmt: skip
        card = predicted_card(predict(drum, recipe.batter_hz, recipe.reso_hz), owned.kind)
        values = {name: np.array([quantity.value]) for name, quantity in card.items()}
        return float(self._distances(values, 1)[0][0])

    def exactly(self, recipes: Sequence[Recipe], wish: float) -> list[Weighed | None]:
        """Return recipes weighed as the search weighs them; None where heads do not bear it."""
        out: list[Weighed | None] = [None] * len(recipes)
        for port in {r.port_in for r in recipes}:
            places = [i for i, r in enumerate(recipes) if r.port_in == port]
            own = [recipes[i] for i in places]
            batters, sets, by, settings = (
                tuple(dict.fromkeys(c)) for c in
                zip(*((r.batter, r.dampers, r.striker, r.wires) for r in own), strict=True)
            )  # fmt: skip
            resos = tuple(dict.fromkeys(r.reso for r in own if r.reso))
            field = _field(self.owned, batters, resos, sets, by, settings, port)
            options = options_of([
                (batters.index(r.batter), resos.index(r.reso) if r.reso else 0,
                 sets.index(r.dampers), by.index(r.striker), settings.index(r.wires), r.semitones)
                for r in own
            ])  # fmt: skip
            scored = self._scored(field, options, wish)
            for i, place in enumerate(places):
                if np.isfinite(scored.total[i]):
                    out[place] = self._row(field, options, scored, i)
        return out

    def _nearest(self, wish: float) -> float | None:
        for step in range(1, 2 * PORT_RANGE_SEMITONES):
            for sign in (-1.0, 1.0):
                pitch = float(wish * 2.0 ** (sign * step / 24.0))
                if 15.0 < pitch < 700.0 and self._at(pitch, quick=True):
                    return pitch
        return None

    def _at(self, wish: float, *, quick: bool = False) -> list[Weighed]:
        found: list[Weighed] = []
        for port in self._ports():
            first = self._heads(port, wish)
            if quick and first:
                return first
            found += self._dressed(port, wish, first)
        return _kept(found)

    def _ports(self) -> list[float | None]:
        now = self.owned.port_in
        if self.owned.kind != "kick" or self.owned.reso is None or now is not None:
            return [now]
        if self.locks.port is not None:
            may = self.locks.port == "cut" and not self.brief.never_cut
            return [NEW_PORT_IN] if may else [now]
        return [now] if self.brief.never_cut else [now, NEW_PORT_IN]

    def _loose(self, construction_id: str) -> str | None:
        """Return the condition of the best such head on the shelf, None if there is none."""
        return self._conditions.get(construction_id)

    def _choices(self, side: str) -> tuple[str, ...]:
        now = self.owned.batter if side == "batter" else self.owned.reso
        locked = self.locks.batter if side == "batter" else self.locks.reso
        if now is None:
            return ()
        if locked is not None:
            return (locked,)
        if self.brief.keep_heads:
            return (now,)
        rows = constructions_for(self.owned.kind, "batter" if side == "batter" else "reso")
        may_buy = not self.brief.only_owned and self.brief.budget_heads > 0
        return tuple(
            dict.fromkeys([now, *(c.id for c in rows if may_buy or self._loose(c.id) is not None)])
        )

    def _usual_striker(self) -> str:
        own = strikers_of(self.shelf, self.owned.kind)
        usual = USUAL_STRIKER[self.owned.kind]
        if self.locks.striker is not None:
            return self.locks.striker
        if self.brief.brushes and self.owned.kind != "kick":
            return "brushes"
        return usual if usual in own else own[0]

    def _heads(self, port: float | None, wish: float) -> list[Weighed]:
        """Return the best recipe of every pair of heads, with nothing on them or what is now."""
        sets = tuple(dict.fromkeys([(), self.now])) if self.locks.dampers is None else (
            self.locks.dampers,
        )  # fmt: skip
        field = _field(
            self.owned, self._choices("batter"), self._choices("reso"), sets,
            (self._usual_striker(),), (self.locks.wires or USUAL_WIRES_SETTING,), port,
        )  # fmt: skip
        found = self._weighed(field, field.grid(self._relations()), wish)
        best: dict[tuple[str, str | None], Weighed] = {}
        for row in found:
            key = (row.recipe.batter, row.recipe.reso)
            if key not in best or row.total < best[key].total:
                best[key] = row
        return sorted(best.values(), key=lambda w: w.total)

    def _relations(self) -> tuple[float, ...]:
        if self.locks.semitones is not None:
            return (self.locks.semitones,)
        if self.locks.relation is None:
            return SEMITONES
        return tuple(s for s in SEMITONES if relation_of(s) == self.locks.relation)

    def _dressed(self, port: float | None, wish: float, first: list[Weighed]) -> list[Weighed]:
        """Return recipes with dampers, strikers and wires on the best heads and on those now on."""
        now = (self.owned.batter, self.owned.reso)
        chosen = first[:BEST_HEADS]
        chosen += [w for w in first[BEST_HEADS:] if (w.recipe.batter, w.recipe.reso) == now]
        # Dampers shorten: a longer head may be the better one once something lies on it.
        length = self.target.value("length")
        if length is not None and first:
            chosen += [max(first, key=lambda w: w.card.get("length", 0.0))]
        if not chosen:
            return []
        found = self._dress(port, wish, chosen)
        again = self._once_dressed(port, wish, found)
        # Heads that only show their worth dressed are dressed with everything, too.
        seen = {(w.recipe.batter, w.recipe.reso) for w in chosen}
        pairs = {(w.recipe.batter, w.recipe.reso): w for w in reversed(again[:REFINED])}
        new = [w for pair, w in pairs.items() if pair not in seen][:BEST_AGAIN]
        return chosen + found + again + (self._dress(port, wish, new) if new else [])

    def _dress(self, port: float | None, wish: float, chosen: list[Weighed]) -> list[Weighed]:
        """Return recipes with dampers, strikers and wires on given heads, the best first."""
        batters = tuple(dict.fromkeys(w.recipe.batter for w in chosen))
        resos = tuple(dict.fromkeys(w.recipe.reso for w in chosen if w.recipe.reso))
        own = strikers_of(self.shelf, self.owned.kind)
        by = (self._usual_striker(),) if self.brief.brushes or self.locks.striker else own
        settings: tuple[str, ...] = (self.locks.wires or USUAL_WIRES_SETTING,)
        if self.owned.kind == "snare" and self.locks.wires is None:
            settings = tuple(s for s in wire_settings() if s != "off")
        field = _field(self.owned, batters, resos, self._damper_sets(), by, settings, port)

        def place(recipe: Recipe) -> tuple[int, int, float]:
            reso = resos.index(recipe.reso) if recipe.reso else 0
            return batters.index(recipe.batter), reso, recipe.semitones

        heads = list(dict.fromkeys(place(w.recipe) for w in chosen))
        return sorted(self._weighed(field, field.options(heads), wish), key=lambda w: w.total)

    def _once_dressed(self, port: float | None, wish: float, found: list[Weighed]) -> list[Weighed]:
        """Return the best recipes with every other pair of heads, and every other relation.

        Both were first judged bare and with the usual striker; dressed, and struck otherwise,
        others may be the better ones.
        """
        best = [w.recipe for w in found[:REFINED]]
        sets = tuple(dict.fromkeys(r.dampers for r in best))
        by = tuple(dict.fromkeys(r.striker for r in best))
        settings = tuple(dict.fromkeys(r.wires for r in best))
        field = _field(
            self.owned, self._choices("batter"), self._choices("reso"), sets, by, settings, port
        )
        rows: dict[tuple[int, int, int, int, int, float], None] = {}
        for r in best:
            on_it = (sets.index(r.dampers), by.index(r.striker), settings.index(r.wires))
            own = (field.batters.index(r.batter), field.resos.index(r.reso) if r.reso else 0)
            pairs = itertools.product(range(len(field.batters)), range(max(len(field.resos), 1)))
            rows |= dict.fromkeys((*pair, *on_it, r.semitones) for pair in pairs)
            if r.reso:
                rows |= dict.fromkeys((*own, *on_it, s) for s in self._relations())
        again = self._weighed(field, options_of(list(rows)), wish)
        return sorted(again, key=lambda w: w.total)

    def _damper_sets(self) -> tuple[tuple[str, ...], ...]:
        if self.locks.dampers is not None:
            return (self.locks.dampers,)
        kind = self.owned.kind
        has = set(self.shelf.dampers) | set(self.now)
        single = [d.id for d in dampers_for(kind)
                  if d.id in has and (d.side == "batter" or self.owned.reso)
                  and d.least_in <= self.owned.diameter_in]  # fmt: skip
        pairs = []
        if kind == "kick" and {"pillow-batter", "pillow-front"} <= set(single):
            pairs.append(("pillow-batter", "pillow-front"))
        if kind == "tom" and {"tape-flag", "cotton-four"} <= set(single):
            pairs.append(("tape-flag", "cotton-four"))
        return tuple(dict.fromkeys([(), self.now, *((d,) for d in single), *pairs]))

    def _weighed(self, field: Field, options: Options, wish: float) -> list[Weighed]:
        """Weigh all candidates at once; return the best of them that the heads bear."""
        scored = self._scored(field, options, wish)
        rows = _distinct(np.argsort(scored.total, kind="stable"), options, scored.total)
        return [self._row(field, options, scored, i) for i in rows]

    def _scored(self, field: Field, options: Options, wish: float) -> _Scored:
        told = field.outlook(options, wish)
        bears = told.reached & (told.stress_pa < prior_coefficients()["stress_stop"])
        distance, apart = self._distances(told.card, len(options))
        minutes = self._minutes(field, options)
        costs = self._costs(field, options, told, minutes)
        total = distance + sum(costs.values(), np.zeros(len(options)))
        return _Scored(told, distance, apart, costs, minutes, np.where(bears, total, np.inf))

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

    def _costs(
        self, field: Field, options: Options, told: Outlook, minutes: Array
    ) -> dict[str, Array]:
        """Return every cost in steps, shape (candidates,) each."""
        cost, k = self.weights.cost, prior_coefficients()
        buys = self._buys(field, options)
        worn = self._worn(field, options)
        sizes = np.array([len(d) for d in field.damper_sets])
        clear = np.array([not construction(b).coated for b in field.batters])
        brushed = np.array([s == "brushes" for s in field.strikers])
        out = {
            "work": cost["minute"] * minutes / self.brief.hands,
            "purchase": cost["purchase"] * buys,
            "cut": np.full(len(options), cost["cut"] * self._is_cut(field.port_in)),
            "dampers": cost["damper"] * sizes[options.dampers],
            "head life": cost["worn"] * worn,
            "risk": cost["stress_caution"] * (told.stress_pa > k["stress_caution"])
            + cost["rod_caution"] * (told.rod_n > k["rod_caution"])
            + cost["papery"] * (told.slackest_n_per_m < k["papery_tension"]),
            "feel": cost["brushes_on_clear"] * (clear[options.batter] & brushed[options.striker]),
            "school": cost["against_school"] * against(
                self.brief.schools, self.owned.kind, options.semitones,
                ported=field.port_in is not None, dressed=sizes[options.dampers] > 0,
                two_heads=bool(field.resos),
            ),
        }  # fmt: skip
        if self.brief.force == "hard":
            films = np.array([construction(b).film().thickness_m for b in field.batters])
            thin = np.maximum(LASTING_M - films, 0.0) / THIN_M
            out["durability"] = cost["thin_head_hit_hard"] * thin[options.batter]
        serious = sum(findings()[f].serious for f in self.owned.findings)
        out["inspection"] = np.full(len(options), cost["finding"] * serious)
        gap = self.brief.gap_s(self.target.voice)
        if gap is not None:
            out["tempo"] = cost["too_long_for_tempo"] * (told.card["length"] > gap)
        return {name: np.asarray(value, np.float64) for name, value in out.items()}

    def _is_cut(self, port_in: float | None) -> bool:
        return port_in is not None and self.owned.port_in is None

    def _swapped(self, field: Field, options: Options) -> tuple[NDArray[np.bool_], Array]:
        batter = np.array([b != self.owned.batter for b in field.batters])[options.batter]
        other = np.array([r != self.owned.reso for r in field.resos] or [False])[options.reso]
        return batter, other.astype(np.float64)

    def _minutes(self, field: Field, options: Options) -> Array:
        work = self.weights.work
        batter, reso = self._swapped(field, options)
        heads = 2.0 if field.resos else 1.0
        now = set(self.now)
        changes = np.array([
            sum(damper(d).minutes for d in row if d not in now)
            + work["take_off_damper"] * len(now - set(row))
            for row in field.damper_sets
        ])  # fmt: skip
        usual = USUAL_STRIKER[self.owned.kind]
        by = np.array([0.0 if s == usual else strikers()[s].minutes for s in field.strikers])
        set_ = np.array([wire_settings()[w].minutes for w in field.wire_settings])
        total = work["place_drum"] + work["tune_head"] * heads + work["swap_head"] * (batter + reso)
        total = total + changes[options.dampers] + by[options.striker]
        if self.owned.kind == "snare":
            total = total + set_[options.wires]
        return np.asarray(total + work["cut_port"] * self._is_cut(field.port_in))

    def _buys(self, field: Field, options: Options) -> Array:
        batter = np.array([b != self.owned.batter and self._loose(b) is None
                           for b in field.batters])  # fmt: skip
        reso = np.array([r != self.owned.reso and self._loose(r) is None
                         for r in field.resos] or [False])  # fmt: skip
        return np.asarray(batter[options.batter].astype(np.float64) + reso[options.reso])

    def _worn(self, field: Field, options: Options) -> Array:
        batter = np.array([b != self.owned.batter and self._loose(b) == "worn"
                           for b in field.batters])  # fmt: skip
        reso = np.array([r != self.owned.reso and self._loose(r) == "worn"
                         for r in field.resos] or [False])  # fmt: skip
        worn = batter[options.batter].astype(np.float64) + reso[options.reso]
        spent = {findings()[f].changes for f in self.owned.findings}
        if "batter" in spent:
            worn = worn + np.array([b == self.owned.batter for b in field.batters])[options.batter]
        if "reso" in spent and field.resos:
            worn = worn + np.array([r == self.owned.reso for r in field.resos])[options.reso]
        return np.asarray(worn)

    def _row(self, field: Field, options: Options, scored: _Scored, i: int) -> Weighed:
        told = scored.told
        batter = field.batters[options.batter[i]]
        reso = field.resos[options.reso[i]] if field.resos else None
        swapped = [
            h for h, now in ((batter, self.owned.batter), (reso, self.owned.reso))
            if h is not None and h != now
        ]  # fmt: skip
        loose = [h for h in swapped if self._loose(h) is not None]
        return Weighed(
            drum=self.number,
            voice=self.target.voice,
            recipe=Recipe(
                batter, reso, field.port_in, field.damper_sets[options.dampers[i]],
                field.strikers[options.striker[i]], field.wire_settings[options.wires[i]],
                float(options.semitones[i]), float(told.batter_hz[i]),
                float(told.reso_hz[i]) if field.resos else None,
            ),
            card={name: float(values[i]) for name, values in told.card.items()},
            apart={name: float(values[i]) for name, values in scored.apart.items()},
            costs={"distance": float(scored.distance[i])}
            | {name: float(values[i]) for name, values in scored.costs.items()},
            minutes=float(scored.minutes[i]),
            bought=tuple(h for h in swapped if h not in loose),
            cut=self._is_cut(field.port_in),
            shelf_heads=tuple((h, self.owned.diameter_in) for h in loose),
        )  # fmt: skip


def _distinct(order: Index, options: Options, total: Array) -> list[int]:
    """Return the best few candidates, with the best of each pair of heads and damper set first."""
    kept: list[int] = []
    seen: set[tuple[int, int, int, float]] = set()
    for i in order.tolist():
        if not np.isfinite(total[i]):
            break
        relation = float(np.sign(options.semitones[i]))
        key = (int(options.batter[i]), int(options.reso[i]), int(options.dampers[i]), relation)
        if key in seen:
            continue
        seen.add(key)
        kept.append(i)
        if len(kept) >= 2 * KEPT:
            break
    return kept


def _kept(found: Sequence[Weighed]) -> list[Weighed]:
    """Return the best by score, and those no kept one beats in work, purchases or cuts."""
    ordered = sorted(_once(found), key=lambda w: w.total)
    kept = ordered[:KEPT]
    for key in (
        lambda w: (w.minutes, w.total),
        lambda w: (len(w.bought), w.total),
        lambda w: (w.cut, w.total),
        lambda w: (w.distance, w.total),
        lambda w: (len(w.bought) + len(w.shelf_heads), w.total),
    ):
        best = min(ordered, key=key, default=None)
        if best is not None and best not in kept:
            kept.append(best)
    for relation in (-1, 0, 1):
        own = [w for w in ordered if np.sign(w.recipe.semitones) == relation]
        kept += [w for w in own[:1] if w not in kept]
    return kept


def _once(found: Iterable[Weighed]) -> list[Weighed]:
    best: dict[Recipe, Weighed] = {}
    for row in found:
        best.setdefault(replace(row.recipe, batter_hz=0.0, reso_hz=None), row)
    return list(best.values())
