"""An evening as a timeline: one line a drum, a bar a job, the downbeat at the right.

Conventions
-----------
Times are minutes from the first job; hours are ticked. Bars of the resonant head are hollow, those
of the batter filled, what belongs to no head is half as high.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 780.0
LEFT = 92.0
RIGHT = 764.0
TOP = 28.0
ROW = 34.0
BAR = 16.0
NARROW = 2.0
TICKS_MIN = (5, 10, 15, 30, 60, 120, 240, 480)
MOST_TICKS = 8


@dataclass(frozen=True, slots=True)
class Bar:
    """A job: which drum's, from when, how long, on which head (or none), and words."""

    drum: str
    start: float
    minutes: float
    side: str
    says: str


def timeline(bars: Sequence[Bar], length: float, clock: Sequence[tuple[float, str]]) -> Markup:
    """Draw an evening.

    Parameters
    ----------
    bars
        The jobs; drums stand in the order they come.
    length
        Minutes from the first job to the downbeat.
    clock
        Minutes and the time of day to write there.
    """
    drums = list(dict.fromkeys(bar.drum for bar in bars))
    across = Linear(0.0, max(length, 1.0), LEFT, RIGHT)
    bottom = TOP + ROW * len(drums)
    parts: list[Markup] = []
    for minutes, text in clock:
        x = across(minutes)
        parts += [
            line(x, TOP - 6.0, x, bottom, "rail"),
            label(x, TOP - 12.0, text, "drawing-small", "middle"),
        ]
    parts.append(line(across(length), TOP - 6.0, across(length), bottom, "downbeat-line"))
    for row, drum in enumerate(drums):
        middle = TOP + ROW * (row + 0.5)
        parts += [
            label(0.0, middle + 4.0, drum, "drawing-label"),
            line(LEFT, middle, RIGHT, middle, "rail"),
        ]
        for bar in bars:
            if bar.drum != drum:
                continue
            high = BAR if bar.side else BAR / 2.0
            x, stop = across(bar.start), across(bar.start + bar.minutes)
            parts.append(
                el(
                    "rect",
                    el("title", bar.says),
                    x=x,
                    y=middle - high / 2.0,
                    width=max(stop - x - 1.0, NARROW),
                    height=high,
                    rx=2.0,
                    cls=f"work-bar work-{bar.side or 'drum'}",
                )
            )
    description = "; ".join(bar.says for bar in bars)
    return drawing(
        "timeline",
        "The evening, drum by drum",
        description,
        *parts,
        width=WIDTH,
        height=bottom + 8.0,
    )


def ticks(length: float) -> float:
    """Return how many minutes apart the clock's times stand."""
    return next((t for t in TICKS_MIN if length / t <= MOST_TICKS), TICKS_MIN[-1])
