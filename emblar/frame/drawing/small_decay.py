"""A take in small: how it dies away, for the journey's strip."""

import math

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, line, path

WIDTH = 124.0
HEIGHT = 40.0
SHOWN_S = 1.2
POINTS = 40


def small_decay(name: str, length_s: float | None, sustain_s: float | None) -> Markup:
    """Draw the outline that length and sustain give; a flat line where neither is told."""
    across, up = Linear(0.0, SHOWN_S, 0.0, WIDTH), Linear(0.0, 1.0, HEIGHT - 2.0, 2.0)
    parts = [line(0.0, HEIGHT - 2.0, WIDTH, HEIGHT - 2.0, "hairline")]
    text = "not told"
    if length_s or sustain_s:
        fast = (length_s or (sustain_s or 1.0) / 3.0) / math.log(10.0)
        slow = (sustain_s or 3.0 * (length_s or 0.3)) / math.log(1000.0)
        times = [SHOWN_S * i / POINTS for i in range(POINTS + 1)]
        level = [0.6 * math.exp(-t / fast) + 0.4 * math.exp(-t / slow) for t in times]
        parts.append(
            path([(across(t), up(v)) for t, v in zip(times, level, strict=True)], "take-line")
        )
        text = f"length {length_s or 0.0:.2f} s, sustain {sustain_s or 0.0:.2f} s"
    return drawing(name, "How it dies away", text, *parts, width=WIDTH, height=HEIGHT)
