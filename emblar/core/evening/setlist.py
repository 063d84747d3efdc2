"""Several songs on one kit: the order, and how each drum is set up for each, with fewest changes.

Conventions
-----------
A drum may be set up for a song in several ways, each with what it costs that song's sound in
audible steps. Between two songs a drum is brought from one to the other; minutes are of one
person. Best is the least sum of steps and of minutes at their worth in steps. The kit is ready for
the first song before it begins.
"""

import itertools
import math
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources
from typing import Annotated

import numpy as np
from annotated_types import Interval
from numpy.typing import NDArray

from emblar.core.acoustics.drum import Kind, Side
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.errors import InputError
from emblar.core.notes import cents
from emblar.core.tuning.procedure import job_texts

Array = NDArray[np.float64]
MOST_IN_ORDER = 8
NEW_HEAD = ("mount", "finger", "seat", "even", "settle")
"""The jobs that a head fitted anew takes."""


@dataclass(frozen=True, slots=True)
class Offer:
    """One way to set a drum up for a song, and what it costs the sound in audible steps."""

    setup: Setup
    steps: float


@dataclass(frozen=True, slots=True)
class Song:
    """A song and, by drum, the ways to set it up; a drum that is not named is not played."""

    name: str
    offers: Mapping[str, tuple[Offer, ...]]


@dataclass(frozen=True, slots=True)
class SetDrum:
    """What a change has to know of a drum."""

    kind: Kind
    rods: Annotated[int, Interval(ge=4, le=20)]


@dataclass(frozen=True, slots=True)
class Change:
    """What is done on one drum between two songs; ``tuned`` by how many cents, per head."""

    minutes: float
    heads: tuple[Side, ...] = ()
    tuned: Mapping[Side, float] = field(default_factory=dict)
    on: tuple[str, ...] = ()
    off: tuple[str, ...] = ()
    wires: str = ""
    striker: str = ""

    @property
    def nothing(self) -> bool:
        """Whether the drum stays as it is."""
        return not (self.heads or self.tuned or self.on or self.off or self.wires or self.striker)


@dataclass(frozen=True, slots=True)
class Setlist:
    """Songs in order, by their place in what was asked.

    ``chosen`` is which offer each drum is set up by, for each song in order; ``changes`` what is
    done before each song, nothing before the first.
    """

    order: tuple[int, ...]
    chosen: tuple[Mapping[str, int], ...]
    changes: tuple[Mapping[str, Change], ...]
    minutes: float
    steps: float
    score: float


@lru_cache(maxsize=1)
def _numbers() -> dict[str, float]:
    text = (resources.files(__package__) / "setlist.toml").read_text(encoding="utf-8")
    return {name: float(row["value"]) for name, row in tomllib.loads(text).items()}


def minute_worth() -> float:
    """Return what a minute between two songs is worth in steps."""
    return _numbers()["minute"]


def change(catalogue: Catalogue, drum: SetDrum, before: Setup, after: Setup) -> Change:
    """Return what brings a drum from one setup to another, and how long it takes.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    drum
        The drum.
    before
        How it is set up.
    after
        How it is to be set up.
    """
    k = _numbers()
    pairs: tuple[tuple[Side, str | None, str | None, float | None, float | None], ...] = (
        ("batter", before.batter, after.batter, before.batter_hz, after.batter_hz),
        ("reso", before.reso, after.reso, before.reso_hz, after.reso_hz),
    )
    heads: list[Side] = []
    tuned: dict[Side, float] = {}
    for side, present, available, from_hz, to_hz in pairs:
        other_hole = side == "reso" and before.port_in != after.port_in
        if present != available or other_hole:
            heads.append(side)
        elif from_hz and to_hz and abs(cents(to_hz, from_hz)) > k["retune_from"]:
            tuned[side] = cents(to_hz, from_hz)
    on = tuple(sorted(set(after.dampers) - set(before.dampers)))
    off = tuple(sorted(set(before.dampers) - set(after.dampers)))
    wires = after.wires if drum.kind == "snare" and after.wires != before.wires else ""
    minutes = len(heads) * sum(job_texts()[name].minutes for name in NEW_HEAD)
    minutes += len(tuned) * (k["retune_head"] + drum.rods * k["retune_rod"])
    minutes += sum(catalogue.damper(d).minutes for d in on) + k["undamp"] * sum(
        catalogue.damper(d).minutes for d in off
    )
    if wires:
        minutes += catalogue.wire_settings[wires].minutes
    striker = after.striker if after.striker != before.striker else ""
    return Change(minutes, tuple(heads), tuned, on, off, wires, striker)


def plan_setlist(
    catalogue: Catalogue,
    drums: Mapping[str, SetDrum],
    songs: Sequence[Song],
    *,
    free_order: bool,
    worth: float | None = None,
) -> Setlist:
    """Return the best order and setups, exactly.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    drums
        Every drum that a song names.
    songs
        In the order asked for.
    free_order
        Whether the order may be chosen.
    worth
        What a minute between two songs is worth in steps; the usual if left out.

    Raises
    ------
    InputError
        There is no song, a drum of a song is unknown or has no offer, or there are too many songs
        to put in order.
    """
    _check(drums, songs, free_order=free_order)
    problem = _Problem(catalogue, drums, songs, minute_worth() if worth is None else worth)
    order = problem.best_order() if free_order else tuple(range(len(songs)))
    return problem.result(order)


def _check(drums: Mapping[str, SetDrum], songs: Sequence[Song], *, free_order: bool) -> None:
    if not songs:
        raise InputError("Choose at least one song.")
    if free_order and len(songs) > MOST_IN_ORDER:
        raise InputError(
            f"Up to {MOST_IN_ORDER} songs can be put in order; these are {len(songs)}. Say the "
            "order yourself, or plan them in two parts."
        )
    for song in songs:
        for name, offers in song.offers.items():
            if name not in drums or not offers:
                raise InputError(f"{song.name}: {name} is not known or cannot be set up for it.")


class _Problem:
    """Costs between all offers of a drum, and the search over orders."""

    def __init__(
        self,
        catalogue: Catalogue,
        drums: Mapping[str, SetDrum],
        songs: Sequence[Song],
        worth: float,
    ) -> None:
        self.catalogue = catalogue
        self.drums, self.songs, self.worth = drums, songs, worth
        self.steps = {
            (name, i): np.array([offer.steps for offer in song.offers[name]])
            for i, song in enumerate(songs)
            for name in song.offers
        }
        self.between: dict[tuple[str, int, int], Array] = {}
        for name, drum in drums.items():
            played = [i for i, song in enumerate(songs) if name in song.offers]
            for i in played:
                for j in played:
                    if i != j:
                        self.between[name, i, j] = worth * self._minutes(name, drum, i, j)
        self.least = [self._least(j) for j in range(len(songs))]

    def _minutes(self, name: str, drum: SetDrum, i: int, j: int) -> Array:
        present, available = self.songs[i].offers[name], self.songs[j].offers[name]
        return np.array(
            [
                [change(self.catalogue, drum, a.setup, b.setup).minutes for b in available]
                for a in present
            ]
        )

    def _least(self, j: int) -> float:
        """Return what song ``j`` costs at least, whatever comes before it."""
        total = 0.0
        for name in self.songs[j].offers:
            into = [
                float((self.between[name, i, j] + self.steps[name, j]).min())
                for i in range(len(self.songs))
                if (name, i, j) in self.between
            ]
            total += min([float(self.steps[name, j].min()), *into])
        return total

    def _after(
        self, state: Mapping[str, tuple[int, Array]], j: int
    ) -> dict[str, tuple[int, Array]]:
        """Return the least cost of each drum's offers once song ``j`` is played."""
        new = dict(state)
        for name in self.songs[j].offers:
            cost = self.steps[name, j]
            if name in state:
                i, before = state[name]
                cost = cost + (before[:, None] + self.between[name, i, j]).min(axis=0)
            new[name] = j, cost
        return new

    def best_order(self) -> tuple[int, ...]:
        """Return the order of the least cost: all are looked at, what cannot win is left early."""
        best: list[tuple[float, tuple[int, ...]]] = [(math.inf, ())]
        self._look({}, (), best)
        return best[0][1]

    def _look(
        self,
        state: Mapping[str, tuple[int, Array]],
        order: tuple[int, ...],
        best: list[tuple[float, tuple[int, ...]]],
    ) -> None:
        """Look at every order that begins with one; a better one than the best takes its place."""
        current = sum(float(cost.min()) for _, cost in state.values())
        left = [j for j in range(len(self.songs)) if j not in order]
        if current + sum(self.least[j] for j in left) >= best[0][0] - 1e-9:
            return
        if not left:
            best[0] = current, order
            return
        nexts = [(j, self._after(state, j)) for j in left]
        nexts.sort(key=lambda row: sum(float(cost.min()) for _, cost in row[1].values()))
        for j, new in nexts:
            self._look(new, (*order, j), best)

    def result(self, order: tuple[int, ...]) -> Setlist:
        """Return the best setups for an order."""
        picked = {name: self._picked(name, order) for name in self.drums}
        chosen = tuple({name: picked[name][i] for name in self.songs[i].offers} for i in order)
        changes, current = [], dict[str, Setup]()
        for i, offers in zip(order, chosen, strict=True):
            row = {}
            for name, index in offers.items():
                setup = self.songs[i].offers[name][index].setup
                if name in current:
                    row[name] = change(self.catalogue, self.drums[name], current[name], setup)
                current[name] = setup
            changes.append(row)
        minutes = sum(c.minutes for row in changes for c in row.values())
        steps = sum(
            self.songs[i].offers[name][index].steps
            for i, offers in zip(order, chosen, strict=True)
            for name, index in offers.items()
        )
        score = steps + self.worth * minutes
        return Setlist(order, chosen, tuple(changes), minutes, steps, score)

    def _picked(self, name: str, order: Sequence[int]) -> dict[int, int]:
        """Return which offer a drum is set up by, by song, along the cheapest way through."""
        played = [i for i in order if name in self.songs[i].offers]
        if not played:
            return {}
        costs = [self.steps[name, played[0]]]
        came: list[NDArray[np.int64]] = []
        for i, j in itertools.pairwise(played):
            through = costs[-1][:, None] + self.between[name, i, j]
            came.append(through.argmin(axis=0))
            costs.append(self.steps[name, j] + through.min(axis=0))
        position = int(costs[-1].argmin())
        result = {played[-1]: position}
        for song, back in zip(reversed(played[:-1]), reversed(came), strict=True):
            position = int(back[position])
            result[song] = position
        return result
