"""A drum cut from the side, to scale: heads by construction, port and dampers where they sit.

Conventions
-----------
The batter is on top. One stroke a ply, dots over it for a coating, a short inner stroke for a ring.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 400.0
HEIGHT = 264.0
SHELL_HIGHEST = 140.0
SHELL_WIDEST = 330.0
HOOP_WIDTH = 7.0
HOOP_HEIGHT = 26.0
WALL = 7.0
PLY_GAP = 4.0
MIDDLE_RADIUS = 0.3
LETTER = 6.3
"""Mean width of a letter of small text."""


@dataclass(frozen=True, slots=True)
class SectionHead:
    """A head in the section."""

    name: str
    plies: int
    coated: bool
    ring: bool
    lug_hz: float | None


@dataclass(frozen=True, slots=True)
class SectionDamper:
    """A damper: on which head and how far from the centre (share of the radius).

    Without ``on_head`` it lies on the shell or under the drum and is only named.
    """

    name: str
    on_batter: bool
    radius: float
    on_head: bool = True


@dataclass(frozen=True, slots=True)
class Section:
    """What the section shows."""

    title: str
    diameter_in: float
    depth_in: float
    rods: int
    batter: SectionHead
    reso: SectionHead | None
    port_in: float | None
    dampers: Sequence[SectionDamper]
    reso_name: str = "reso"
    """What the lower head is called on this drum."""


def section(model: Section) -> Markup:
    """Draw the cut."""
    scale = min(SHELL_WIDEST / model.diameter_in, SHELL_HIGHEST / model.depth_in)
    wide, deep = model.diameter_in * scale, model.depth_in * scale
    left, top = (WIDTH - wide) / 2.0, (HEIGHT - deep) / 2.0
    right, bottom = left + wide, top + deep
    parts = [
        el("rect", x=left, y=top, width=WALL, height=deep, cls="shell"),
        el("rect", x=right - WALL, y=top, width=WALL, height=deep, cls="shell"),
        *_head(model.batter, left, right, top, -1.0),
    ]
    middle = WIDTH / 2.0
    port = None
    if model.reso is not None:
        half = model.port_in * scale / 2.0 if model.port_in else 0.0
        # The cut goes through the port, off-centre towards one side.
        port = (middle + wide / 4.0 - half, middle + wide / 4.0 + half) if half else None
        parts += _head(model.reso, left, right, bottom, 1.0, port)
    parts += _texts(model, top, bottom, deep)
    for row, damper in enumerate(model.dampers):
        parts += _damper(damper, row, (middle, wide / 2.0), top, bottom)
    if port is not None:
        parts.append(
            label(
                (port[0] + port[1]) / 2.0,
                bottom - 6.0,
                f"port {model.port_in:g} in",
                "drawing-small",
                "middle",
            )
        )
    return drawing("section", model.title, _described(model), *parts, width=WIDTH, height=HEIGHT)


def _head(
    head: SectionHead,
    left: float,
    right: float,
    edge: float,
    out: float,
    gap: tuple[float, float] | None = None,
) -> list[Markup]:
    parts = []
    for ply in range(head.plies):
        y = edge + out * (2.0 + PLY_GAP * ply)
        spans = (
            [(left - 4.0, right + 4.0)]
            if gap is None
            else [(left - 4.0, gap[0]), (gap[1], right + 4.0)]
        )
        parts += [line(a, y, b, y, "film") for a, b in spans]
    if head.coated:
        y = edge + out * (6.0 + PLY_GAP * (head.plies - 1))
        parts.append(line(left + 6.0, y, right - 6.0, y, "coating"))
    if head.ring:
        y, reach = edge - out * 5.0, (right - left) * 0.08
        parts.append(line(left + WALL + 2.0, y, left + WALL + 2.0 + reach, y, "ring-mark"))
        parts.append(line(right - WALL - 2.0 - reach, y, right - WALL - 2.0, y, "ring-mark"))
    hoop_top = edge - HOOP_HEIGHT * (0.75 if out < 0 else 0.25)
    for x in (left - HOOP_WIDTH - 5.0, right + 5.0):
        parts.append(el("rect", x=x, y=hoop_top, width=HOOP_WIDTH, height=HOOP_HEIGHT, cls="hoop"))
    return parts


def _lug(head: SectionHead) -> str:
    return f"{head.name}, lug {head.lug_hz:.0f} Hz" if head.lug_hz else head.name


def _texts(model: Section, top: float, bottom: float, deep: float) -> list[Markup]:
    middle = WIDTH / 2.0
    size = f"{model.diameter_in:g} × {model.depth_in:g} in, {model.rods} rods"
    above, below = top - 34.0, min(bottom + 36.0, HEIGHT - 6.0)
    parts = [label(middle, above, "batter: " + _lug(model.batter), "drawing-text", "middle")]
    if deep > 60.0:
        # What lies on the lower head is named above it: the size makes room.
        named = sum(not d.on_batter for d in model.dampers)
        y = (top + bottom) / 2.0 + 5.0 - (16.0 * named if named > 1 else 0.0)
        parts.append(label(middle, y, size, "drawing-muted", "middle"))
    if model.reso is not None:
        parts.append(
            label(middle, below, f"{model.reso_name}: {_lug(model.reso)}", "drawing-text", "middle")
        )
    return parts


def _damper(
    damper: SectionDamper, row: int, centre: tuple[float, float], top: float, bottom: float
) -> list[Markup]:
    middle, half = centre
    x = middle - damper.radius * half
    outside = 12.0
    y = top - outside - 12.0 if damper.on_batter else bottom - 12.0
    text_y = top - 50.0 if damper.on_batter else bottom - 26.0 - 14.0 * row
    outer = damper.on_batter and damper.radius > MIDDLE_RADIUS
    anchor, text_x = ("start", max(x - 20.0, 4.0)) if outer else ("middle", middle)
    lines = [damper.name]
    if not damper.on_batter and len(damper.name) * LETTER > 2.0 * (half - WALL):
        lines = _halved(damper.name)
    texts = [
        label(text_x, text_y - 14.0 * (len(lines) - 1 - i), text, "drawing-small", anchor)
        for i, text in enumerate(lines)
    ]
    if not damper.on_head:
        return texts
    return [el("rect", x=x - 15.0, y=y, width=30.0, height=9.0, rx=3.0, cls="damper"), *texts]


def _halved(text: str) -> list[str]:
    """Return a text in two lines, parted at the space nearest to its middle."""
    spaces = [i for i, letter in enumerate(text) if letter == " "]
    if not spaces:
        return [text]
    at_space = min(spaces, key=lambda i: abs(i - len(text) / 2))
    return [text[:at_space], text[at_space + 1 :]]


def _described(model: Section) -> str:
    parts = [f"Batter {_lug(model.batter)}."]
    lower = model.reso_name[:1].upper() + model.reso_name[1:]
    parts.append(f"{lower} {_lug(model.reso)}." if model.reso else "No front head.")
    for d in model.dampers:
        where = f" on the {'batter' if d.on_batter else model.reso_name}" if d.on_head else ""
        parts.append(f"{d.name}{where}.")
    return " ".join(parts)
