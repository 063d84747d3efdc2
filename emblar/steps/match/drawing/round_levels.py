"""Every drum's level on one ruler: one tick is a difference that is just heard."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 784.0
ROW = 34.0
TOP = 24.0
NAME_X = 0.0
START = 190.0
STOP = 520.0
FEEL_X = 560.0
REACH = 5.5


@dataclass(frozen=True, slots=True)
class LevelRow:
    """A drum: where it stands now and stood before, in steps, and what is said of its feel."""

    name: str
    steps: float | None
    sd_steps: float
    before_steps: float | None
    text: str
    feel: str
    audible: bool


def round_levels(rows: Sequence[LevelRow]) -> Markup:
    """Draw the ruler."""
    across = Linear(-REACH, REACH, START, STOP)
    parts = [
        label(START, 12.0, "quieter", "tick"),
        label((START + STOP) / 2.0, 12.0, "even", "tick", "middle"),
        label(STOP, 12.0, "louder", "tick", "end"),
        label(FEEL_X, 12.0, "under the stick", "tick"),
    ]
    for index, row in enumerate(rows):
        parts += _row(row, TOP + ROW * (index + 0.5), across)
    description = "; ".join(f"{r.name}: {r.text}" + (f", {r.feel}" if r.feel else "") for r in rows)
    return drawing(
        "round-levels",
        "Level of every drum",
        description,
        *parts,
        width=WIDTH,
        height=TOP + ROW * len(rows),
    )


def _row(row: LevelRow, y: float, across: Linear) -> list[Markup]:
    strong = "drawing-text strong" if row.audible else "drawing-text"
    parts = [
        label(NAME_X, y - 1.0, row.name, strong),
        label(NAME_X, y + 13.0, row.text, "drawing-small"),
        label(FEEL_X, y + 5.0, row.feel, "drawing-small"),
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
    parts += [line(across(t), y - 4.0, across(t), y + 4.0, "tick-line") for t in ticks]
    if row.before_steps is not None:
        x = across.held(row.before_steps)
        parts.append(line(x, y - 8.0, x, y + 8.0, "plan-mark"))
    if row.steps is not None:
        low, high = row.steps - row.sd_steps, row.steps + row.sd_steps
        parts.append(line(across.held(low), y, across.held(high), y, "take-mark"))
        parts.append(el("circle", cx=across.held(row.steps), cy=y, r=6.0, cls="take-dot"))
    return parts
