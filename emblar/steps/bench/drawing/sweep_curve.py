"""A sweep by ear: how good each stroke sounds over its pitch, and the sweet spot.

Conventions
-----------
Pitch runs to the right on a logarithmic scale with the notes below; up is better, one line an
audible step or two. Dots are strokes, the last one ringed; the curve is what lies between them.
"""

from collections.abc import Sequence

from markupsafe import Markup

from emblar.core.notes import nearest_note, note_frequency_hz
from emblar.frame.drawing.scale import Linear, Log
from emblar.frame.drawing.svg import drawing, el, label, line, path

WIDTH = 760.0
HEIGHT = 300.0
LEFT = 40.0
RIGHT = 730.0
TOP = 34.0
BOTTOM = 250.0
LEAST_SPAN = 6.0
NOTE_APART = 44.0


def sweep_curve(
    points: Sequence[tuple[float, float]],
    curve: Sequence[tuple[float, float]],
    sweet_hz: float | None,
    says: str,
) -> Markup:
    """Draw a sweep of at least one stroke, all as (Hz, goodness in audible steps)."""
    hz = [p[0] for p in points]
    good = [p[1] for p in (*points, *curve)]
    across = Log(min(hz) / 1.06, max(hz) * 1.06, LEFT, RIGHT)
    middle = 0.5 * (min(good) + max(good))
    half = 0.5 * max(max(good) - min(good), LEAST_SPAN) + 1.0
    up = Linear(middle - half, middle + half, BOTTOM, TOP)
    parts = [line(LEFT, BOTTOM, RIGHT, BOTTOM, "rail"), *_notes(across)]
    parts.append(label(LEFT, TOP - 14.0, "up: rings longer for its pitch, purer", "drawing-small"))
    if curve:
        parts.append(path([(across(f), up(g)) for f, g in curve], "sweep-line"))
    if sweet_hz is not None:
        x = across(sweet_hz)
        parts.append(line(x, TOP, x, BOTTOM, "sweet-line"))
        parts.append(label(x + 8.0, TOP + 12.0, f"sweet spot {sweet_hz:.1f} Hz", "drawing-label"))
    for place, (f, g) in enumerate(points):
        last = place == len(points) - 1
        x, y = across(f), up(g)
        parts.append(el("circle", el("title", f"{f:.1f} Hz"), cx=x, cy=y, r=4.0, cls="take-dot"))
        if last:
            parts.append(el("circle", cx=x, cy=y, r=9.0, cls="take-ring"))
    return drawing("sweep", "The sweep", says, *parts, width=WIDTH, height=HEIGHT)


def _notes(across: Log) -> list[Markup]:
    parts: list[Markup] = []
    last = -1e9
    for number in range(12, 108):
        hz = note_frequency_hz(number)
        if across.low < hz < across.high and across(hz) - last >= NOTE_APART:
            last = across(hz)
            parts.append(line(last, BOTTOM, last, BOTTOM + 5.0, "rail"))
            text = f"{nearest_note(hz)[0]} {hz:.0f}"
            parts.append(label(last, BOTTOM + 20.0, text, "tick", "middle"))
    return parts
