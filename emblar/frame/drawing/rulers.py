"""Record and plan on one ruler a quantity: one tick is one just-noticeable step.

Conventions
-----------
The record is the solid line at the middle, its uncertainty the band; the plan is the diamond with a
dashed whisker of one standard deviation. Beyond the ruler's end an arrow stands for the diamond.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 784.0
ROW = 28.0
TOP = 24.0
NAME_X = 0.0
RECORD_X = 92.0
PLAN_X = 690.0
START = 196.0
STOP = 660.0
REACH = 4.5


@dataclass(frozen=True, slots=True)
class RulerRow:
    """One quantity: texts as shown, and where the plan lies from the record in steps."""

    name: str
    record_text: str
    plan_text: str
    plan_steps: float | None
    plan_sd_steps: float
    record_sd_steps: float
    why_not: str


def rulers(rows: Sequence[RulerRow], name: str = "rulers") -> Markup:
    """Draw the rulers; ``name`` is the drawing's on its page."""
    across = Linear(-REACH, REACH, START, STOP)
    parts = [
        label(NAME_X, 12.0, "quantity", "tick"),
        label(RECORD_X, 12.0, "record", "record-text"),
        label((START + STOP) / 2.0, 12.0, "one tick, one audible step", "tick", "middle"),
        label(PLAN_X, 12.0, "plan", "drawing-text"),
    ]
    for index, row in enumerate(rows):
        parts += _row(row, TOP + ROW * (index + 0.5), across)
    return drawing(
        name,
        "Record and plan",
        _described(rows),
        *parts,
        width=WIDTH,
        height=TOP + ROW * len(rows),
    )


def _row(row: RulerRow, y: float, across: Linear) -> list[Markup]:
    parts = [
        label(NAME_X, y + 5.0, row.name, "drawing-text"),
        label(RECORD_X, y + 5.0, row.record_text, "record-text"),
        label(PLAN_X, y + 5.0, row.plan_text, "drawing-text"),
    ]
    if row.plan_steps is None:
        parts.append(label(START, y + 5.0, row.why_not, "drawing-small"))
        return parts
    parts.append(
        el(
            "rect",
            x=across(-1.0),
            y=y - 10.0,
            width=across(1.0) - across(-1.0),
            height=20.0,
            rx=2.0,
            cls="step-band",
        )
    )
    parts.append(line(START, y, STOP, y, "hairline"))
    ticks = range(-int(REACH), int(REACH) + 1)
    parts += [line(across(t), y - 4.0, across(t), y + 4.0, "tick-line") for t in ticks]
    half = min(row.record_sd_steps, REACH)
    parts.append(
        el(
            "rect",
            x=across(-half),
            y=y - 3.0,
            width=across(half) - across(-half),
            height=6.0,
            cls="record-band",
        )
    )
    parts.append(line(across(0.0), y - 10.0, across(0.0), y + 10.0, "record-mark"))
    ends = (row.plan_steps - row.plan_sd_steps, row.plan_steps + row.plan_sd_steps)
    parts.append(line(across.held(ends[0]), y, across.held(ends[1]), y, "plan-whisker"))
    parts.append(_diamond(row.plan_steps, y, across))
    return parts


def _diamond(steps: float, y: float, across: Linear) -> Markup:
    x = across.held(steps)
    if abs(steps) > REACH:
        way = 1.0 if steps > 0 else -1.0
        points = (
            f"{x - 7 * way:.1f},{y - 6:.1f} {x + 5 * way:.1f},{y:.1f} {x - 7 * way:.1f},{y + 6:.1f}"
        )
        return el("polygon", points=points, cls="plan-arrow")
    points = f"{x - 6:.1f},{y:.1f} {x:.1f},{y - 7:.1f} {x + 6:.1f},{y:.1f} {x:.1f},{y + 7:.1f}"
    return el("polygon", points=points, cls="plan-diamond")


def _described(rows: Sequence[RulerRow]) -> str:
    text = []
    for row in rows:
        apart = row.why_not if row.plan_steps is None else f"{row.plan_steps:+.1f} steps"
        text.append(f"{row.name}: record {row.record_text}, plan {row.plan_text}, {apart}")
    return "; ".join(text)
