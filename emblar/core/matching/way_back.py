"""The way from one setup of a drum to another: heads, turns per rod, what lies on it.

Conventions
-----------
Turns of the key per rod, tightening positive, rods from 0. A rod that has to come down goes an
eighth below and comes up again. Setups are nodes of the drum's journey, each with what was turned
since the one before.

What a quarter turn does is known to some 15 %, on the way there and on the way back. So a head that
was turned is tapped round after it, and brought to the pitch it stood at.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from emblar.core.matching.moves import minutes_of

BELOW_BY = 0.125


@dataclass(frozen=True, slots=True)
class Node:
    """One setup in a drum's journey, as far as the way back needs it.

    ``turned`` is what was turned since the setup before, per head; ``slack`` the heads let down or
    fitted anew since then; ``stood`` the lug pitch of each head as it was known, Hz.
    """

    id: int
    heads: Mapping[str, str]
    turned: Mapping[str, Sequence[float]] = field(default_factory=dict)
    slack: frozenset[str] = frozenset()
    dampers: frozenset[str] = frozenset()
    striker: str = ""
    wires: str = ""
    stood: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RodTurn:
    """One rod: down so far first (0 if only up), then up so far."""

    rod: int
    down: float
    up: float


@dataclass(frozen=True, slots=True)
class WayBack:
    """What to do, in order: heads to fit, rods to turn per head, dampers, wires, striker.

    ``refit`` names heads that were exchanged in between: they are brought up anew to their pitch.
    ``pitches`` is what the heads that were turned in between stood at, Hz, where it was known:
    they are tapped round and brought there.
    """

    fit: dict[str, str]
    refit: tuple[str, ...]
    turns: dict[str, tuple[RodTurn, ...]]
    damp: tuple[str, ...]
    undamp: tuple[str, ...]
    wires: str
    striker: str
    pitches: dict[str, float] = field(default_factory=dict)

    @property
    def minutes(self) -> float:
        """About how long it takes."""
        heads = {*self.fit, *self.refit}
        return (
            len(heads) * minutes_of("head")
            + len({*self.turns, *self.pitches} - heads) * minutes_of("turn")
            + len(self.damp) * minutes_of("damper")
            + len(self.undamp) * minutes_of("undamp")
            + bool(self.wires) * minutes_of("wires")
            + bool(self.striker) * minutes_of("strike")
        )

    @property
    def nothing(self) -> bool:
        """Whether the drum is there already."""
        return not (
            self.fit
            or self.refit
            or self.turns
            or self.damp
            or self.undamp
            or self.wires
            or self.striker
            or self.pitches
        )


def way_between(journey: Sequence[Node], present: int, available: int) -> WayBack:
    """Return the way from one setup to another of the same drum.

    Parameters
    ----------
    journey
        Every setup of the drum, the oldest first.
    present, available
        Ids of the setup it is in and of the one to go to.

    Raises
    ------
    ValueError
        One of them is not in the journey.
    """
    ids = [node.id for node in journey]
    current, then = ids.index(present), ids.index(available)
    first, last = sorted((current, then))
    between = journey[first + 1 : last + 1]
    a, b = journey[current], journey[then]
    fit = {side: made for side, made in b.heads.items() if a.heads.get(side) != made}
    renewed = tuple(
        side for side in b.heads if side in fit or any(side in node.slack for node in between)
    )
    sign = 1.0 if then > current else -1.0
    turns = {}
    for side in b.heads:
        if side in renewed:
            continue
        rows = [node.turned[side] for node in between if side in node.turned]
        net = [sign * sum(values) for values in zip(*rows, strict=True)] if rows else []
        moved = tuple(_rod(rod, t) for rod, t in enumerate(net) if abs(t) > 1e-6)
        if moved:
            turns[side] = moved
    # What went up and down again between is not quite where it was either.
    moved_sides = {side for node in between for side in node.turned} | set(renewed)
    pitches = {side: b.stood[side] for side in b.heads if side in b.stood and side in moved_sides}
    damp, undamp = sorted(b.dampers - a.dampers), sorted(a.dampers - b.dampers)
    return WayBack(
        fit,
        renewed,
        turns,
        tuple(damp),
        tuple(undamp),
        b.wires if b.wires != a.wires else "",
        b.striker if b.striker != a.striker else "",
        pitches,
    )


def _rod(rod: int, turns: float) -> RodTurn:
    if turns > 0.0:
        return RodTurn(rod, 0.0, turns)
    return RodTurn(rod, -turns + BELOW_BY, BELOW_BY)
