"""The partials of a drum as stems over frequency, named by film mode where the ratio fits.

Conventions
-----------
Frequencies in Hz on a logarithmic scale, levels in dB re the fundamental's energy.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear, Log
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 376.0
HEIGHT = 170.0
LEFT = 46.0
RIGHT = 366.0
TOP = 30.0
BOTTOM = 128.0
LOWEST_DB = -30.0
HIGHEST_DB = 12.0
LABEL_WIDTH = 42.0


@dataclass(frozen=True, slots=True)
class DrawnPartial:
    """A partial: Hz, dB re the fundamental, T60 in s if read, mode or empty."""

    frequency_hz: float
    level_db: float
    t60_s: float | None
    mode: str


def overtones(fundamental_hz: float, partials: Sequence[DrawnPartial]) -> Markup:
    """Draw the fundamental and the overtones above it."""
    rows = [DrawnPartial(fundamental_hz, 0.0, None, "(0,1)"), *partials]
    rows.sort(key=lambda p: p.frequency_hz)
    across = Log(0.85 * fundamental_hz, 1.12 * rows[-1].frequency_hz + 20.0, LEFT, RIGHT)
    up = Linear(LOWEST_DB, HIGHEST_DB, BOTTOM, TOP)
    parts = [line(LEFT, BOTTOM, RIGHT, BOTTOM, "hairline")]
    for tick in (0, -10, -20):
        parts.append(line(LEFT, up(tick), RIGHT, up(tick), "hairline"))
        sign = "−" if tick else ""
        parts.append(label(LEFT - 6.0, up(tick) + 4.0, f"{sign}{abs(tick)}", "tick", "end"))
    last = [-1e9, -1e9]
    for row in rows:
        x, y = across(row.frequency_hz), up.held(row.level_db)
        parts.append(line(x, BOTTOM, x, y, "record-mark"))
        parts.append(el("circle", el("title", _words(row)), cx=x, cy=y, r=4.0, cls="record-dot"))
        # Names that would run into each other are left to the tooltip and the table.
        if row.mode and x - last[0] > LABEL_WIDTH:
            parts.append(label(x, y - 9.0, row.mode, "drawing-small", "middle"))
            last[0] = x
        if x - last[1] > LABEL_WIDTH:
            parts.append(label(x, BOTTOM + 18.0, f"{row.frequency_hz:.0f}", "tick", "middle"))
            last[1] = x
    parts.append(label(RIGHT, BOTTOM + 36.0, "Hz, level in dB re the fundamental", "tick", "end"))
    described = "; ".join(_words(row) for row in rows)
    return drawing("overtones", "Partials", described, *parts, width=WIDTH, height=HEIGHT)


def _words(row: DrawnPartial) -> str:
    mode = f"mode {row.mode}, " if row.mode else ""
    lasts = f", rings {row.t60_s:.2f} s" if row.t60_s else ""
    return f"{mode}{row.frequency_hz:.0f} Hz, {row.level_db:+.0f} dB{lasts}"
