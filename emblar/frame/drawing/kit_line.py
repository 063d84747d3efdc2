"""A kit in one line, to scale: how far each drum is, by the style of its ring."""

from collections.abc import Sequence
from functools import lru_cache

from markupsafe import Markup

from emblar.frame.drawing.kit_strip import STATE_WORDS, StripDrum, ring
from emblar.frame.drawing.svg import drawing, el, label

PX_PER_INCH = 1.9
GAP = 12.0
TOP = 4.0


def kit_line(name: str, drums: Sequence[StripDrum]) -> Markup:
    """Draw a kit's drums side by side, standing on one line; ``name`` is unique on the page."""
    return _drawn(name, tuple(drums))


@lru_cache(maxsize=1024)
def _drawn(name: str, drums: tuple[StripDrum, ...]) -> Markup:
    parts, left = [], 2.0
    tallest = max((d.diameter_in or 12.0) for d in drums) * PX_PER_INCH + 7.0 if drums else 10.0
    for drum in drums:
        radius = (drum.diameter_in or 12.0) * PX_PER_INCH / 2.0
        x, y = left + radius + 3.5, TOP + tallest - radius - 3.5
        parts.append(
            el(
                "g",
                el("circle", cx=x, cy=y, r=radius, cls="strip-head"),
                ring(drum.state, x, y, radius + 3.0),
                label(x, y + 4.0, f"{drum.diameter_in:g}", "strip-name", "middle"),
            )
        )
        left += 2.0 * radius + 7.0 + GAP
    described = "; ".join(f"{d.name}: {STATE_WORDS[d.state]}" for d in drums)
    return drawing(
        name, "The kit", described, *parts, width=max(left, 20.0), height=tallest + 2 * TOP
    )
