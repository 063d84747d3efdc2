"""One voice on one drum: every recipe weighed, the best kept.

Conventions
-----------
A recipe's score is in just-noticeable steps, lower is better: the weighted distance of its card
from the target plus its costs (``weights.toml``). First heads and relation are searched bare and
with what lies on the drum now; then, on the best of them, dampers, strikers and wires. Everything
is tuned to the target's pitch before it is weighed (``outlook``).
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

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
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field, Options, Outlook, options_of
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.recipe import Relation, relation_of
from emblar.core.planning.steps import steps
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured

Array = NDArray[np.float64]
Index = NDArray[np.int64]
SEMITONES = (-5.0, -3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 7.0)
BEST_HEADS, KEPT, REFINED = 5, 24, 6
NEW_PORT_IN = 5.0
SHORT_COSTS = 2.0
"""Too short counts double: length is easy to take away at the desk and hard to add."""
CAPPED_STEPS = 12.0
NEARLY_AS_GOOD = 1.0
PORT_RANGE_SEMITONES = 30


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


NO_LOCKS = Locks()


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
        first = [w for w in found[:count] if w.total < found[0].total + NEARLY_AS_GOOD]
        if len(first) < 2:
            return found
        order = sorted(first, key=lambda w: w.total - w.distance + self._measured(w))
        return [*order, *(w for w in found if w not in order)]

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

    def exactly(self, recipe: Recipe, wish: float) -> Weighed | None:
        """Return one recipe weighed as the search weighs it; None if its heads do not bear it."""
        field = _field(
            self.owned, (recipe.batter,), (recipe.reso,) if recipe.reso else (),
            (recipe.dampers,), (recipe.striker,), (recipe.wires,), recipe.port_in,
        )  # fmt: skip
        options = options_of([(0, 0, 0, 0, 0, recipe.semitones)])
        return next(iter(self._weighed(field, options, wish)), None)

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
        batters = tuple(dict.fromkeys(w.recipe.batter for w in chosen))
        resos = tuple(dict.fromkeys(w.recipe.reso for w in chosen if w.recipe.reso))
        own = strikers_of(self.shelf, self.owned.kind)
        by = (self._usual_striker(),) if self.brief.brushes or self.locks.striker else own
        settings: tuple[str, ...] = (self.locks.wires or USUAL_WIRES_SETTING,)
        if self.owned.kind == "snare" and self.locks.wires is None:
            settings = tuple(s for s in wire_settings() if s != "off")
        field = _field(self.owned, batters, resos, self._damper_sets(), by, settings, port)

        def place(recipe: Recipe, semitones: float) -> tuple[int, int, float]:
            reso = resos.index(recipe.reso) if recipe.reso else 0
            return batters.index(recipe.batter), reso, semitones

        heads = list(dict.fromkeys(place(w.recipe, w.recipe.semitones) for w in chosen))
        found = self._weighed(field, field.options(heads), wish)
        # Once it is dressed another relation may be the better one.
        again = [
            (
                *place(w.recipe, s)[:2],
                field.damper_sets.index(w.recipe.dampers),
                by.index(w.recipe.striker),
                settings.index(w.recipe.wires),
                s,
            )
            for w in sorted(found, key=lambda w: w.total)[:REFINED]
            for s in self._relations()
            if w.recipe.reso and s != w.recipe.semitones
        ]
        if again:
            found += self._weighed(field, options_of(again), wish)
        return chosen + found + self._heads_again(port, wish, found)

    def _heads_again(self, port: float | None, wish: float, found: list[Weighed]) -> list[Weighed]:
        """Return every pair of heads as the best recipes are dressed and struck.

        Which heads are best is first judged bare and with the usual striker; dressed, and struck
        otherwise, others may be.
        """
        out: list[Weighed] = []
        dressings: dict[tuple[tuple[str, ...], str, str], set[float]] = {}
        for row in sorted(found, key=lambda w: w.total)[:REFINED]:
            recipe = row.recipe
            one = (recipe.dampers, recipe.striker, recipe.wires)
            dressings.setdefault(one, set()).add(recipe.semitones)
        for (on_it, striker, setting), semitones in dressings.items():
            field = _field(
                self.owned, self._choices("batter"), self._choices("reso"), (on_it,), (striker,),
                (setting,), port,
            )  # fmt: skip
            out += self._weighed(field, field.grid(sorted(semitones)), wish)
        return out

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
        told = field.outlook(options, wish)
        k = prior_coefficients()
        bears = told.reached & (told.stress_pa < k["stress_stop"])
        distance, apart = self._distances(told.card, len(options))
        minutes = self._minutes(field, options)
        costs = self._costs(field, options, told, minutes)
        total = distance + sum(costs.values(), np.zeros(len(options)))
        total = np.where(bears, total, np.inf)
        rows = _distinct(np.argsort(total, kind="stable"), options, total)
        return [
            self._row(field, options, told, i, minutes[i], distance, apart, costs) for i in rows
        ]

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
        }
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
        return np.asarray(batter[options.batter].astype(np.float64) + reso[options.reso])

    def _row(
        self,
        field: Field,
        options: Options,
        told: Outlook,
        i: int,
        minutes: float,
        distance: Array,
        apart: dict[str, Array],
        costs: dict[str, Array],
    ) -> Weighed:
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
            apart={name: float(values[i]) for name, values in apart.items()},
            costs={"distance": float(distance[i])}
            | {name: float(values[i]) for name, values in costs.items()},
            minutes=float(minutes),
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
