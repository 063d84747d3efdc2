"""Pitch after the stroke: each clean stroke's fundamental in cents from settled, and their middle.

Conventions
-----------
Time in ms after the stroke, cents above the settled pitch.
"""

from collections.abc import Sequence

import numpy as np
from markupsafe import Markup

from emblar.core.notes import cents, note_text
from emblar.frame.drawing.scale import Linear, round_steps
from emblar.frame.drawing.svg import drawing, el, label, line, path

WIDTH = 376.0
HEIGHT = 214.0
LEFT = 46.0
RIGHT = 366.0
TOP = 16.0
BOTTOM = 172.0
LONGEST_MS = 500.0
LOWEST_CENTS = -40.0
LEAST_HIGH = 60.0
GRID_MS = 20.0

Track = tuple[Sequence[float], Sequence[float]]


def pitch_track(tracks: Sequence[Track], settled_hz: float, sd_hz: float) -> Markup:
    """Draw the pitch over time.

    Parameters
    ----------
    tracks
        Per stroke: times in s and frequencies in Hz.
    settled_hz, sd_hz
        The settled fundamental and its uncertainty.
    """
    curves = [_curve(times, pitches, settled_hz) for times, pitches in tracks]
    middle = _middle(curves)
    highest = max([LEAST_HIGH, *(c for _, c in middle)]) + 20.0
    across = Linear(0.0, LONGEST_MS, LEFT, RIGHT)
    up = Linear(LOWEST_CENTS, highest, BOTTOM, TOP)
    parts = _grid(across, up)
    band = cents(settled_hz + sd_hz, settled_hz)
    parts.append(
        el(
            "rect",
            x=LEFT,
            y=up(band),
            width=RIGHT - LEFT,
            height=up(-band) - up(band),
            cls="record-band",
        )
    )
    for curve in curves:
        parts.append(path([(across(t), up.held(c)) for t, c in curve], "record-faint"))
    parts.append(path([(across(t), up.held(c)) for t, c in middle], "record-line"))
    start = middle[0][1] if middle else 0.0
    text = _says(start)
    parts.append(label(RIGHT, TOP + 2.0, text, "record-text", "end"))
    parts.append(
        label(
            RIGHT, BOTTOM - 6.0, f"settled {settled_hz:.1f} ± {sd_hz:.1f} Hz", "record-text", "end"
        )
    )
    return drawing(
        "pitch-track",
        "Pitch after the stroke",
        f"{text}; settled at {settled_hz:.1f} Hz, {note_text(settled_hz)}; {len(curves)} strokes.",
        *parts,
        width=WIDTH,
        height=HEIGHT,
    )


def _says(start: float) -> str:
    if abs(start) < 8.0:
        return "steady from the start"
    return f"starts {abs(start):.0f} ct {'sharp' if start > 0 else 'flat'}"


def _curve(
    times: Sequence[float], pitches: Sequence[float], settled_hz: float
) -> list[tuple[float, float]]:
    return [
        (1000.0 * t, cents(f, settled_hz))
        for t, f in zip(times, pitches, strict=True)
        if 1000.0 * t <= LONGEST_MS
    ]


def _middle(curves: Sequence[list[tuple[float, float]]]) -> list[tuple[float, float]]:
    result = []
    for start in np.arange(0.0, LONGEST_MS, GRID_MS):
        inside = [c for curve in curves for t, c in curve if start <= t < start + GRID_MS]
        if inside:
            result.append((float(start + GRID_MS / 2.0), float(np.median(inside))))
    return result


def _grid(across: Linear, up: Linear) -> list[Markup]:
    parts = []
    step = max(round_steps(up.high - up.low, 5), 20.0)
    tick = -(-up.low // step) * step
    while tick <= up.high:
        parts.append(line(LEFT, up(tick), RIGHT, up(tick), "hairline"))
        sign = "+" if tick > 0 else "−" if tick < 0 else ""
        parts.append(label(LEFT - 6.0, up(tick) + 4.0, f"{sign}{abs(tick):.0f}", "tick", "end"))
        tick += step
    hundreds = range(0, int(LONGEST_MS) + 1, 100)
    parts += [label(across(ms), BOTTOM + 18.0, ms, "tick", "middle") for ms in hundreds]
    parts.append(label(RIGHT, BOTTOM + 36.0, "ms after the stroke", "tick", "end"))
    return parts
