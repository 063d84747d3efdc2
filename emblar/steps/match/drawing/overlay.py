"""Record and take laid over one another: two lines on one grid.

Conventions
-----------
The record is the solid line, the take the one with dots.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear, Log, round_steps
from emblar.frame.drawing.svg import drawing, el, label, line, path

WIDTH = 250.0
HEIGHT = 178.0
LEFT = 36.0
RIGHT = 244.0
TOP = 12.0
BOTTOM = 134.0
DOTS = 12

Points = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Overlay:
    """What is drawn: its name and title, both lines, what the axes say, where across ends.

    ``ticks`` are places across with their texts; ``log`` whether across is logarithmic.
    """

    name: str
    title: str
    record: Points
    take: Points
    across: tuple[float, float]
    up: tuple[float, float]
    ticks: Sequence[tuple[float, str]]
    under: str
    description: str
    log: bool = False


def overlay(what: Overlay) -> Markup:
    """Draw it."""
    scale = Log if what.log else Linear
    across, up = scale(*what.across, LEFT, RIGHT), Linear(*what.up, BOTTOM, TOP)
    parts = _grid(up)
    parts += [label(across(x), BOTTOM + 16.0, text, "tick", "middle") for x, text in what.ticks]
    parts.append(label(RIGHT, BOTTOM + 34.0, what.under, "tick", "end"))
    for points, cls in ((what.record, "record-line"), (what.take, "take-line")):
        placed = [(across.held(x), up.held(y)) for x, y in points]
        parts.append(path(placed, cls))
        if cls == "take-line":
            every = max(len(placed) // DOTS, 1)
            parts += [el("circle", cx=x, cy=y, r=3.2, cls="take-dot") for x, y in placed[::every]]
    return drawing(what.name, what.title, what.description, *parts, width=WIDTH, height=HEIGHT)


def _grid(up: Linear) -> list[Markup]:
    parts = []
    step = round_steps(up.high - up.low, 4)
    tick = -(-up.low // step) * step
    while tick <= up.high + 1e-9:
        sign = "−" if tick < 0 else ""
        parts.append(line(LEFT, up(tick), RIGHT, up(tick), "hairline"))
        parts.append(label(LEFT - 5.0, up(tick) + 4.0, f"{sign}{abs(tick):g}", "tick", "end"))
        tick += step
    return parts
