"""Thousands of ways to dress one drum, each tuned to a wished pitch, with the card of each.

Conventions
-----------
A *field* is one drum with the heads, dampers, strikers and settings of the wires that may be on it.
Its *options* are arrays of numbers into those lists, one entry per candidate. Tensions are solved
so that a medium stroke settles at the wished pitch. SI units inside, lug pitches in Hz.

The arithmetic is that of ``forward`` and ``predicted``, vectorised; tests hold both together.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.batch import Batch, HeadChoice, Modes, Shares, table
from emblar.core.acoustics.coefficients import Coefficients, prior_coefficients
from emblar.core.acoustics.dressed import HeadKey, Shell
from emblar.core.acoustics.drum import Drum, Side, Strike
from emblar.core.acoustics.head import lug_pitch_from_tension
from emblar.core.acoustics.limits import stress_limits_pa
from emblar.core.acoustics.strike import on_surface
from emblar.core.catalogue import (
    Catalogue,
    Damper,
    eased_by,
)
from emblar.core.planning.kit import OwnedDrum, model, stroke_on, wearing
from emblar.core.synthesis.expected import Noises, Partials, expected_card
from emblar.core.synthesis.stroke import settle_span_s, stroke_noises

Array = NDArray[np.float64]
Index = NDArray[np.int64]
SOLVER_STEPS = 3
LEVEL = 0.5
QUIETEST_DB = -45.0
LOWEST_N_PER_M = 5.0
HIGHEST_N_PER_M = 60000.0
TURN = 2.0 * np.pi
REACHED = 0.003
"""A pitch this near in its logarithm is reached."""


@dataclass(frozen=True, slots=True, eq=False)
class Options:
    """Candidates as numbers into a field's lists, and the interval of the heads in semitones."""

    batter: Index
    reso: Index
    dampers: Index
    striker: Index
    wires: Index
    semitones: Array

    def __len__(self) -> int:
        return len(self.batter)


def options_of(rows: Sequence[tuple[int, int, int, int, int, float]]) -> Options:
    """Return candidates given one by one: batter, reso, dampers, striker, wires, semitones."""
    columns = np.array(rows, np.float64).reshape(len(rows), 6)
    batter, reso, on_it, by, setting = columns[:, :5].T.astype(np.int64)
    return Options(batter, reso, on_it, by, setting, columns[:, 5])


@dataclass(frozen=True, slots=True, eq=False)
class Outlook:
    """What every candidate does.

    Attributes
    ----------
    card
        Quantities by the names of ``registry.toml``, each of shape (candidates,).
    batter_n_per_m, reso_n_per_m
        Tensions; the reso's is 0 without one.
    batter_hz, reso_hz
        Lug pitches.
    stress_share, near_tearing, rod_n, slackest_n_per_m
        The worse head's film stress over where it may tear, and whether a head is near that; the
        worse head's rod load; the slacker head's tension.
    reached
        Whether the wished pitch is reached.
    """

    card: dict[str, Array]
    batter_n_per_m: Array
    reso_n_per_m: Array
    batter_hz: Array
    reso_hz: Array
    stress_share: Array
    near_tearing: NDArray[np.bool_]
    rod_n: Array
    slackest_n_per_m: Array
    reached: NDArray[np.bool_]


class Field:
    """One drum with everything that may be on it.

    Parameters
    ----------
    owned
        The drum.
    batters, resos
        Constructions by id; ``resos`` is empty for a kick without a front head.
    damper_sets
        What may lie on it together, by ids; the empty tuple is nothing.
    strikers, wire_settings
        By id.
    port_in
        Diameter of the port, None for a closed front.
    """

    def __init__(
        self,
        catalogue: Catalogue,
        owned: OwnedDrum,
        batters: Sequence[str],
        resos: Sequence[str],
        damper_sets: Sequence[tuple[str, ...]],
        strikers: Sequence[str],
        wire_settings: Sequence[str],
        *,
        port_in: float | None = None,
        coefficients: Coefficients | None = None,
    ) -> None:
        self.owned, self.port_in = owned, port_in
        self.batters, self.resos = tuple(batters), tuple(resos)
        self.damper_sets = tuple(damper_sets)
        self.strikers, self.wire_settings = tuple(strikers), tuple(wire_settings)
        self.k = k = coefficients or prior_coefficients()
        # The port of the model is the drum's; the films, dampers and strikers come from the lists.
        self.catalogue = catalogue
        drum = model(catalogue, owned)
        self.radius_m = drum.radius_m(k)
        self._kind = owned.kind
        rows = [[catalogue.damper(d) for d in ids] for ids in self.damper_sets]
        self._batter_keys, self._batter_of = self._keys("batter", self.batters, rows, drum)
        self._reso_keys, self._reso_of = self._keys("reso", self.resos, rows, drum)
        choice = HeadChoice(
            owned.kind,
            Shell(self.radius_m, drum.depth_m),
            owned.rods,
            tuple(self._batter_keys),
            tuple(self._reso_keys),
            catalogue.loss_share(owned.hoop, owned.shell, owned.edge_now),
            port_in * 0.0254 / 2.0 if port_in is not None else None,
            drum.shell_hole_m,
        )
        self._table = table(choice, k)
        self._edge = np.array([np.prod([d.edge for d in row]) for row in rows])
        self._set_strikes(rows)
        self._thickness_b = np.array(
            [catalogue.construction(b).film().thickness_m for b in self.batters]
        )
        self._thickness_r = np.array(
            [catalogue.construction(r).film().thickness_m for r in self.resos] or [1.0]
        )
        self._per_hz_b = self._lug_constants("batter", self.batters, drum)
        self._per_hz_r = self._lug_constants("reso", self.resos, drum)

    def _set_strikes(self, rows: Sequence[Sequence[Damper]]) -> None:
        """Work out what every striker does over every set of dampers, on every batter."""
        struck = wearing(self.owned, self.owned.reso if self.resos else None, self.port_in)
        strikes = [
            [stroke_on(self.catalogue, struck, s, row, self.port_in) for row in rows]
            for s in self.strikers
        ]
        self._eased = np.array([eased_by(row) for row in rows])
        films = [self.catalogue.construction(b).film() for b in self.batters]
        on = [
            [[on_surface(modes, film, self.k) for film in films] for modes in row]
            for row in strikes
        ]
        self._impulse = np.array([[modes.impulse for modes in row] for row in strikes])
        self._contact = np.array([[modes.contact for modes in row] for row in strikes])
        self._noise = np.array([[[s.noise for s in each] for each in row] for row in on])
        self._brightness = np.array([[[s.brightness for s in each] for each in row] for row in on])
        sounds = np.stack([self._noise, self._brightness], axis=-1).reshape(-1, 2)
        self._sounds, of = np.unique(sounds, axis=0, return_inverse=True)
        self._sound_of = of.reshape(self._noise.shape)

    def _keys(
        self, side: Side, heads: Sequence[str], rows: Sequence[Sequence[Damper]], drum: Drum
    ) -> tuple[list[HeadKey], Index]:
        """Return the dressed heads of a side, and which one a head with a damper set is."""
        keys: dict[HeadKey, int] = {}
        of = np.zeros((max(len(heads), 1), len(rows)), np.int64)
        radius = self.port_in * 0.0254 / 2.0 if self.port_in and side == "reso" else None
        on_it = [
            tuple(place for x in row for place in x.placed() if place.side == side) for row in rows
        ]
        for h, head in enumerate(heads):
            film = self.catalogue.construction(head).film()
            for d, placed in enumerate(on_it):
                key = HeadKey(drum.kind, side, film, placed, radius)
                of[h, d] = keys.setdefault(key, len(keys))
        return list(keys), of

    def _lug_constants(self, side: Side, heads: Sequence[str], drum: Drum) -> Array:
        """Return (lug pitch in Hz)² per N/m of each head."""
        out = []
        for head in heads:
            film = self.catalogue.construction(head).film()
            one = replace(drum, batter=film) if side == "batter" else replace(drum, reso=film)
            out.append(lug_pitch_from_tension(one, side, 1.0, self.k) ** 2)
        return np.array(out or [1.0])

    def grid(
        self,
        semitones: Sequence[float],
        *,
        dampers: Sequence[int] | None = None,
        strikers: Sequence[int] | None = None,
        wire_settings: Sequence[int] | None = None,
    ) -> Options:
        """Return every combination; of the lists given by number, only those.

        Parameters
        ----------
        semitones
            Reso above the batter, semitones.
        dampers
            Numbers of damper sets; every one if left out.
        strikers
            Numbers of strikers; every one if left out.
        wire_settings
            Numbers of wire settings; every one if left out.
        """
        pairs = itertools.product(range(len(self.batters)), range(max(len(self.resos), 1)))
        return self.options(
            [(b, r, s) for b, r in pairs for s in (semitones if self.resos else (0.0,))],
            dampers=dampers,
            strikers=strikers,
            wire_settings=wire_settings,
        )

    def options(
        self,
        heads: Sequence[tuple[int, int, float]],
        *,
        dampers: Sequence[int] | None = None,
        strikers: Sequence[int] | None = None,
        wire_settings: Sequence[int] | None = None,
    ) -> Options:
        """Return what else may be on given (batter, reso, semitones), every combination.

        Parameters
        ----------
        heads
            Number of the batter, number of the reso, reso above the batter in semitones.
        dampers
            Numbers of damper sets; every one if left out.
        strikers
            Numbers of strikers; every one if left out.
        wire_settings
            Numbers of wire settings; every one if left out.
        """
        rest = itertools.product(
            range(len(self.damper_sets)) if dampers is None else dampers,
            range(len(self.strikers)) if strikers is None else strikers,
            range(len(self.wire_settings)) if wire_settings is None else wire_settings,
        )
        return options_of([(b, r, *other, s) for other in rest for b, r, s in heads])

    def batch(self, options: Options, batter_n_per_m: Array, reso_n_per_m: Array) -> Batch:
        """Return candidates ready to be predicted.

        Parameters
        ----------
        options
            Candidates, each by its choices.
        batter_n_per_m
            Tension of the batter, N/m, shape (options,).
        reso_n_per_m
            Tension of the reso, N/m, shape (options,).
        """
        place = (options.striker, options.dampers)
        shares = Shares(self._impulse[place], self._contact[place], self._edge[options.dampers])
        return Batch(
            self._table,
            self._batter_of[options.batter, options.dampers],
            self._reso_of[options.reso, options.dampers],
            batter_n_per_m,
            reso_n_per_m,
            self.k,
            shares,
        )

    def _per_batter(self, options: Options) -> Array:
        """Return (lug pitch in Hz)² per N/m of each batter, at the lugs that are not let down."""
        return np.asarray(self._per_hz_b[options.batter] / self._eased[options.dampers])

    def _ratio(self, options: Options) -> Array:
        """Return the reso's tension over the batter's at each interval of lug pitches."""
        per = self._per_batter(options) / self._per_hz_r[options.reso]
        return np.asarray(per * 2.0 ** (options.semitones / 6.0))

    def outlook(self, options: Options, wish_hz: float) -> Outlook:
        """Tune every candidate to a pitch and predict it.

        Parameters
        ----------
        options
            The candidates.
        wish_hz
            Pitch in Hz that a medium stroke is to settle at.
        """
        ratio = self._ratio(options)
        # Pitch goes nearly with the root of both tensions together.
        tension = np.full(len(options), 1000.0)
        batch = self.batch(options, tension, tension * ratio)
        for _ in range(SOLVER_STEPS):
            hz = batch.pitch_hz()
            tension = np.clip(tension * (wish_hz / hz) ** 2, LOWEST_N_PER_M, HIGHEST_N_PER_M)
            batch = batch.tuned(tension, tension * ratio)
        modes = batch.modes()
        card = self._card(options, modes)
        # What is left of the bend when the pitch is read is taken off the tensions.
        tension = np.clip(tension * (wish_hz / card["pitch"]) ** 2, LOWEST_N_PER_M, HIGHEST_N_PER_M)
        was = batch.pitch_hz() if self._kind == "kick" else modes.of_pitch(modes.omega) / TURN
        moved = batch.tuned(tension, tension * ratio).pitch_hz() / was
        card["pitch"] = card["pitch"] * moved
        reso = tension * ratio if self.resos else np.zeros_like(tension)
        return self._outlook(options, card, tension, reso, wish_hz)

    def _outlook(
        self, options: Options, card: dict[str, Array], batter: Array, reso: Array, wish_hz: float
    ) -> Outlook:
        stress_b = batter / self._thickness_b[options.batter]
        stress_r = reso / self._thickness_r[options.reso]
        caution_b, stop_b = stress_limits_pa(self._kind, "batter", self.k)
        caution_r, stop_r = stress_limits_pa(self._kind, "reso", self.k)
        turn = 2.0 * np.pi * self.radius_m / self.owned.rods
        return Outlook(
            card,
            batter,
            reso,
            np.sqrt(batter * self._per_batter(options)),
            np.sqrt(reso * self._per_hz_r[options.reso]),
            np.maximum(stress_b / stop_b, stress_r / stop_r),
            (stress_b > caution_b) | (stress_r > caution_r),
            turn * np.maximum(batter, reso),
            np.where(reso > 0.0, np.minimum(batter, reso), batter),
            np.abs(np.log(card["pitch"] / wish_hz)) < REACHED,
        )

    def _card(self, options: Options, modes: Modes) -> dict[str, Array]:
        loudest = modes.level.max(axis=0)
        audible = np.where(modes.level > loudest * 10.0 ** (QUIETEST_DB / 20.0), modes.level, 0.0)
        amplitude = LEVEL * audible / audible.sum(axis=0)
        partials = Partials(
            modes.omega / TURN, modes.rate, amplitude, modes.pitch, modes.bend_cents
        )
        return expected_card(
            partials, self._noises(options), settle_span_s(self._kind), wires=self._kind == "snare"
        )

    def _noises(self, options: Options) -> Noises:
        """Return what noise each candidate's stroke makes."""
        sound = self._sound_of[options.striker, options.dampers, options.batter]
        codes, of = np.unique(sound * len(self.wire_settings) + options.wires, return_inverse=True)
        sets = []
        for code in codes.tolist():
            which, setting = divmod(code, len(self.wire_settings))
            noise, brightness = self._sounds[which].tolist()
            stroke = Strike(noise=noise, brightness=brightness)
            on_it = self.catalogue.wires(self.wire_settings[setting])
            sets.append(stroke_noises(self._kind, LEVEL, stroke, on_it))
        return Noises(sets, of)
