"""Rods that do not pull alike: pitch at each lug, split modes, and the warble they make.

Conventions
-----------
SI units. Rod i sits at the angle 2π i/n. The film's tension is T₀ plus harmonics round the rim;
harmonic q fades towards the centre as (r/a)^q (assumption). A pair of modes (m,n) cos and sin is
split by harmonic 2m alone, to first order: ω² = ω₀² (1 ± ½ ρ_m |t_2m|/T₀). For (1,1) that is the
second harmonic: rods opposite each other act alike, which is why a lug shares its pitch with the
lug across.

Source: first-order perturbation of the membrane's energy, ∫ T |∇u|² dS; Fletcher & Rossing, ch. 3.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from emblar.core.acoustics.basis import Array, basis


@dataclass(frozen=True, slots=True)
class Split:
    """A mode that uneven rods split: both frequencies in Hz, and the angle of the higher one."""

    m: int
    low_hz: float
    high_hz: float
    angle: float

    @property
    def warble_hz(self) -> float:
        """Return how often a second both together beat."""
        return self.high_hz - self.low_hz


@lru_cache(maxsize=8)
def split_share(m: int) -> float:
    """Return ρ_m, how much harmonic 2m of the tension splits mode (m,1) (dimensionless)."""
    shapes = basis(m)
    radius, weight = shapes.radius, shapes.weight
    radial = shapes.slope[0] ** 2
    around = (m * shapes.shape[0] / radius) ** 2
    fading = radius ** (2 * m)
    share = (fading * (radial - around) * weight).sum() / ((radial + around) * weight).sum()
    return float(share)


def harmonic(tensions: Sequence[float], q: int) -> complex:
    """Return harmonic q of the rods' tensions in N/m: T(θ) = T₀ + Re(t_q exp(−iqθ)) …"""
    values = np.asarray(tensions, np.float64)
    angles = 2.0 * math.pi * np.arange(len(values)) / len(values)
    scale = 1.0 if q == 0 or 2 * q == len(values) else 2.0
    return complex(scale * np.mean(values * np.exp(1j * q * angles)))


def split(tensions: Sequence[float], m: int, even_hz: float) -> Split:
    """Return what uneven rods make of mode (m,1).

    Parameters
    ----------
    tensions
        Tension at each rod in N/m, in order round the drum, at least 2 m of them.
    m
        Nodal diameters, 1 or more.
    even_hz
        The mode's frequency at the mean tension.
    """
    mean = float(np.mean(tensions))
    uneven = harmonic(tensions, 2 * m) if 2 * m <= len(tensions) // 2 else 0.0
    half = 0.5 * abs(split_share(m)) * abs(uneven) / mean
    turned = math.pi if split_share(m) < 0.0 else 0.0
    angle = (float(np.angle(uneven)) + turned) / (2 * m)
    return Split(m, even_hz * math.sqrt(max(1.0 - half, 0.0)), even_hz * math.sqrt(1 + half), angle)


def rod_pitches_hz(tensions: Sequence[float], even_hz: float) -> Array:
    """Return the lug pitch heard next to each rod in Hz, shape (rods,).

    A tap next to a rod stirs both halves of the split (1,1) mode by cos² and sin² of the angle to
    each; the ear hears the mean weighted by that.
    """
    pair = split(tensions, 1, even_hz)
    angles = 2.0 * math.pi * np.arange(len(tensions)) / len(tensions)
    share = np.cos(angles - pair.angle) ** 2
    return np.asarray(pair.low_hz + (pair.high_hz - pair.low_hz) * share)


def spread_from_lugs(rods_hz: Sequence[float]) -> float:
    """Return the beat in Hz of the split (1,1) mode that lug pitches round a head tell of.

    The inverse of ``rod_pitches_hz``: twice the amplitude of their second harmonic.
    """
    if len(rods_hz) < 4:
        return 0.0
    return 2.0 * abs(harmonic(rods_hz, 2))
