"""One measured quantity on its own ruler: ticks one just-noticeable step apart around the value.

Conventions
-----------
The thick line is the record's value, the band one standard deviation to each side; a short mark is
what the soft strokes measure, a tall one the loud strokes. Places are in steps from the value.
"""

from markupsafe import Markup

from emblar.frame.drawing.scale import Linear
from emblar.frame.drawing.svg import drawing, el, line

WIDTH = 132.0
HEIGHT = 22.0
REACH = 5.0


def small_ruler(
    name: str, sd_steps: float, soft_steps: float | None, loud_steps: float | None
) -> Markup:
    """Draw the ruler of one quantity."""
    across, middle = Linear(-REACH, REACH, 2.0, WIDTH - 2.0), HEIGHT / 2.0
    parts = [line(across(-REACH), middle, across(REACH), middle, "hairline")]
    parts += [
        line(across(t), middle - 3.0, across(t), middle + 3.0, "tick-line")
        for t in range(-int(REACH), int(REACH) + 1)
    ]
    half = min(sd_steps, REACH)
    width = max(across(half) - across(-half), 2.0)
    parts.append(
        el(
            "rect",
            x=across(0.0) - width / 2.0,
            y=middle - 6.0,
            width=width,
            height=12.0,
            cls="record-band",
        )
    )
    parts.append(line(across(0.0), middle - 8.0, across(0.0), middle + 8.0, "record-mark"))
    text = [f"uncertain by {sd_steps:.1f} steps"]
    for word, steps, tall in (("soft", soft_steps, 4.0), ("loud", loud_steps, 9.0)):
        if steps is None:
            continue
        x = across.held(steps)
        parts.append(line(x, middle - tall, x, middle + tall, "part-mark"))
        text.append(f"{word} strokes {steps:+.1f} steps")
    return drawing(
        f"ruler-{name}",
        f"{name} in audible steps",
        "; ".join(text),
        *parts,
        width=WIDTH,
        height=HEIGHT,
    )
