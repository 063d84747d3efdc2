"""A drum from above with its rods: the one to turn is marked, and where the player sits."""

import math

from markupsafe import Markup

from emblar.frame.drawing.svg import drawing, el, label

SIZE = 130.0
RADIUS = 52.0


def rods(
    count: int, next_rod: int | None, also: tuple[int, ...] = (), *, badge: bool = False
) -> Markup:
    """Draw the rods; rod 1 is nearest the player or the badge, the others follow clockwise.

    Parameters
    ----------
    count
        How many rods.
    next_rod
        The rod to turn or tap next, from 0, or None.
    also
        Rods that come after it in this round.
    badge
        Whether rod 1 is the one at the badge.
    """
    middle = SIZE / 2.0
    parts = [el("circle", cx=middle, cy=middle - 4.0, r=RADIUS, cls="strip-head")]
    for rod in range(count):
        angle = math.pi / 2.0 + 2.0 * math.pi * rod / count
        x = middle + RADIUS * math.cos(angle)
        y = middle - 4.0 + RADIUS * math.sin(angle)
        size = 8.5 if rod == next_rod else 5.0 if rod in also else 4.0
        cls = "rod next" if rod == next_rod else "rod also" if rod in also else "rod"
        parts.append(el("circle", cx=x, cy=y, r=size, cls=cls))
    parts.append(label(middle, SIZE + 4.0, "badge" if badge else "you", "tick", "middle"))
    text = "no rod is next" if next_rod is None else f"rod {next_rod + 1} is next"
    first = "at the badge" if badge else "nearest you"
    return drawing(
        "rods",
        "The drum from above",
        f"{count} rods, rod 1 {first}; {text}",
        *parts,
        width=SIZE,
        height=SIZE + 8.0,
    )
