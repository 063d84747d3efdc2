"""The unrolled hoop: cut open at the rod nearest the player and laid flat.

Conventions
-----------
Cents from the goal upwards, the goal a dashed line, what nobody hears shaded; where a head is far
from its goal, cents from its own mean instead. Readings are dots on a curve; an arrow stands at the
rod to turn. Brackets below tie rods that face each other: they share their pitch.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from markupsafe import Markup
from scipy.interpolate import CubicSpline

from emblar.frame.drawing.scale import Linear, round_steps
from emblar.frame.drawing.svg import drawing, el, label, line, path

WIDTH = 476.0
HEIGHT = 236.0
LEFT = 44.0
RIGHT = 470.0
TOP = 14.0
BOTTOM = 166.0
LEAST_SPAN = 40.0
FAR = 120.0
BRACKET = 7.0
CURVE_POINTS = 121


@dataclass(frozen=True, slots=True)
class Hoop:
    """What the drawing shows.

    Parameters
    ----------
    cents
        Lug pitch at each rod from the goal; None where there is no reading.
    tolerance
        How far off nobody hears, cents.
    next_rod, up
        The rod to turn or tap, from 0, or None; whether it goes up (None: only to tap).
    """

    cents: Sequence[float | None]
    tolerance: float
    next_rod: int | None = None
    up: bool | None = None


def about_mean(model: Hoop) -> float | None:
    """Return the mean of the readings if it is too far from the goal to show both, else None."""
    known = [c for c in model.cents if c is not None]
    mean = float(np.mean(known)) if known else 0.0
    return mean if abs(mean) > FAR else None


def hoop(model: Hoop) -> Markup:
    """Draw the hoop."""
    mean = about_mean(model)
    off = [None if c is None else c - (mean or 0.0) for c in model.cents]
    known = [c for c in off if c is not None]
    span = max([LEAST_SPAN, *(1.15 * abs(c) for c in known)])
    up = Linear(-span, span, BOTTOM, TOP)
    across = Linear(0, len(off), LEFT + 14.0, RIGHT - 4.0)
    parts = [
        el(
            "rect",
            x=LEFT,
            y=up(model.tolerance),
            width=RIGHT - LEFT,
            height=up(-model.tolerance) - up(model.tolerance),
            cls="range",
        ),
        *_grid(up, span),
        line(LEFT, up(0.0), RIGHT, up(0.0), "goal-line"),
        *_curve(off, across, up),
        *_rods(model, off, across, up),
        *_brackets(len(off), across),
    ]
    described = "; ".join(
        f"rod {i + 1}: {'not read' if c is None else f'{c:+.0f} ct'}" for i, c in enumerate(off)
    )
    title = "Lug pitches round the hoop, from " + ("their mean" if mean is not None else "the goal")
    return drawing("hoop", title, described, *parts, width=WIDTH, height=HEIGHT)


def _grid(up: Linear, span: float) -> list[Markup]:
    step = round_steps(2.0 * span, 5)
    count = int(span // step)
    parts = []
    for i in range(-count, count + 1):
        y = up(i * step)
        if i:
            parts.append(line(LEFT, y, RIGHT, y, "hairline"))
        text = f"{'+' if i > 0 else '−' if i < 0 else ''}{abs(i * step):g}"
        parts.append(label(LEFT - 6.0, y + 4.0, text, "tick", "end"))
    return parts


def _curve(off: Sequence[float | None], across: Linear, up: Linear) -> list[Markup]:
    """Draw the curve through all readings, closed round the hoop; none where some are missing."""
    known = [c for c in off if c is not None]
    if len(known) < len(off) or len(known) < 4:
        return []
    places = np.arange(len(known) + 1)
    round_it = CubicSpline(places, [*known, known[0]], bc_type="periodic")
    position = np.linspace(0.0, len(known), CURVE_POINTS)
    return [path([(across(float(x)), up.held(float(round_it(x)))) for x in position], "take-line")]


def _rods(model: Hoop, off: Sequence[float | None], across: Linear, up: Linear) -> list[Markup]:
    parts: list[Markup] = []
    for i, c in enumerate([*off, off[0]]):
        rod, again, x = i % len(off), i == len(off), across(i)
        is_next = rod == model.next_rod and not again
        cls = "rod-number next" if is_next else "tick" if again else "rod-number"
        parts.append(label(x, BOTTOM + 28.0, str(rod + 1), cls, "middle"))
        if again:
            continue
        if c is not None:
            parts.append(el("circle", cx=x, cy=up(c), r=8.0 if is_next else 5.5, cls="take-dot"))
        elif is_next:
            parts.append(el("circle", cx=x, cy=up(0.0), r=8.0, cls="take-ring"))
        if is_next and model.up is not None and c is not None:
            parts += _arrow(x, up(c), -1.0 if model.up else 1.0)
    return parts


def _arrow(x: float, y: float, way: float) -> list[Markup]:
    start, stop = y + 14.0 * way, y + 52.0 * way
    head = f"{x - 7:.1f},{stop - 10 * way:.1f} {x:.1f},{stop:.1f} {x + 7:.1f},{stop - 10 * way:.1f}"
    return [line(x, start, x, stop, "turn-arrow"), el("polyline", points=head, cls="turn-arrow")]


def _brackets(rods: int, across: Linear) -> list[Markup]:
    if rods % 2:
        return []
    parts, top = [], BOTTOM + 36.0
    depth = min(BRACKET, 34.0 / (rods // 2))
    for i in range(rods // 2):
        y = top + 4.0 + depth * (i + 1)
        a, b = across(i), across(i + rods // 2)
        parts.append(path([(a, top), (a, y), (b, y), (b, top)], "bracket"))
    return parts
