"""A drum over time: lug pitches of both heads and the drum pitch, round after round.

Conventions
-----------
Rounds stand in their order, not to the scale of the calendar: an evening's ten rounds and a year
without one would share no ruler. Logarithmic in Hz. Batter and reso are lines, the drum pitch dots.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.ladder import notes
from emblar.frame.drawing.scale import Linear, Log
from emblar.frame.drawing.svg import drawing, el, label, line, path

WIDTH = 620.0
HEIGHT = 264.0
ROOMY = 5
LEFT = 112.0
RIGHT = 560.0
TOP = 26.0
BOTTOM = 256.0


@dataclass(frozen=True, slots=True)
class Point:
    """One round: when in words, and what was read, Hz."""

    when: str
    batter_hz: float | None
    reso_hz: float | None
    drum_hz: float | None


def history(points: Sequence[Point]) -> Markup:
    """Draw the history of at least one round."""
    known = [hz for p in points for hz in (p.batter_hz, p.reso_hz, p.drum_hz) if hz is not None]
    up = Log(min(known) / 1.15, max(known) * 1.15, BOTTOM, TOP)
    across = Linear(0.0, max(len(points) - 1, 1), LEFT + 20.0, RIGHT - 40.0)
    parts = [line(96.0, TOP, 96.0, BOTTOM, "rail"), *notes(up)]
    for name, cls in (("batter", "take-line"), ("reso", "history-reso")):
        rows = [(i, getattr(p, f"{name}_hz")) for i, p in enumerate(points)]
        result = [(across(i), up(hz)) for i, hz in rows if hz is not None]
        parts.append(path(result, cls))
        parts += [el("circle", cx=x, cy=y, r=3.5, cls="take-dot") for x, y in result]
        if result:
            parts.append(label(result[-1][0] + 10.0, result[-1][1] + 4.0, name, "drawing-small"))
    for i, p in enumerate(points):
        if p.drum_hz is not None:
            x, y = across(i), up(p.drum_hz)
            parts.append(el("circle", cx=x, cy=y, r=6.0, cls="take-ring"))
            last = not any(q.drum_hz is not None for q in points[i + 1 :])
            # Where rounds stand close, only the last has room for its number.
            if last or len(points) <= ROOMY:
                parts.append(label(x + 12.0, y + 4.0, f"drum {p.drum_hz:.0f}", "drawing-small"))
    description = "; ".join(
        f"{p.when}: "
        + ", ".join(
            f"{n} {hz:.0f} Hz"
            for n, hz in (("batter", p.batter_hz), ("reso", p.reso_hz), ("drum", p.drum_hz))
            if hz
        )
        for p in points
    )
    return drawing("history", "Pitches over time", description, *parts, width=WIDTH, height=HEIGHT)
