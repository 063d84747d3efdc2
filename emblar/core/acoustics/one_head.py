"""One head tapped next to a rod, the other silenced: what is heard while tuning.

Conventions
-----------
SI units. Modes are those of the dressed head (``dressed``) under the mean tension; uneven rods
split each with nodal diameters (``uneven``).
"""

import math
from collections.abc import Iterator, Sequence

import numpy as np

from emblar.core.acoustics.coefficients import Coefficients
from emblar.core.acoustics.damping import T60_FACTOR, edge_loss
from emblar.core.acoustics.dressed import (
    HIGHEST_ORDER,
    KA_GRID,
    DressedHead,
    HeadKey,
    Shell,
    dressed,
)
from emblar.core.acoustics.drum import Drum, Side, Strike
from emblar.core.acoustics.forward import Mode
from emblar.core.acoustics.uneven import split

TAP_PLACE = 0.85
"""Where a head is tapped next to a rod: over the radius (assumption: about an inch in)."""
RADIAL = 2

Row = tuple[int, float, float, float]


def tapped_modes(
    drum: Drum, side: Side, rods_n_per_m: Sequence[float], rod: int, k: Coefficients
) -> tuple[Mode, ...]:
    """Return what a tap next to a rod lets sound, the other head silenced.

    Parameters
    ----------
    drum
        The drum with its heads.
    side
        The head tapped.
    rods_n_per_m
        Tension at each rod in N/m, in order round the head.
    rod
        Number of the rod tapped at, from 0.
    k
        The model's coefficients.

    Raises
    ------
    ValueError
        There is no such head.
    """
    film = drum.film(side)
    if film is None:
        raise ValueError(f"the drum has no {side} head")
    shell = Shell(drum.radius_m(k), drum.depth_m)
    on_it = tuple(d for d in drum.dampers if d.side == side)
    tap = Strike(impulse=0.4, place=TAP_PLACE)
    head = dressed(HeadKey("tom", side, film, on_it, strike=tap), shell, k)
    edge = edge_loss(drum.kind, side, k) * drum.shell_loss_share
    angle = 2.0 * math.pi * rod / len(rods_n_per_m)
    rows: list[Row] = []
    for m, hz, t60, level in _even_modes(head, float(np.mean(rods_n_per_m)), edge, shell, k):
        if m == 0:
            rows.append((m, hz, t60, level))
            continue
        pair = split(rods_n_per_m, m, hz)
        share = math.cos(m * (angle - pair.angle)) ** 2
        rows.append((m, pair.high_hz, t60, level * share))
        rows.append((m, pair.low_hz, t60, level * (1.0 - share)))
    loudest = max(level for *_, level in rows)
    return tuple(
        Mode(m, hz, t60, 20.0 * math.log10(max(level / loudest, 1e-6)))
        for m, hz, t60, level in rows
    )


def _even_modes(
    head: DressedHead, tension: float, edge: float, shell: Shell, k: Coefficients
) -> Iterator[Row]:
    """Yield the modes of a head with even rods: order, Hz, T60 in s, level of a tap."""
    for m in range(HIGHEST_ORDER + 1):
        for n in range(RADIAL):
            omega = math.sqrt(tension * float(head.eigenvalue[m, n]))
            ka = omega / k["sound_speed"] * shell.radius_m
            drag = float(head.resistance[m, n, n])
            if m > 0:
                drag += float(np.interp(ka, KA_GRID, head.radiation[m, n]))
            rate = 0.5 * omega * (head.loss + edge) + 0.5 * drag
            push = 1.0 / (1.0 + (omega / math.pi * head.contact_s) ** 2)
            level = abs(omega * push * float(head.struck[m, n] * head.near[m, n]))
            yield m, omega / (2.0 * math.pi), T60_FACTOR / rate, level
