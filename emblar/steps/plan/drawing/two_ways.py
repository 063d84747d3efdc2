"""Two ways of planning a drum on one ruler a quantity: both against the record, in audible steps.

Conventions
-----------
The record is the solid line at the middle. The left way points down on the rail from above, the
right way up from below; a dashed line joins them: what going from one to the other changes.
"""

from collections.abc import Mapping

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 336.0
ROW = 24.0
TOP = 4.0
START = 62.0
STOP = 332.0
REACH = 5.0
ALIKE_STEPS = 0.05


def two_ways(voice: str, left: Mapping[str, float], right: Mapping[str, float]) -> Markup:
    """Draw how far each way lies from the record; steps by quantity."""
    across = Linear(-REACH, REACH, START, STOP)
    names = [*left, *(n for n in right if n not in left)]
    parts = [
        part
        for index, name in enumerate(names)
        for part in _row(name, TOP + ROW * (index + 0.5), across, left.get(name), right.get(name))
    ]
    text = [f"{n}: {_steps_text(left.get(n))} and {_steps_text(right.get(n))} steps" for n in names]
    return drawing(
        f"ways-{voice}",
        f"{voice}: both ways against the record",
        "; ".join(text),
        *parts,
        width=WIDTH,
        height=TOP + ROW * len(names),
    )


def _steps_text(steps: float | None) -> str:
    return "not told" if steps is None else f"{steps:+.1f}"


def _row(
    name: str, y: float, across: Linear, left: float | None, right: float | None
) -> list[Markup]:
    parts = [
        label(0.0, y + 5.0, name, "drawing-text"),
        el(
            "rect",
            x=across(-1.0),
            y=y - 9.0,
            width=across(1.0) - across(-1.0),
            height=18.0,
            rx=2.0,
            cls="step-band",
        ),
        line(START, y, STOP, y, "hairline"),
    ]
    ticks = range(-int(REACH), int(REACH) + 1)
    parts += [line(across(t), y - 3.0, across(t), y + 3.0, "tick-line") for t in ticks]
    parts.append(line(across(0.0), y - 9.0, across(0.0), y + 9.0, "record-mark"))
    if left is not None and right is not None and abs(left - right) > ALIKE_STEPS:
        parts.append(line(across.held(left), y, across.held(right), y, "plan-whisker"))
    for steps, up in ((left, -1.0), (right, 1.0)):
        if steps is not None:
            x = across.held(steps)
            points = f"{x - 5:.1f},{y + 10 * up:.1f} {x + 5:.1f},{y + 10 * up:.1f} {x:.1f},{y:.1f}"
            cls = "plan-arrow" if up < 0 else "plan-diamond"
            parts.append(el("polygon", points=points, cls=cls))
    return parts
