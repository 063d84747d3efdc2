"""One voice on one drum: every recipe weighed, the best kept.

Conventions
-----------
First heads and relation are searched bare and
with what lies on the drum now; then, on the best of them, dampers, strikers and wires. How
recipes are weighed is in ``weighing``.
"""

import itertools
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import (
    USUAL_STRIKER,
    USUAL_WIRES_SETTING,
)
from emblar.core.drum import AS_PLANNED, Setup, Wish
from emblar.core.planning.brief import Brief, Shelf, Weights, strikers_of
from emblar.core.planning.kick_window import kick_window
from emblar.core.planning.kit import RANGES, model, wearing
from emblar.core.planning.outlook import options_of
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.recipe import relation_of
from emblar.core.planning.schools import (
    FAVOURED_ON,
    FRONT,
    MUFFLING,
    PORT,
    RELATION,
    SNARE_SIDE,
    side_taken,
)
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import RENDERED, Weighed, Weigher, field_of

Array = NDArray[np.float64]
PAIRS: dict[Kind, tuple[tuple[str, str], ...]] = {
    "kick": (
        ("pillow-batter", "pillow-front"),
        ("pad-batter", "foam-lining"),
        ("towel", "sand-can"),
    ),
    "snare": (("tape-flag", "tape-flag-snare-side"),),
    "tom": (("tape-flag", "cotton-four"), ("gel-pad", "cotton-four")),
}
"""Dampers that practice lays on together."""
SEMITONES = (-5.0, -3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 7.0)
"""Between reso and batter. Beyond a fourth only under a snare, whose thin film is tuned high."""
FOURTH = 5.0
BEST_HEADS = 5
BEST_AGAIN = 2
KEPT = 24
REFINED = 6
NEW_PORT_IN = 5.0
NEARLY_AS_GOOD = 1.0
FINALISTS = 3
POLISHINGS = 2
AROUND = 3
LEAST_GAIN = 0.02
PORT_RANGE_SEMITONES = 30
INTERVALS = (RELATION, SNARE_SIDE, FRONT)
WIRES_CLEARLY = 4.0
"""From so many steps on the record says clearly that the wires are set otherwise."""
DRY_LENGTH_S = 0.12
DRY_SUSTAIN_S = 0.35
"""A kick shorter than either is dry: only then is it thought of without a front head."""
RING_LEFT_IN = 2.0
"""So wide is what is left of a front head that is cut to a ring (assumption)."""
"""What becomes of a kick's front by hand: no hole, a hole, cut to a ring, or taken off."""


@dataclass(frozen=True, slots=True)
class Front:
    """What is at the far side of a drum: a head, with a hole of some inches or none; or nothing."""

    port_in: float | None = None
    off: bool = False


AS_IT_IS = Front()


class DrumSearch(Weigher):
    """The search of one voice on one drum of a shelf."""

    def __init__(
        self,
        number: int,
        target: Target,
        shelf: Shelf,
        brief: Brief,
        weights: Weights,
        locks: Wish = AS_PLANNED,
    ) -> None:
        super().__init__(number, target, shelf, brief, weights)
        self.locks = locks
        self.past_ceiling = locks.pitch_hz is not None or locks.semitones is not None
        if self.owned.kind == "kick" and locks.pitch_hz is None:
            self.window = kick_window(self.owned.diameter_in)
        request = ((locks.batter, self.owned.batter), (locks.reso, self.owned.reso))
        by_hand = sum(
            h is not None and h != current and self.loose(h) is None for h, current in request
        )
        self.may_buy = max(brief.most_bought, by_hand)
        self._schools: Mapping[str, str] = {}
        """The player's schools that apply here and that nothing by hand overrules, while kept."""

    def best(self) -> list[Weighed]:
        """Return the best recipes, best first; empty if no head bears any pitch here.

        The player's schools are kept unless no head bears the pitch so. Where the pitch cannot be
        reached the nearest that can is planned, and by how much it misses is told in
        ``short_cents``.
        """
        wish = self.target.value("pitch")
        if wish is None:
            return []
        for schools in (self._own_schools(), {}):
            self._schools = schools
            result = self._best_near(wish)
            if result:
                return result
        nearest = self._nearest(wish)
        if nearest is None:
            return []
        short = 1200.0 * math.log2(nearest / wish)
        return [replace(w, short_cents=short) for w in self._best_near(nearest)]

    def _own_schools(self) -> dict[str, str]:
        locks = self.locks
        related = locks.semitones is not None or locks.relation is not None
        overruled = {
            RELATION: related,
            SNARE_SIDE: related,
            FRONT: related,
            MUFFLING: locks.dampers is not None,
            PORT: locks.port is not None,
        }
        two = self.owned.reso is not None
        return {
            about: name
            for about, name in self.brief.schools.items()
            if self.owned.kind in FAVOURED_ON[about]
            and not overruled[about]
            and (two or about == MUFFLING)
        }

    def _keeps(self, about: str, semitones: float, dressed: bool = False) -> bool:
        """Whether a choice keeps to the player's school about something, if there is one."""
        name = self._schools.get(about)
        return name is None or bool(
            side_taken(about, name, semitones, ported=False, dressed=dressed)
        )

    def finalists(self, matches: list[Weighed], count: int = FINALISTS) -> list[Weighed]:
        """Return recipes with the first few put in order by what their strokes *measure*.

        The outlook's card is worked out, not measured; among recipes that are nearly as good, a
        rendered stroke measured by the code that measured the record decides.
        """
        matches = self.polished(matches)
        first = [w for w in matches[:count] if w.total < matches[0].total + NEARLY_AS_GOOD]
        if len(first) < 2:
            return matches
        measured = [w.total - w.distance + self._measured(w) for w in first]
        # What was worked out tells how good the best of them is, what was measured the rest.
        least, nearest = min(w.total for w in first), min(measured)
        known = [
            replace(w, costs={**w.costs, RENDERED: least + exact - nearest - w.total})
            for w, exact in zip(first, measured, strict=True)
        ]
        rest = [w for w in matches if w not in first]
        return sorted([*known, *rest], key=lambda w: w.total)

    def polished(self, matches: list[Weighed]) -> list[Weighed]:
        """Return recipes with those added that differ from the best in two choices at once.

        Around the best few, dampers and relation together, then heads; again while that helps.
        """
        wish, front = matches[0].card["pitch"], self._front_of(matches[0])
        for _ in range(POLISHINGS):
            best, same_front = matches[0], [w for w in matches if self._front_of(w) == front]
            near = self._around(front, wish, same_front)
            near += self._once_dressed(front, wish, sorted(near, key=lambda w: w.total))
            near = [replace(w, short_cents=best.short_cents) for w in near]
            matches = _kept([*matches, *near])
            if matches[0].total > best.total - LEAST_GAIN:
                break
        return matches

    def _around(self, front: Front, wish: float, matches: list[Weighed]) -> list[Weighed]:
        """Return the best few heads and strokes with every damper set and relation together."""
        best = list(
            dict.fromkeys(
                (w.setup.batter, w.setup.reso, w.setup.striker, w.setup.wires) for w in matches
            )
        )[:AROUND]
        batters, resos, by, settings = (tuple(dict.fromkeys(c)) for c in zip(*best, strict=True))
        available = tuple(r for r in resos if r is not None)
        field = field_of(
            self.catalogue,
            self.owned,
            batters,
            available,
            self._damper_sets(front),
            by,
            settings,
            front.port_in,
        )
        rows = [
            (batters.index(b), resos.index(r) if r else 0, on_it, by.index(s), settings.index(w), t)
            for b, r, s, w in best
            for on_it in range(len(field.damper_sets))
            for t in (self._relations() if r else (0.0,))
        ]
        return self.weighed(field, options_of(rows), wish)

    def _measured(self, row: Weighed) -> float:
        """Return the weighted distance of a recipe's rendered stroke from the target."""
        setup = row.setup
        owned = wearing(self.owned, setup.reso, setup.port_in)
        drum = model(
            self.catalogue,
            owned,
            batter=setup.batter,
            reso=setup.reso,
            dampers=setup.dampers,
            striker=setup.striker,
            wires_setting=setup.wires,
        )
        card = predicted_card(predict(drum, setup.batter_hz, setup.reso_hz), owned.kind)
        values = {name: np.array([quantity.value]) for name, quantity in card.items()}
        return float(self._distances(values, 1)[0][0])

    def _nearest(self, wish: float) -> float | None:
        for step in range(1, 2 * PORT_RANGE_SEMITONES):
            for sign in (-1.0, 1.0):
                pitch = float(wish * 2.0 ** (sign * step / 24.0))
                if 15.0 < pitch < 700.0 and self._best_near(pitch, quick=True):
                    return pitch
        return None

    def _best_near(self, wish: float, *, quick: bool = False) -> list[Weighed]:
        result: list[Weighed] = []
        for front in self._fronts():
            first = self._heads(front, wish)
            if quick and first:
                return first
            result += self._dressed(front, wish, first)
        return _kept([w for w in result if self._keeps(MUFFLING, 0.0, bool(w.setup.dampers))])

    def _front_of(self, row: Weighed) -> Front:
        return Front(row.setup.port_in, off=row.setup.reso is None and self.owned.reso is not None)

    def _fronts(self) -> list[Front]:
        """Return what may be at the far side: as it is, with a hole, or nothing."""
        current = self.owned.port_in
        if self.owned.kind != "kick" or self.owned.reso is None:
            return [Front(current)]
        hole = Front(current or NEW_PORT_IN)
        by_hand = {
            "closed": Front(),
            "cut": hole,
            "off": Front(off=True),
            "ring": Front(ring_in(self.owned.diameter_in)),
        }
        if self.locks.port is not None:
            return [by_hand[self.locks.port]]
        school = self._schools.get(PORT)
        if self.brief.engineer_wants_hole or school == "ported front":
            # Kept for want of a hole only where none may be cut or bought.
            return [hole] if self._choices("reso", hole) else [Front(current)]
        if school == "closed front":
            return [Front()]
        asked_for_head = self.locks.reso is not None
        related = self.locks.semitones is not None or self.locks.relation is not None
        off = [Front(off=True)] if self._is_dry() and not (asked_for_head or related) else []
        return [Front(current), *([hole] if current is None else []), *off]

    def _is_dry(self) -> bool:
        """Whether the record's kick is so short that a front head may not be missed."""
        length, sustain = self.target.value("length"), self.target.value("sustain")
        return (length or math.inf) < DRY_LENGTH_S or (sustain or math.inf) < DRY_SUSTAIN_S

    def _hole_fits(self, made: str, front: Front) -> bool:
        """Whether a front head has the hole that is asked for, or may have it cut."""
        as_it_is = made == self.owned.reso and front.port_in == self.owned.port_in
        if as_it_is or self.catalogue.construction(made).hole_in == front.port_in:
            return True
        return front.port_in is not None and not self.brief.never_cut

    def _choices(self, side: str, front: Front = AS_IT_IS) -> tuple[str, ...]:
        result = self._heads_for(side)
        if side == "batter" or self.owned.kind != "kick":
            return result
        return () if front.off else tuple(h for h in result if self._hole_fits(h, front))

    def _heads_for(self, side: str) -> tuple[str, ...]:
        current = self.owned.batter if side == "batter" else self.owned.reso
        locked = self.locks.batter if side == "batter" else self.locks.reso
        if current is None:
            return ()
        if locked is not None:
            return (locked,)
        if self.brief.keep_heads:
            return (current,)
        rows = self.catalogue.constructions_for(
            self.owned.kind, "batter" if side == "batter" else "reso"
        )
        available = [c.id for c in rows if self.may_buy > 0 or self.loose(c.id) is not None]
        if (
            side == "reso"
            and self.owned.kind == "snare"
            and not self.catalogue.construction(current).is_snare_side
        ):
            # Whatever is there now does not belong there; it stays only for want of another.
            return tuple(available) or (current,)
        return tuple(dict.fromkeys([current, *available]))

    def _usual_striker(self) -> str:
        strikers = strikers_of(self.shelf, self.owned.kind)
        usual = USUAL_STRIKER[self.owned.kind]
        if self.locks.striker is not None:
            return self.locks.striker
        if self.brief.brushes and self.owned.kind != "kick":
            return "brushes"
        return usual if usual in strikers else strikers[0]

    def _heads(self, front: Front, wish: float) -> list[Weighed]:
        """Return the best recipe of every pair of heads, with nothing on them or what is now."""
        sets = (
            tuple(dict.fromkeys([(), self.now]))
            if self.locks.dampers is None
            else (self.locks.dampers,)
        )
        field = field_of(
            self.catalogue,
            self.owned,
            self._choices("batter"),
            self._choices("reso", front),
            sets,
            (self._usual_striker(),),
            (self.locks.wires or USUAL_WIRES_SETTING,),
            front.port_in,
        )
        options = field.grid(self._relations())
        # Heads that are there may lie far behind, and still be all that may be bought.
        available = self._available(field.batters, self.owned.batter)[options.batter]
        if field.resos:
            available &= self._available(field.resos, self.owned.reso)[options.reso]
        result = self.weighed(field, options, wish, also=available)
        best: dict[tuple[str, str | None], Weighed] = {}
        for row in result:
            key = (row.setup.batter, row.setup.reso)
            if key not in best or row.total < best[key].total:
                best[key] = row
        return sorted(best.values(), key=lambda w: w.total)

    def _available(self, heads: Sequence[str], present: str | None) -> NDArray[np.bool_]:
        """Return which heads are on the drum now or loose on the shelf."""
        return np.array([h == present or self.loose(h) is not None for h in heads], np.bool_)

    def _relations(self) -> tuple[float, ...]:
        if self.locks.semitones is not None:
            return (self.locks.semitones,)
        if self.locks.relation is not None:
            return tuple(s for s in SEMITONES if relation_of(s) == self.locks.relation)
        members = [s for s in SEMITONES if self.owned.kind == "snare" or abs(s) <= FOURTH]
        if self.owned.kind == "kick" and self._schools.get(FRONT) != "front below":
            members = [s for s in members if s >= 0.0]
        return tuple(s for s in members if all(self._keeps(about, s) for about in INTERVALS))

    def _dressed(self, front: Front, wish: float, first: list[Weighed]) -> list[Weighed]:
        """Return recipes with dampers, strikers and wires on the best heads and on those now on."""
        current = (self.owned.batter, self.owned.reso)
        chosen = first[:BEST_HEADS]
        chosen += [w for w in first[BEST_HEADS:] if (w.setup.batter, w.setup.reso) == current]
        chosen += [w for w in first if not w.bought and w not in chosen][:1]
        # Dampers shorten: a longer head may be the better one once something lies on it.
        length = self.target.value("length")
        if length is not None and first:
            chosen += [max(first, key=lambda w: w.card.get("length", 0.0))]
        if not chosen:
            return []
        result = self._dress(front, wish, chosen)
        again = self._once_dressed(front, wish, result)
        # Heads that only show their worth dressed are dressed with everything, too.
        seen = {(w.setup.batter, w.setup.reso) for w in chosen}
        pairs = {(w.setup.batter, w.setup.reso): w for w in reversed(again[:REFINED])}
        new = [w for pair, w in pairs.items() if pair not in seen][:BEST_AGAIN]
        return chosen + result + again + (self._dress(front, wish, new) if new else [])

    def _dress(self, front: Front, wish: float, chosen: list[Weighed]) -> list[Weighed]:
        """Return recipes with dampers, strikers and wires on given heads, the best first."""
        batters = tuple(dict.fromkeys(w.setup.batter for w in chosen))
        resos = tuple(dict.fromkeys(w.setup.reso for w in chosen if w.setup.reso))
        matching = strikers_of(self.shelf, self.owned.kind)
        by = (self._usual_striker(),) if self.brief.brushes or self.locks.striker else matching
        settings = (self.locks.wires,) if self.locks.wires else self._settings(chosen[0])
        field = field_of(
            self.catalogue,
            self.owned,
            batters,
            resos,
            self._damper_sets(front),
            by,
            settings,
            front.port_in,
        )

        def place(setup: Setup) -> tuple[int, int, float]:
            reso = resos.index(setup.reso) if setup.reso else 0
            return batters.index(setup.batter), reso, setup.semitones

        heads = list(dict.fromkeys(place(w.setup) for w in chosen))
        return sorted(self.weighed(field, field.options(heads), wish), key=lambda w: w.total)

    def _settings(self, row: Weighed) -> tuple[str, ...]:
        """Return the settings of the wires to choose from: medium, unless the record is clear.

        A recipe's wires at medium are so many audible steps over the record's; what other settings
        do to the drum itself is no reason for them.
        """
        off = row.apart.get("wires", 0.0)
        if self.owned.kind != "snare" or abs(off) < WIRES_CLEARLY:
            return (USUAL_WIRES_SETTING,)
        return USUAL_WIRES_SETTING, "tight" if off > 0.0 else "loose"

    def _once_dressed(self, front: Front, wish: float, matches: list[Weighed]) -> list[Weighed]:
        """Return the best recipes with every other pair of heads, and every other relation.

        Both were first judged bare and with the usual striker; dressed, and struck otherwise,
        others may be the better ones.
        """
        best = [w.setup for w in matches[:REFINED]]
        sets = tuple(dict.fromkeys(r.dampers for r in best))
        by = tuple(dict.fromkeys(r.striker for r in best))
        settings = tuple(dict.fromkeys(r.wires for r in best))
        field = field_of(
            self.catalogue,
            self.owned,
            self._choices("batter"),
            self._choices("reso", front),
            sets,
            by,
            settings,
            front.port_in,
        )
        rows: dict[tuple[int, int, int, int, int, float], None] = {}
        for r in best:
            on_it = (sets.index(r.dampers), by.index(r.striker), settings.index(r.wires))
            place = (field.batters.index(r.batter), field.resos.index(r.reso) if r.reso else 0)
            pairs = itertools.product(range(len(field.batters)), range(max(len(field.resos), 1)))
            rows |= dict.fromkeys((*pair, *on_it, r.semitones) for pair in pairs)
            if r.reso:
                rows |= dict.fromkeys((*place, *on_it, s) for s in self._relations())
        again = self.weighed(field, options_of(list(rows)), wish)
        return sorted(again, key=lambda w: w.total)

    def single_dampers(self) -> tuple[tuple[str, ...], ...]:
        """Return nothing, and every damper by itself that may lie on this drum."""
        kind, size = self.owned.kind, self.owned.diameter_in
        members = [
            d
            for d in self.catalogue.dampers_for(kind)
            if not d.only_if_asked and d.least_in <= size
        ]
        two = self.owned.reso is not None
        free = [d for d in members if d.eased == 1.0 and (d.side == "batter" or two)]
        return ((), *((d.id,) for d in free))

    def dressed_alike(self, setups: Sequence[Setup], wish: float) -> list[Weighed | None]:
        """Return recipes weighed that may be worn here: locked dampers stay, legs need a floor."""
        held, size = self.locks.dampers, self.owned.diameter_in
        has = set(self.shelf.dampers) | set(self.now)
        free = [
            r
            for r in setups
            if (held is None or r.dampers == held)
            and all(d in has and self.catalogue.damper(d).least_in <= size for d in r.dampers)
        ]
        return self.exactly(free, wish) if free else []

    def _damper_sets(self, front: Front = AS_IT_IS) -> tuple[tuple[str, ...], ...]:
        if self.locks.dampers is not None:
            return (self.locks.dampers,)
        kind = self.owned.kind
        has = set(self.shelf.dampers) | set(self.now)
        two = self.owned.reso is not None and not front.off
        single = [
            d.id
            for d in self.catalogue.dampers_for(kind)
            if d.id in has
            and not d.only_if_asked
            and (d.side == "batter" or two)
            and d.least_in <= self.owned.diameter_in
        ]
        pairs = [pair for pair in PAIRS[kind] if set(pair) <= set(single)]
        present = tuple(
            d for d in self.now if not front.off or self.catalogue.damper(d).side == "batter"
        )
        sets = dict.fromkeys([(), present, *((d,) for d in single), *pairs])
        return tuple(row for row in sets if self._keeps(MUFFLING, 0.0, bool(row)))


def ring_in(diameter_in: float) -> float:
    """Return the diameter in inches of the hole that leaves a ring of a front head."""
    widest = min(diameter_in - 2.0 * RING_LEFT_IN, RANGES["port_in"].high)
    return max(widest, NEW_PORT_IN)


def _kept(matches: Sequence[Weighed]) -> list[Weighed]:
    """Return the best by score, and those no kept one beats in work, purchases or cuts."""
    ordered = sorted(_once(matches), key=lambda w: w.total)
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
        members = (w for w in ordered if np.sign(w.setup.semitones) == relation)
        kept += [w for w in itertools.islice(members, 1) if w not in kept]
    return kept


def _once(matches: Iterable[Weighed]) -> list[Weighed]:
    best: dict[tuple[object, ...], Weighed] = {}
    for row in matches:
        r = row.setup
        chosen = (r.batter, r.reso, r.port_in, r.dampers, r.striker, r.wires, r.semitones)
        best.setdefault(chosen, row)
    return list(best.values())
