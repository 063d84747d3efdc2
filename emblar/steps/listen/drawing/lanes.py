"""Strokes on lanes, one lane a voice, over a window of time.

Conventions
-----------
A stroke's height is its level within its voice; filled strokes are clean enough to measure, hollow
ones are not. Times in s.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.naming import counted
from emblar.frame.drawing.scale import Linear, round_steps
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 784.0
LEFT = 92.0
LANE = 28.0
STROKE_WIDTH = 6.0
TALLEST = 22.0
SHORTEST = 6.0
RANGE_DB = 24.0
AXIS = 24.0


@dataclass(frozen=True, slots=True)
class LaneStroke:
    """A stroke: its index among all hits, time, level re its voice's loudest, clean or not."""

    index: int
    time_s: float
    below_loudest_db: float
    clean: bool
    confidence: float
    manner: str = ""


@dataclass(frozen=True, slots=True)
class Lane:
    """One voice's lane."""

    voice: str
    count: int
    href: str
    selected: bool
    strokes: Sequence[LaneStroke]


def lanes(rows: Sequence[Lane], start_s: float, stop_s: float) -> Markup:
    """Draw the lanes between two times."""
    across = Linear(start_s, stop_s, LEFT, WIDTH - 4.0)
    height = LANE * len(rows) + AXIS
    parts: list[Markup] = []
    for row, lane in enumerate(rows):
        parts += _lane(lane, row * LANE, across)
    parts += _axis(across, LANE * len(rows))
    parts.append(
        el(
            "line",
            x1=LEFT,
            x2=LEFT,
            y1=0,
            y2=LANE * len(rows),
            cls="playhead",
            data_playhead="lanes",
        )
    )
    described = ", ".join(f"{lane.voice} {counted(lane.count, 'stroke')}" for lane in rows)
    svg = drawing("lanes", "Strokes by voice", described, *parts, width=WIDTH, height=height)
    return Markup(
        el(
            "div",
            svg,
            cls="lanes-frame",
            data_from=start_s,
            data_to=stop_s,
            data_left=LEFT,
            data_right=WIDTH - 4.0,
            data_width=WIDTH,
            data_lane=LANE,
        )
    )


def _lane(lane: Lane, top: float, across: Linear) -> list[Markup]:
    floor = top + LANE - 2.0
    classes = "lane-label selected" if lane.selected else "lane-label"
    parts = []
    if lane.selected:
        parts.append(el("rect", x=0, y=top, width=WIDTH, height=LANE - 1.0, cls="lane-band"))
    parts.append(line(LEFT, floor, WIDTH, floor, "hairline"))
    parts.append(
        el(
            "a",
            el("rect", x=0, y=top, width=LEFT - 4.0, height=LANE - 1.0, cls="lane-target"),
            label(8.0, floor - 7.0, lane.voice.replace("-", " "), classes),
            label(LEFT - 10.0, floor - 7.0, lane.count, "lane-count", "end"),
            href=lane.href,
            aria_label=f"{lane.voice.replace('-', ' ')}, {counted(lane.count, 'stroke')}",
            aria_current="true" if lane.selected else None,
        )
    )
    parts += [_stroke(lane.voice, stroke, floor, across) for stroke in lane.strokes]
    return parts


def _stroke(voice: str, stroke: LaneStroke, floor: float, across: Linear) -> Markup:
    share = max(0.0, 1.0 - stroke.below_loudest_db / RANGE_DB)
    tall = SHORTEST + share * (TALLEST - SHORTEST)
    kind = "clean" if stroke.clean else "unclean"
    name = f"{voice.replace('-', ' ')} {stroke.manner}".rstrip()
    words = (
        f"{name} at {stroke.time_s:.2f} s, {stroke.below_loudest_db:.0f} dB below its loudest, "
        f"{'clean' if stroke.clean else 'not clean enough to measure'}"
    )
    return el(
        "rect",
        el("title", words),
        x=across(stroke.time_s) - STROKE_WIDTH / 2.0,
        y=floor - tall,
        width=STROKE_WIDTH,
        height=tall,
        rx=1.5,
        cls=f"stroke {kind}",
        data_hit=stroke.index,
        data_voice=voice,
        data_at=f"{stroke.time_s:.6f}",
    )


def _axis(across: Linear, top: float) -> list[Markup]:
    step = round_steps(across.high - across.low, 8)
    parts, tick = [], -(-across.low // step) * step
    while tick <= across.high - 0.2 * step:
        minutes, seconds = divmod(tick, 60.0)
        text = (
            f"{int(minutes)}:{seconds:04.1f}" if step < 1.0 else f"{int(minutes)}:{seconds:02.0f}"
        )
        parts.append(label(across(tick), top + 16.0, text, "tick", "middle"))
        parts.append(line(across(tick), top, across(tick), top + 4.0, "hairline"))
        tick += step
    return parts
