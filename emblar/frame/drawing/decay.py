"""How a drum dies away: each clean stroke's fundamental in dB, and the slope its T60 stands for.

Conventions
-----------
Time in s after the stroke, level in dB re each stroke's own highest.
"""

from collections.abc import Sequence

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear, round_steps
from emblar.frame.drawing.svg import drawing, label, line, path

WIDTH = 376.0
HEIGHT = 190.0
LEFT = 46.0
RIGHT = 366.0
TOP = 14.0
BOTTOM = 148.0
LOWEST_DB = -40.0
LEAST_S = 0.3

Curve = tuple[Sequence[float], Sequence[float]]


def decay(curves: Sequence[Curve], t60_s: float | None, sd_s: float | None) -> Markup:
    """Draw the decay.

    Parameters
    ----------
    curves
        Per stroke: times in s and levels in dB.
    t60_s, sd_s
        Time to fall by 60 dB and its uncertainty, None where it cannot be told.
    """
    longest = max([LEAST_S, *(max(times, default=0.0) for times, _ in curves)])
    across, up = Linear(0.0, longest, LEFT, RIGHT), Linear(LOWEST_DB, 0.0, BOTTOM, TOP)
    parts = _grid(across, up)
    for times, levels in curves:
        points = [(across(t), up.held(v)) for t, v in zip(times, levels, strict=True)]
        parts.append(path(points, "record-faint"))
    text = "how long it rings cannot be told"
    if t60_s is not None:
        stop = min(longest, t60_s * -LOWEST_DB / 60.0)
        parts.append(
            path([(across(0.0), up(0.0)), (across(stop), up(-60.0 * stop / t60_s))], "record-line")
        )
        text = f"−60 dB in {t60_s:.2f} ± {sd_s or 0.0:.2f} s"
    parts.append(label(RIGHT, TOP + 6.0, text, "record-text", "end"))
    described = f"{text}; {len(curves)} strokes."
    return drawing("decay", "Decay of the note", described, *parts, width=WIDTH, height=HEIGHT)


def _grid(across: Linear, up: Linear) -> list[Markup]:
    parts = []
    for tick in range(0, int(LOWEST_DB) - 1, -10):
        parts.append(line(LEFT, up(tick), RIGHT, up(tick), "hairline"))
        sign = "−" if tick else ""
        parts.append(label(LEFT - 6.0, up(tick) + 4.0, f"{sign}{abs(tick)}", "tick", "end"))
    step = round_steps(across.high, 5)
    count = int(across.high / step + 1e-9)
    for index in range(count + 1):
        time = index * step
        parts.append(label(across(time), BOTTOM + 18.0, f"{time:g}", "tick", "middle"))
    parts.append(label(RIGHT, BOTTOM + 34.0, "s after the stroke, level in dB", "tick", "end"))
    return parts
