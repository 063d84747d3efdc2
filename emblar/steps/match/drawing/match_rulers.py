"""Record, plan and take on one ruler a quantity: one tick is one audible step.

Conventions
-----------
The record is the solid line at the middle, the plan a diamond, the take a dot with a whisker of one
standard deviation. What is off by more than anybody misses is written strong.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 784.0
ROW = 27.0
TOP = 24.0
NAME_X = 0.0
RECORD_X = 84.0
TAKE_X = 628.0
OFF_X = 730.0
START = 186.0
STOP = 604.0
REACH = 4.5


@dataclass(frozen=True, slots=True)
class MatchRow:
    """One quantity: texts as shown, and where plan and take lie from the record, in steps."""

    name: str
    record_text: str
    take_text: str
    take_steps: float | None
    take_sd_steps: float
    plan_steps: float | None
    audible: bool
    why_not: str


def match_rulers(rows: Sequence[MatchRow], take_name: str) -> Markup:
    """Draw the rulers."""
    across = Linear(-REACH, REACH, START, STOP)
    parts = [
        label(RECORD_X, 12.0, "record", "record-text"),
        label((START + STOP) / 2.0, 12.0, "one tick, one audible step", "tick", "middle"),
        label(TAKE_X, 12.0, take_name, "take-text"),
        label(OFF_X, 12.0, "off by", "tick"),
    ]
    for index, row in enumerate(rows):
        parts += _row(row, TOP + ROW * (index + 0.5), across)
    description = "; ".join(
        f"{r.name}: record {r.record_text}, take {r.take_text}, "
        + (r.why_not if r.take_steps is None else f"{r.take_steps:+.1f} steps")
        for r in rows
    )
    return drawing(
        "match-rulers",
        "Record, plan and take",
        description,
        *parts,
        width=WIDTH,
        height=TOP + ROW * len(rows),
    )


def _row(row: MatchRow, y: float, across: Linear) -> list[Markup]:
    strong = "drawing-text strong" if row.audible else "drawing-text"
    parts = [
        label(NAME_X, y + 5.0, row.name, strong),
        label(RECORD_X, y + 5.0, row.record_text, "record-text"),
        label(TAKE_X, y + 5.0, row.take_text, "take-text"),
    ]
    if row.take_steps is None:
        parts.append(label(START, y + 5.0, row.why_not, "drawing-small"))
        return parts
    parts.append(
        el(
            "rect",
            x=across(-1.0),
            y=y - 9.0,
            width=across(1.0) - across(-1.0),
            height=18.0,
            rx=2.0,
            cls="step-band",
        )
    )
    parts.append(line(START, y, STOP, y, "hairline"))
    ticks = range(-int(REACH), int(REACH) + 1)
    parts += [line(across(t), y - 4.0, across(t), y + 4.0, "tick-line") for t in ticks]
    parts.append(line(across(0.0), y - 9.0, across(0.0), y + 9.0, "record-mark"))
    if row.plan_steps is not None:
        x = across.held(row.plan_steps)
        points = f"{x - 5:.1f},{y:.1f} {x:.1f},{y - 7:.1f} {x + 5:.1f},{y:.1f} {x:.1f},{y + 7:.1f}"
        parts.append(el("polygon", points=points, cls="plan-diamond"))
    low, high = row.take_steps - row.take_sd_steps, row.take_steps + row.take_sd_steps
    parts.append(line(across.held(low), y, across.held(high), y, "take-mark"))
    parts.append(el("circle", cx=across.held(row.take_steps), cy=y, r=6.0, cls="take-dot"))
    parts.append(label(OFF_X, y + 5.0, f"{abs(row.take_steps):.1f}", strong))
    return parts
