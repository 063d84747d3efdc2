"""Strokes while a drum is muffled: how far past the wish it still rings, one row a stroke.

Conventions
-----------
Steps to the right ring longer than wished, to the left shorter; shaded is what nobody hears. The
line through a dot is one standard deviation to each side; the last stroke is ringed.
"""

from collections.abc import Sequence

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 620.0
ROW = 30.0
TOP = 14.0
BOTTOM = 40.0
LEFT = 250.0
RIGHT = 600.0
LEAST = -4.0
MOST = 8.0
LETTERS = 34


def muffling(rows: Sequence[tuple[str, float, float]], says: str) -> Markup:
    """Draw strokes as (what was done, steps past the wish, their sd), at least one."""
    low = min(LEAST, *(steps - 1.0 for _, steps, _ in rows))
    high = max(MOST, *(steps + 1.0 for _, steps, _ in rows))
    across = Linear(low, high, LEFT, RIGHT)
    height = TOP + ROW * len(rows) + BOTTOM
    foot = TOP + ROW * len(rows)
    parts = [
        el(
            "rect",
            x=across(-1.0),
            y=TOP,
            width=across(1.0) - across(-1.0),
            height=foot - TOP,
            cls="record-band",
        )
    ]
    parts += [line(across(0.0), TOP, across(0.0), foot, "record-mark")]
    parts += [line(LEFT, foot, RIGHT, foot, "rail")]
    for position in range(int(low) + 1, int(high)):
        if position % 2 == 0:
            parts.append(line(across(position), foot, across(position), foot + 5.0, "rail"))
            text = f"{position:+d}".replace("-", "−") if position else "0"
            parts.append(label(across(position), foot + 18.0, text, "tick", "middle"))
    parts.append(label(RIGHT, foot + 34.0, "steps past the wish", "drawing-small", "end"))
    for place, (name, steps, sd) in enumerate(rows):
        y = TOP + ROW * (place + 0.5)
        short = name if len(name) <= LETTERS else f"{name[: LETTERS - 1]}…"
        parts.append(label(0.0, y + 4.0, short, "drawing-label"))
        parts.append(line(across.held(steps - sd), y, across.held(steps + sd), y, "sweep-line"))
        parts.append(
            el(
                "circle",
                el("title", f"{steps:+.1f} ± {sd:.1f} steps"),
                cx=across(steps),
                cy=y,
                r=4.5,
                cls="take-dot",
            )
        )
        if place == len(rows) - 1:
            parts.append(el("circle", cx=across(steps), cy=y, r=9.0, cls="take-ring"))
    return drawing(
        "muffling", "Muffling, stroke by stroke", says, *parts, width=WIDTH, height=height
    )
