"""Cost of a drum's recipes: work, purchases, wear, and conflicts with the brief.

Conventions
-----------
Costs are in just-noticeable steps (``weights.toml``). Arrays have one entry per candidate.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH
from emblar.core.acoustics.limits import papery_tension
from emblar.core.catalogue import USUAL_STRIKER, USUAL_WIRES_SETTING
from emblar.core.planning.brief import Brief, Shelf, Weights
from emblar.core.planning.findings import findings
from emblar.core.planning.outlook import Field, Options, Outlook
from emblar.core.planning.schools import against
from emblar.core.planning.styles import NO_FRONT, shunned

Array = NDArray[np.float64]
LASTING_M = 0.00030
"""A batter this thick lasts under hard strokes (assumption)."""
THIN_M = 0.0001
"""Each such step thinner counts once (assumption)."""


class Costs:
    """The costs of recipes for one voice on one drum of a shelf.

    Parameters
    ----------
    number
        The drum's place on the shelf.
    voice
        What the drum is to play.
    shelf, brief, weights
        What there is to choose from, what is asked for, and how much each cost counts.
    """

    def __init__(
        self, number: int, voice: str, shelf: Shelf, brief: Brief, weights: Weights
    ) -> None:
        self.number, self.voice, self.owned = number, voice, shelf.drums[number]
        self.shelf, self.brief, self.weights = shelf, brief, weights
        self.catalogue = shelf.catalogue
        self.now = shelf.now_on.get(self.owned.name, ())
        fitting = [
            h
            for h in shelf.heads
            if h.count > 0 and abs(h.diameter_in - self.owned.diameter_in) < 0.1
        ]
        order = ("worn", "used", "fresh")
        # The best head of each construction comes last and stays.
        fitting.sort(key=lambda h: order.index(h.condition))
        self._conditions: dict[str, str] = {h.construction: h.condition for h in fitting}

    def loose(self, construction_id: str) -> str | None:
        """Return the condition of the best such head on the shelf, None if there is none."""
        return self._conditions.get(construction_id)

    def _costs(
        self, field: Field, options: Options, outlook: Outlook, minutes: Array
    ) -> dict[str, Array]:
        """Return every cost in steps, shape (candidates,) each."""
        cost, k = self.weights.cost, prior_coefficients()
        papery = papery_tension(self.owned.kind, self.owned.diameter_in * METRES_PER_INCH, k)
        buys = self._buys(field, options)
        worn = self._worn(field, options)
        sizes = np.array([len(d) for d in field.damper_sets])
        seldom = np.array(
            [sum(self.catalogue.damper(d).reluctance for d in row) for row in field.damper_sets]
        )
        clear = np.array([not self.catalogue.construction(b).coated for b in field.batters])
        brushed = np.array([s == "brushes" for s in field.strikers])
        out = {
            "work": cost["minute"] * minutes / self.brief.hands,
            "purchase": cost["purchase"] * buys,
            "cut": cost["cut"] * self._cuts(field)[options.reso],
            "front off": np.full(len(options), cost["front_off"] * self._takes_off(field)),
            "dampers": cost["damper"] * sizes[options.dampers],
            "seldom done": cost["reluctance"] * seldom[options.dampers],
            "usual": self._unusual(field, options),
            "head life": cost["worn"] * worn,
            "risk": cost["stress_caution"] * outlook.near_tearing
            + cost["rod_caution"] * (outlook.rod_n > k["rod_caution"])
            + cost["papery"] * (outlook.slackest_n_per_m < papery),
            "feel": cost["brushes_on_clear"] * (clear[options.batter] & brushed[options.striker]),
            "school": cost["against_school"]
            * against(
                self.brief.schools,
                self.owned.kind,
                options.semitones,
                ported=field.port_in is not None,
                dressed=sizes[options.dampers] > 0,
                two_heads=bool(field.resos),
            ),
        }
        out |= self._costs_as_asked(field, options, outlook)
        return {name: np.asarray(value, np.float64) for name, value in out.items()}

    def _costs_as_asked(
        self, field: Field, options: Options, outlook: Outlook
    ) -> dict[str, NDArray[Any]]:
        """Return the costs in steps that depend on the brief."""
        cost = self.weights.cost
        out: dict[str, NDArray[Any]] = {}
        if self.brief.style:
            out["style"] = cost["against_style"] * self._against_style(field, options)
        if self.brief.force == "hard":
            films = np.array(
                [self.catalogue.construction(b).film().thickness_m for b in field.batters]
            )
            thin = np.maximum(LASTING_M - films, 0.0) / THIN_M
            out["durability"] = cost["thin_head_hit_hard"] * thin[options.batter]
        if self.brief.rebound != "any":
            sign = 1.0 if self.brief.rebound == "lively" else -1.0
            usual = self.weights.feel[self.owned.kind]
            stiffer = np.log2(np.maximum(outlook.batter_n_per_m, 1.0) / usual)
            out["rebound"] = cost["rebound"] * np.maximum(-sign * stiffer, 0.0)
        if self.owned.kind == "kick" and field.resos and field.port_in is None:
            closed = np.ones(len(options))
            if self.brief.engineer_wants_hole:
                out["engineer"] = cost["engineer_wants_hole"] * closed
            if self.brief.stage != "studio":
                out["stages"] = cost["port_for_stages"] * closed
        serious = sum(findings()[f].serious for f in self.owned.findings)
        out["inspection"] = np.full(len(options), cost["finding"] * serious)
        gap = self.brief.gap_s(self.voice)
        if gap is not None:
            out["tempo"] = cost["too_long_for_tempo"] * (outlook.card["length"] > gap)
        return out

    def _unusual(self, field: Field, options: Options) -> Array:
        """Return the cost of unusual sticks, wires and intervals, shape (candidates,)."""
        cost, kind = self.weights.cost, self.owned.kind
        by = np.array([s != USUAL_STRIKER[kind] for s in field.strikers])
        out = cost["striker"] * by[options.striker]
        if kind == "snare":
            # Wires are left at medium unless the record says otherwise clearly.
            off = np.array([w != USUAL_WIRES_SETTING for w in field.wire_settings])
            out = out + cost["wires"] * off[options.wires]
        if field.resos:
            beyond = np.maximum(np.abs(options.semitones) - self.weights.usual[kind], 0.0)
            out = out + cost["far_apart"] * beyond
        return np.asarray(out)

    def _against_style(self, field: Field, options: Options) -> Array:
        heads, dampers, by = shunned(self.brief.style)
        batter = np.array([b in heads for b in field.batters], np.float64)
        reso = np.array([r in heads for r in field.resos] or [False], np.float64)
        on_it = np.array([sum(d in dampers for d in row) for row in field.damper_sets], np.float64)
        struck = np.array([s in by for s in field.strikers], np.float64)
        total = batter[options.batter] + reso[options.reso] + on_it[options.dampers]
        off = float(NO_FRONT in heads and self._takes_off(field))
        return np.asarray(total + struck[options.striker] + off)

    def _takes_off(self, field: Field) -> bool:
        return self.owned.reso is not None and not field.resos

    def _cuts(self, field: Field) -> NDArray[np.bool_]:
        """Return a mask of front heads with a hole to cut, shape (resos,)."""
        port = field.port_in
        return np.array(
            [
                port is not None
                and self.catalogue.construction(r).hole_in != port
                and not self._as_it_is(r, port)
                for r in field.resos
            ]
            or [False]
        )

    def _as_it_is(self, reso: str, port_in: float | None) -> bool:
        """Whether a reso is the one on the drum, with the hole that it has or without one."""
        return reso == self.owned.reso and port_in == self.owned.port_in

    def _swapped(self, field: Field, options: Options) -> tuple[NDArray[np.bool_], Array]:
        batter = np.array([b != self.owned.batter for b in field.batters])[options.batter]
        available = [not self._as_it_is(r, field.port_in) for r in field.resos] or [False]
        other = (np.array(available) & ~self._cut_here(field))[options.reso]
        return batter, other.astype(np.float64)

    def _minutes(self, field: Field, options: Options) -> Array:
        work = self.weights.work
        batter, reso = self._swapped(field, options)
        heads = 2.0 if field.resos else 1.0
        current = set(self.now)
        changes = np.array(
            [
                sum(self.catalogue.damper(d).minutes for d in row if d not in current)
                + work["take_off_damper"] * len(current - set(row))
                for row in field.damper_sets
            ]
        )
        usual = USUAL_STRIKER[self.owned.kind]
        by = np.array(
            [0.0 if s == usual else self.catalogue.strikers[s].minutes for s in field.strikers]
        )
        set_ = np.array([self.catalogue.wire_settings[w].minutes for w in field.wire_settings])
        total = work["place_drum"] + work["tune_head"] * heads + work["swap_head"] * (batter + reso)
        total = total + changes[options.dampers] + by[options.striker]
        if self.owned.kind == "snare":
            total = total + set_[options.wires]
        total = total + work["take_off_front"] * self._takes_off(field)
        return np.asarray(total + work["cut_port"] * self._cuts(field)[options.reso])

    def _cut_here(self, field: Field) -> NDArray[np.bool_]:
        """Return a mask of resos that would cut the head on the drum, shape (resos,)."""
        present = [r == self.owned.reso and self.owned.port_in is None for r in field.resos]
        return np.asarray(self._cuts(field) & np.array(present or [False]))

    def _buys(self, field: Field, options: Options) -> Array:
        batter = np.array([b != self.owned.batter and self.loose(b) is None for b in field.batters])
        new = np.array([self.loose(r) is None for r in field.resos] or [False])
        available = np.array([self._as_it_is(r, field.port_in) for r in field.resos] or [True])
        reso = new & ~available & ~self._cut_here(field)
        return np.asarray(batter[options.batter].astype(np.float64) + reso[options.reso])

    def _worn(self, field: Field, options: Options) -> Array:
        batter = np.array(
            [b != self.owned.batter and self.loose(b) == "worn" for b in field.batters]
        )
        reso = np.array(
            [r != self.owned.reso and self.loose(r) == "worn" for r in field.resos] or [False]
        )
        worn = batter[options.batter].astype(np.float64) + reso[options.reso]
        spent = {findings()[f].changes for f in self.owned.findings}
        if "batter" in spent:
            worn = worn + np.array([b == self.owned.batter for b in field.batters])[options.batter]
        if "reso" in spent and field.resos:
            worn = worn + np.array([r == self.owned.reso for r in field.resos])[options.reso]
        return np.asarray(worn)
