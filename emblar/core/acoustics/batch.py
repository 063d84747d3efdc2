"""Many candidates for one shell at once: every mode's frequency, decay and level as arrays.

Conventions
-----------
SI units. A *candidate* is one pair of dressed heads (see ``dressed``) at two tensions. Modes come
in pairs, one from each head, coupled by the air between them; rows are modes, columns candidates.
For m = 0 see ``axial``; for m > 0 only the evanescent air couples like shapes of the two heads.

Source: as ``cavity``, ``damping`` and ``forward``; tests hold both together.
"""

import copy
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.axial import Axial, HeadModes, Motion
from emblar.core.acoustics.basis import SHAPES, Array, basis
from emblar.core.acoustics.bend import bend_cents, stretch_stiffness
from emblar.core.acoustics.cavity import COMPARED, TAKES_PART
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.damping import edge_loss, lifted_share, rate_with_lifting
from emblar.core.acoustics.dressed import (
    HIGHEST_ORDER,
    KA_GRID,
    DressedHead,
    HeadKey,
    Shell,
    dressed_heads,
)
from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.head import axial_stiffening, duct_air_mass
from emblar.core.acoustics.port import LARGE_PORT, plug_inertance

Index = NDArray[np.int64]
ROUND = (*((m, 0) for m in range(1, HIGHEST_ORDER + 1)), (1, 1))
"""Order and radial number of the shapes with nodal diameters that are taken along."""
KICK_MODES = 5


@dataclass(frozen=True, slots=True, eq=False)
class HeadChoice:
    """The heads to choose from on one shell.

    ``reso`` is empty for a drum without a front head; ``port_radius_m`` is one hole for all, as is
    ``shell_hole_m``.
    """

    kind: Kind
    shell: Shell
    rods: int
    batter: tuple[HeadKey, ...]
    reso: tuple[HeadKey, ...]
    loss_share: float = 1.0
    port_radius_m: float | None = None
    shell_hole_m: float | None = None

    @property
    def has_large_port(self) -> bool:
        """Whether the port leaves so little front head that it no longer leads the note."""
        return self.port_radius_m is not None and self.port_radius_m > (
            LARGE_PORT * self.shell.radius_m
        )


@dataclass(frozen=True, slots=True, eq=False)
class Table:
    """A choice's dressed heads stacked, ready to be indexed by candidates."""

    choice: HeadChoice
    batter: dict[str, Array]
    reso: dict[str, Array]
    shared: Array
    """Coupling of like shapes by evanescent air, (orders, shapes, batters, resos)."""


@dataclass(frozen=True, slots=True, eq=False)
class Modes:
    """Every candidate's modes: arrays of shape (modes, candidates).

    Attributes
    ----------
    omega, rate
        Angular frequency in rad/s; amplitude decay in 1/s.
    level
        Sound pressure of a medium stroke at a close microphone, Pa.
    order
        Nodal diameters, shape (modes,).
    pitch
        Which mode is the drum pitch, shape (candidates,).
    batter_part, reso_part
        What each head's tension holds of a mode's stiffness, (rad/s)².
    struck
        Shape of the mode at the stroke, 1/sqrt(kg).
    bend_cents
        How sharp a medium stroke starts, as ``forward`` says it, shape (candidates,).
    """

    omega: Array
    rate: Array
    level: Array
    order: Index
    pitch: Index
    batter_part: Array
    reso_part: Array
    struck: Array
    bend_cents: Array

    def of_pitch(self, rows: Array) -> Array:
        """Return a row's value at each candidate's pitch mode, shape (candidates,)."""
        return np.asarray(rows[self.pitch, np.arange(rows.shape[1])])


Row = tuple[Array, Array, Array, Array, Array, Array]


def table(choice: HeadChoice, k: Coefficients) -> Table:
    """Return the dressed heads of a choice, stacked."""
    batter = dressed_heads(choice.batter, choice.shell, k)
    reso = dressed_heads(choice.reso, choice.shell, k)
    shared = _shared(choice.shell, batter, reso, k)
    return Table(choice, _stacked(batter), _stacked(reso), shared)


def _stacked(heads: Sequence[DressedHead]) -> dict[str, Array]:
    if not heads:
        return {}
    names = (
        "eigenvalue",
        "swept",
        "centre",
        "struck",
        "near",
        "resistance",
        "radiation",
        "shapes",
    )
    arrays = {n: np.stack([getattr(h, n) for h in heads], axis=-1) for n in names}
    if any(h.lifting is not None for h in heads):
        none = np.zeros_like(heads[0].resistance)
        rows = [none if h.lifting is None else h.lifting for h in heads]
        arrays["lifting"] = np.stack(rows, axis=-1)
    arrays["loss"] = np.array([h.loss for h in heads])
    arrays["thickness"] = np.array([h.thickness_m for h in heads])
    arrays["impulse"] = np.array([h.impulse_n_s for h in heads])
    arrays["contact"] = np.array([h.contact_s for h in heads])
    return arrays


def _shared(
    shell: Shell, batter: Sequence[DressedHead], reso: Sequence[DressedHead], k: Coefficients
) -> Array:
    if not reso:
        return np.zeros((HIGHEST_ORDER + 1, SHAPES, len(batter), 1))
    left, right = (np.stack([head.shapes for head in heads]) for heads in (batter, reso))
    coupled = np.stack(
        [duct_air_mass(basis(m), shell.radius_m, shell.depth_m, k)[1] for m in range(len(left[0]))]
    )
    # (orders, shapes, batters, film's shapes) by (orders, shapes, film's shapes, resos).
    return np.asarray(
        (left.swapaxes(-1, -2) @ coupled).transpose(1, 2, 0, 3) @ right.transpose(1, 3, 2, 0)
    )


@dataclass(frozen=True, slots=True, eq=False)
class Shares:
    """What differs from candidate to candidate besides heads and tensions, over the choice's own.

    Momentum and contact of the stroke, loss at the edge; each a number or shape (candidates,).
    """

    impulse: Array | float = 1.0
    contact: Array | float = 1.0
    edge: Array | float = 1.0


ALL_ALIKE = Shares()


class Batch:
    """Candidates on one shell: batter and reso by number in the choice, tensions in N/m."""

    def __init__(
        self,
        heads: Table,
        batter: Index,
        reso: Index,
        batter_n_per_m: Array,
        reso_n_per_m: Array,
        k: Coefficients,
        shares: Shares = ALL_ALIKE,
    ) -> None:
        self.k, self.choice, self.shares = k, heads.choice, shares
        self.tension_b, self.tension_r = batter_n_per_m, reso_n_per_m
        self.b, self.r = _of(heads.batter, batter), _of(heads.reso, reso)
        self.radiation = tuple(
            (side["radiation"], index) if side else None
            for side, index in ((heads.batter, batter), (heads.reso, reso))
        )
        self.shared = heads.shared[:, :, batter, reso]
        self.plug = hole_inertance(heads.choice, k)
        self.axial = self._axial()

    def tuned(self, batter_n_per_m: Array, reso_n_per_m: Array) -> "Batch":
        """Return the same candidates at other tensions."""
        other = copy.copy(self)
        other.tension_b, other.tension_r = batter_n_per_m, reso_n_per_m
        other.axial = other._axial()
        return other

    @property
    def stiff_b(self) -> Array:
        """Return what the batters' round shapes are held by, N/m (``head.axial_stiffening``)."""
        stiffer = axial_stiffening(self.choice.kind, self.tension_b, self.k)
        return np.asarray(self.tension_b * stiffer)

    def _axial(self) -> Axial:
        return Axial(
            self.choice.shell,
            HeadModes(self.stiff_b, self.b["eigenvalue"][0], self.b["swept"]),
            HeadModes(self.tension_r, self.r["eigenvalue"][0], self.r["swept"]) if self.r else None,
            self.shared[0],
            self.plug,
            self.k,
        )

    @property
    def _lifts(self) -> bool:
        return "lifting" in self.b or "lifting" in self.r

    def __len__(self) -> int:
        return len(self.tension_b)

    def pitch_motions(self) -> tuple[list[Motion], Index]:
        """Return the m = 0 modes of the lowest shapes, and which of them is the drum pitch."""
        none = np.zeros(len(self), np.int64)
        if self.r and self.plug > 0.0:
            # The air plug makes a mode below the pitch in which the heads are opposed.
            several = self.axial.all_modes(COMPARED)
            return several, self._pitch_among(several)
        if self.r:
            return [self.axial.mode(0, upper=upper) for upper in (False, True)], none
        return [self.axial.mode(0, upper=upper) for upper in (False, True)], none

    def _pitch_among(self, motions: list[Motion]) -> Index:
        """Return which mode is the drum pitch, as ``cavity.drum_pitch_mode`` says."""
        if not self.r:
            return np.zeros(len(self), np.int64)
        if self.choice.has_large_port:
            # In the film's own lowest shape, not in that of the head with its air.
            parts = np.stack([np.abs(self._lowest_shape(m)) for m in motions[:COMPARED]])
            return np.asarray(np.argmax(parts >= TAKES_PART * parts.max(axis=0), axis=0), np.int64)
        moved = [
            (self.b["swept"] * m.batter).sum(axis=0) * (self.r["swept"] * m.reso).sum(axis=0)
            for m in motions
        ]
        return np.asarray(np.argmax(np.stack(moved) < 0.0, axis=0), np.int64)

    def _lowest_shape(self, motion: Motion) -> Array:
        """Return how far a mode moves the batter in the film's lowest shape."""
        return np.asarray((self.b["shapes"][0, 0] * motion.batter).sum(axis=0))

    def pitch_hz(self) -> Array:
        """Return the drum pitch of every candidate in Hz, shape (candidates,)."""
        if self.r and self.plug == 0.0:
            return self.axial.mode(0, upper=False).omega / (2.0 * np.pi)
        motions, index = self.pitch_motions()
        omega = np.stack([m.omega for m in motions])
        return np.asarray(omega[index, np.arange(len(self))] / (2.0 * np.pi))

    def modes(self) -> Modes:
        """Return every mode of every candidate."""
        sides = (False, True) if self.r else (False,)
        if self.choice.kind == "kick":
            # Struck near the middle, with unlike heads: its shapes do not go in pairs.
            motions = self.axial.all_modes(KICK_MODES)
            pitch = self._pitch_among(motions)
        else:
            motions, pitch = self.pitch_motions()
            motions += [self.axial.mode(1, upper=upper) for upper in sides]
        rows = [self._axial_row(motion) for motion in motions]
        orders = [0] * len(rows) + [m for m, _ in ROUND] * len(sides)
        axial = (np.stack(column) for column in zip(*rows, strict=True))
        omega, rate, level, part_b, part_r, struck = (
            np.concatenate(both) for both in zip(axial, self._with_diameters(), strict=True)
        )
        bend = self._bend(motions, pitch, omega, part_b, part_r)
        return Modes(omega, rate, level, np.array(orders), pitch, part_b, part_r, struck, bend)

    def _bend(
        self, motions: list[Motion], pitch: Index, omega: Array, part_b: Array, part_r: Array
    ) -> Array:
        """Return the stretch of both films by a medium stroke, in cents (``forward``)."""
        k, columns = self.k, np.arange(len(self))
        centre = np.stack([(self.b["centre"] * m.batter).sum(axis=0) for m in motions])
        given = self.b["impulse"] * self.shares.impulse
        amplitude = given * centre[pitch, columns] / omega[pitch, columns]
        stiffness = stretch_stiffness(k)
        area = np.pi * self.choice.shell.radius_m**2
        added, total = np.zeros(len(self)), np.zeros(len(self))
        sides = ((self.b, self.tension_b, part_b), (self.r, self.tension_r, part_r))
        for side, tension, rows in sides:
            if not side:
                continue
            part = rows[pitch, columns]
            slope_square = part / tension * amplitude**2 / area
            added += part * 0.25 * stiffness * side["thickness"] * slope_square / tension
            total += part
        return bend_cents(added / total)

    def _axial_row(self, motion: Motion) -> Row:
        k, shell, omega = self.k, self.choice.shell, motion.omega
        wave = omega / k["sound_speed"]
        apart = shell.depth_m + 2.0 * k["dipole_end_correction"] * shell.radius_m
        mutual = np.sinc(wave * apart / np.pi)
        power = motion.out_b**2 + motion.out_r**2 + 2.0 * motion.out_b * motion.out_r * mutual
        rate = k["air_density"] * k["sound_speed"] * wave**2 / (8.0 * np.pi) * power
        if self.plug > 0.0:
            rate += 0.5 * omega * k["port_loss"] * self.plug * motion.through**2
        rate += self._drag(self.b["resistance"][0], motion.batter)
        part_b = self.stiff_b * (self.b["eigenvalue"][0] * motion.batter**2).sum(axis=0)
        part_r = np.zeros_like(part_b)
        if self.r:
            rate += self._drag(self.r["resistance"][0], motion.reso)
            part_r = self.tension_r * (self.r["eigenvalue"][0] * motion.reso**2).sum(axis=0)
        net = (motion.out_b + motion.out_r) / (4.0 * np.pi * (shell.radius_m + shell.depth_m))
        struck = (self.b["struck"][0] * motion.batter).sum(axis=0)
        near = (self.b["near"][0] * motion.batter).sum(axis=0) + net
        return self._row(omega, rate, self._settled(motion), struck, near, part_b, part_r)

    def _settled(self, motion: Motion) -> Array | None:
        """Return what dampers that lift take from a mode once they lie on the film."""
        total: Array | None = None
        for side, amplitude in ((self.b, motion.batter), (self.r, motion.reso)):
            if "lifting" in side:
                drag = self._drag(side["lifting"][0], amplitude)
                total = drag if total is None else total + drag
        return total

    @staticmethod
    def _drag(resistance: Array, amplitude: Array) -> Array:
        total: Array = np.zeros_like(amplitude[0])
        for i in range(SHAPES):
            for j in range(i, SHAPES):
                twice = 1.0 if i == j else 2.0
                total += 0.5 * twice * resistance[i, j] * amplitude[i] * amplitude[j]
        return total

    def _with_diameters(self) -> Row:
        """Return the modes of all ``ROUND`` shapes, the lower ones of the two heads first."""
        m, n = np.array(ROUND).T
        k_b = self.tension_b * self.b["eigenvalue"][m, n]
        if self.r:
            k_r = self.tension_r * self.r["eigenvalue"][m, n]
            square, x, y = _pair(k_b, k_r, self.shared[m, n])
            m, n, k_b, k_r = (np.concatenate([one, one]) for one in (m, n, k_b, k_r))
        else:
            k_r = np.zeros_like(k_b)
            square, x, y = k_b, np.ones_like(k_b), k_r
        omega = np.sqrt(square)
        ka = omega / self.k["sound_speed"] * self.choice.shell.radius_m
        rate = np.zeros_like(omega)
        place = np.interp(ka, KA_GRID, np.arange(len(KA_GRID)))
        low = np.minimum(place.astype(np.int64), len(KA_GRID) - 2)
        settled = np.zeros_like(omega) if self._lifts else None
        share = place - low
        for side, tabled, amplitude in (
            (self.b, self.radiation[0], x),
            (self.r, self.radiation[1], y),
        ):
            if tabled is not None:
                rows, head = tabled
                position = (m[:, None], n[:, None])
                lost = (
                    rows[*position, low, head] * (1.0 - share)
                    + rows[*position, low + 1, head] * share
                )
                rate += 0.5 * amplitude**2 * (lost + side["resistance"][m, n, n])
                if settled is not None and "lifting" in side:
                    settled += 0.5 * amplitude**2 * side["lifting"][m, n, n]
        struck, near = self.b["struck"][m, n] * x, self.b["near"][m, n] * x
        return self._row(omega, rate, settled, struck, near, k_b * x**2, k_r * y**2)

    def _row(
        self,
        omega: Array,
        rate: Array,
        settled: Array | None,
        struck: Array,
        near: Array,
        part_b: Array,
        part_r: Array,
    ) -> Row:
        """Return a mode's numbers, the losses in the films and at the edge added to ``rate``.

        ``settled`` is what dampers add that a stroke throws off the film, None without.
        """
        k = self.k
        shell = self.choice.loss_share * self.shares.edge
        edge = edge_loss(self.choice.kind, "batter", k) * shell
        rate = rate + 0.5 * part_b / omega * (self.b["loss"] + edge)
        if self.r:
            edge = edge_loss(self.choice.kind, "reso", k) * shell
            rate += 0.5 * part_r / omega * (self.r["loss"] + edge)
        if settled is not None:
            share = lifted_share(self.shares.impulse, k)
            rate = rate_with_lifting(rate, settled, share)
        contact = self.b["contact"] * self.shares.contact
        push = 1.0 / (1.0 + (omega / np.pi * contact) ** 2)
        given = self.b["impulse"] * self.shares.impulse
        level = k["air_density"] * omega * given * push * np.abs(struck * near)
        return omega, rate, level, part_b, part_r, struck


def _pair(k_b: Array, k_r: Array, shared: Array) -> tuple[Array, Array, Array]:
    """Return ω² and both amplitudes of the modes of two heads that share air mass, lower first.

    Unit masses, stiffnesses ``k_b`` and ``k_r``, coupled by the mass ``shared`` alone; each of
    shape (shapes, candidates), the results of twice as many rows.
    """
    a = 1.0 - shared**2
    high = 0.5 * (k_b + k_r + np.sqrt((k_b - k_r) ** 2 + 4.0 * shared**2 * k_b * k_r)) / a
    square = np.concatenate([k_b * k_r / (a * high), high])
    k_b, k_r, shared = (np.concatenate([one, one]) for one in (k_b, k_r, shared))
    off, left, right = square * shared, k_b - square, k_r - square
    by_right = np.abs(left) < np.abs(right)
    x, y = np.where(by_right, right, off), np.where(by_right, off, left)
    scale = 1.0 / np.sqrt(x * x + 2.0 * shared * x * y + y * y + 1e-300)
    return square, x * scale, y * scale


def hole_inertance(choice: HeadChoice, k: Coefficients) -> float:
    """Return the inertance in kg/m⁴ of the air in a drum's openings; 0 for a closed drum."""
    return plug_inertance(
        choice.port_radius_m,
        choice.shell_hole_m,
        choice.shell.radius_m,
        k,
        open_front=not choice.reso,
    )


def _of(side: dict[str, Array], index: Index) -> dict[str, Array]:
    """Return each candidate's head; radiation tables are large and stay where they are."""
    return {name: rows[..., index] for name, rows in side.items() if name != "radiation"}
