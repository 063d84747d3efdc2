"""The m = 0 modes of many candidates at once: two heads, the duct between them, a port.

Conventions
-----------
SI units; arrays run over candidates. Heads are in their own modes (``dressed``): unit modal mass,
ω² = Tλ, swept volume s. The pair of shapes a mode is made of is kept; the other shapes are folded
into the duct's dynamic stiffness at the mode's own frequency (Schur complement),
Z' = Z (I + Y Z)⁻¹ with Y = Σ s²/(Tλ − ω²) at each end, and unfolded for the mode's whole motion.
Neglected is only what evanescent air couples unlike shapes of the two heads.

Source: as ``cavity``, which solves the same equations whole and one by one; tests hold both
together.
"""

from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.basis import SHAPES, Array
from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.dressed import Shell
from emblar.core.acoustics.eigen import modes_of

Symmetric = tuple[Array, Array, Array]
"""Symmetric 2×2 matrices as (11, 12, 22)."""
LOWER_STEPS = 2
UPPER_STEPS = 3
SHORTEST_KL = 1e-2
LONGEST_KL = 2.5
LOWEST_SHARE = 0.2
"""Below this share of where the search starts there is no mode; the search is held."""
RAYLEIGH_STEPS = 2


@dataclass(frozen=True, slots=True, eq=False)
class HeadModes:
    """One head of every candidate: tension, λ and s of its m = 0 shapes, (SHAPES, candidates)."""

    tension: Array
    eigenvalue: Array
    swept: Array


@dataclass(frozen=True, slots=True, eq=False)
class Motion:
    """One mode of unit mass: ω, amplitudes of each head's shapes, volumes out of both ends.

    ``out_r`` has in it what goes through a port or an open front, ``through`` is that part alone.
    """

    omega: Array
    batter: Array
    reso: Array
    out_b: Array
    out_r: Array
    through: Array


@dataclass(frozen=True, slots=True, eq=False)
class _Fold:
    """The duct's stiffness with everything else folded in, less its plain spring; compliances."""

    d11: Array
    d12: Array
    d22: Array
    self_term: Array
    between: Array
    y_b: Array
    y_r: Array


class Axial:
    """The m = 0 problem of many candidates; ``plug`` is the inertance of a hole, 0 without one."""

    def __init__(
        self,
        shell: Shell,
        batter: HeadModes,
        reso: HeadModes | None,
        shared: Array,
        plug: float,
        k: Coefficients,
    ) -> None:
        self.shell, self.batter, self.reso, self.shared, self.plug = (
            shell,
            batter,
            reso,
            shared,
            plug,
        )
        self.speed, self.density = k["sound_speed"], k["air_density"]
        self.area = np.pi * shell.radius_m**2
        self.spring = self.density * self.speed**2 / (self.area * shell.depth_m)

    def _fold(self, n: int, omega: Array) -> _Fold:
        stiffness, between = self._wave(omega)
        square = omega**2
        y_b, y_r = self._compliance(self.batter, n, square), np.zeros_like(omega)
        if self.reso is not None:
            y_r = self._compliance(self.reso, n, square)
            if self.plug > 0.0:
                y_r = y_r - 1.0 / (square * self.plug)
        z11, z12 = self.spring - square * stiffness, self.spring - square * between
        a, b, c, d = 1.0 + y_b * z11, y_b * z12, y_r * z12, 1.0 + y_r * z11
        over = 1.0 / (a * d - b * c)
        return _Fold(
            (z11 * d - z12 * c) * over - z11,
            (z12 * a - z11 * b) * over - z12,
            (z11 * a - z12 * b) * over - z11,
            stiffness,
            between,
            y_b,
            y_r,
        )

    @staticmethod
    def _compliance(side: HeadModes, n: int, square: Array) -> Array:
        others = [i for i in range(SHAPES) if i != n]
        rows = side.swept[others] ** 2 / (side.tension * side.eigenvalue[others] - square)
        return np.asarray(rows.sum(axis=0))

    def mode(self, n: int, *, upper: bool) -> Motion:
        """Return the lower or upper mode of the pair of shapes ``n``."""
        s_b, k_b = self.batter.swept[n], self.batter.tension * self.batter.eigenvalue[n]
        if self.reso is None:
            s_r, k_r, m_r = np.ones_like(s_b), np.zeros_like(k_b), np.full_like(k_b, self.plug)
            omega = np.sqrt(k_b)
        else:
            s_r, k_r = self.reso.swept[n], self.reso.tension * self.reso.eigenvalue[n]
            m_r, omega = np.ones_like(k_b), np.sqrt(np.minimum(k_b, k_r))
        if upper:
            omega = np.sqrt(np.maximum(k_b, k_r) + self.spring * (s_b**2 + s_r**2 / m_r))
        start = omega
        for _ in range(UPPER_STEPS if upper else LOWER_STEPS):
            fold = self._fold(n, omega)
            k11 = k_b + (self.spring + fold.d11) * s_b**2
            k22 = k_r + (self.spring + fold.d22) * s_r**2
            k12 = (self.spring + fold.d12) * s_b * s_r
            m12 = self.shared[n] + fold.between * s_b * s_r
            stiffness = (k11, k12, k22)
            mass = (1.0 + fold.self_term * s_b**2, m12, m_r + fold.self_term * s_r**2)
            square = _two_by_two(stiffness, mass, upper=upper)
            omega = np.maximum(np.sqrt(np.maximum(square, 0.0)), LOWEST_SHARE * start)
        x, y = _vector(stiffness, mass, square)
        through = np.zeros_like(y) if self.reso is not None else y
        return self._whole(n, omega, x, y, through, fold)

    def all_modes(self, count: int) -> list[Motion]:
        """Return the lowest modes of all shapes (and the hole's air) together, lowest first.

        Solved with the duct's inertia near the lowest one; that at each mode's own frequency
        comes in by Rayleigh's quotient, whose error is of second order.
        """
        heads = [self.batter] if self.reso is None else [self.batter, self.reso]
        candidates, dof = len(self.batter.tension), SHAPES * len(heads) + (self.plug > 0.0)
        stiffness, mass = np.zeros((2, candidates, dof, dof))
        ends = np.zeros((candidates, 2, dof))
        each = np.arange(dof)
        mass[:, each, each] = 1.0
        for end, side in enumerate(heads):
            block = slice(end * SHAPES, (end + 1) * SHAPES)
            stiffness[:, each[block], each[block]] = (side.tension * side.eigenvalue).T
            ends[:, end, block] = side.swept.T
        if self.reso is not None:
            one, other = each[:SHAPES], each[SHAPES : 2 * SHAPES]
            mass[:, one, other] = mass[:, other, one] = self.shared.T
        if self.plug > 0.0:
            mass[:, -1, -1], ends[:, 1, -1] = self.plug, 1.0
        total = ends.sum(axis=1)
        stiffness += self.spring * total[:, :, None] * total[:, None, :]
        # About where the lowest head mode lies: the air's mass takes it below its own stiffness.
        first = np.sqrt(0.5 * self.batter.tension * self.batter.eigenvalue[0])
        own_end = ends[:, 0, :, None] * ends[:, 0, None, :] + ends[:, 1, :, None] * ends[:, 1, None]
        across = ends[:, 0, :, None] * ends[:, 1, None, :]
        members, between = (row[:, None, None] for row in self._wave(first))
        air = members * own_end + between * (across + across.transpose(0, 2, 1))
        values, vectors = modes_of(stiffness, mass + air)
        result = []
        for index in range(min(count, dof)):
            vector = vectors[:, :, index]
            volumes = (ends @ vector[:, :, None])[:, :, 0]
            plain = (vector * (mass @ vector[:, :, None])[:, :, 0]).sum(axis=1)
            held = (vector * (stiffness @ vector[:, :, None])[:, :, 0]).sum(axis=1)
            omega = np.sqrt(np.maximum(values[:, index], 1.0))
            for _ in range(RAYLEIGH_STEPS):
                alone, shared = self._wave(omega)
                moved = alone * (volumes**2).sum(axis=1)
                moved += 2.0 * shared * volumes[:, 0] * volumes[:, 1]
                omega = np.sqrt(np.maximum(held, 1e-9) / (plain + moved))
            result.append(self._of_vector(omega, vector / np.sqrt(plain + moved)[:, None], ends))
        return result

    def _of_vector(self, omega: Array, vector: Array, ends: Array) -> Motion:
        out = (ends @ vector[:, :, None])[:, :, 0]
        through = vector[:, -1] if self.plug > 0.0 else np.zeros_like(omega)
        batter = vector[:, :SHAPES].T
        reso = np.zeros_like(batter) if self.reso is None else vector[:, SHAPES : 2 * SHAPES].T
        return Motion(omega, batter, reso, out[:, 0], out[:, 1], through)

    def _wave(self, omega: Array) -> tuple[Array, Array]:
        kl = np.clip(omega / self.speed * self.shell.depth_m, SHORTEST_KL, LONGEST_KL)
        scale = self.density * self.shell.depth_m / self.area
        stiffness = scale * (1.0 / kl**2 - 1.0 / (kl * np.tan(kl)))
        return stiffness, scale * (1.0 / kl**2 - 1.0 / (kl * np.sin(kl)))

    def _whole(self, n: int, omega: Array, x: Array, y: Array, q: Array, fold: _Fold) -> Motion:
        """Return the mode with the folded shapes (and port) unfolded, for unit mass of it all."""
        square = omega**2
        z11, z12 = self.spring - square * fold.self_term, self.spring - square * fold.between
        v_b = self.batter.swept[n] * x
        v_r = q if self.reso is None else self.reso.swept[n] * y + q
        p_b = (z11 + fold.d11) * v_b + (z12 + fold.d12) * v_r
        p_r = (z12 + fold.d12) * v_b + (z11 + fold.d22) * v_r
        batter, moving = self._unfolded(self.batter, n, x, p_b, square)
        reso, through = np.zeros_like(batter), q
        if self.reso is not None:
            reso, more = self._unfolded(self.reso, n, y, p_r, square)
            moving = moving + more
            if self.plug > 0.0:
                through = p_r / (square * self.plug)
                moving = moving + self.plug * through**2
        scale = 1.0 / np.sqrt(1.0 + moving)
        out_b, out_r = (v_b - fold.y_b * p_b) * scale, (v_r - fold.y_r * p_r) * scale
        return Motion(omega, batter * scale, reso * scale, out_b, out_r, through * scale)

    @staticmethod
    def _unfolded(
        side: HeadModes, n: int, amplitude: Array, pressure: Array, square: Array
    ) -> tuple[Array, Array]:
        """Return a head's amplitudes, (SHAPES, candidates), and the mass of the folded ones."""
        out = np.empty_like(side.swept)
        moving = np.zeros_like(amplitude)
        for i in range(SHAPES):
            if i == n:
                out[i] = amplitude
                continue
            out[i] = -side.swept[i] * pressure / (side.tension * side.eigenvalue[i] - square)
            moving += out[i] ** 2
        return out, moving


def _two_by_two(stiffness: Symmetric, mass: Symmetric, *, upper: bool) -> Array:
    """Return ω² of one mode of 2×2 problems."""
    (k11, k12, k22), (m11, m12, m22) = stiffness, mass
    a = m11 * m22 - m12**2
    b = k11 * m22 + k22 * m11 - 2.0 * k12 * m12
    c = k11 * k22 - k12**2
    # The smaller root loses digits as a difference; by way of the product it does not.
    high = 0.5 * (b + np.sqrt(np.maximum(b * b - 4.0 * a * c, 0.0))) / a
    return np.asarray(high if upper else c / (a * high))


def _vector(stiffness: Symmetric, mass: Symmetric, square: Array) -> tuple[Array, Array]:
    """Return the vector of unit mass of the modes at ω² of 2×2 problems."""
    (k11, k12, k22), (m11, m12, m22) = stiffness, mass
    off, left, right = k12 - square * m12, k11 - square * m11, k22 - square * m22
    by_right = np.abs(left) < np.abs(right)
    x, y = np.where(by_right, right, -off), np.where(by_right, -off, left)
    scale = 1.0 / np.sqrt(m11 * x * x + 2.0 * m12 * x * y + m22 * y * y + 1e-300)
    return x * scale, y * scale
