"""The kit from above, to scale: the navigation between drums in every step.

Conventions
-----------
A ring's style tells the state, never its colour alone: empty (nothing yet), dotted (the record's
target is known), half (planned), full (tuned). The selected drum is filled.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from markupsafe import Markup

from emblar.frame.drawing.svg import drawing, el, label

State = Literal["empty", "dotted", "half", "full"]
WIDTH = 160.0
PX_PER_INCH = 3.6
FLOOR_IN = 14.0
ROW_GAP = 34.0
STATE_WORDS = {
    "empty": "nothing yet",
    "dotted": "target known",
    "half": "planned",
    "full": "tuned",
}


@dataclass(frozen=True, slots=True)
class StripDrum:
    """A drum of the strip; ``diameter_in`` None is a voice that no drum plays yet."""

    key: str
    name: str
    kind: str
    diameter_in: float | None
    state: State
    selected: bool
    href: str
    stand: str | None = None
    """``"rack"`` or ``"floor"``, if not where its size says."""
    place: int | None = None
    """Its place in the kit's order, if that was said."""
    note: str = ""
    """What is said instead of its state."""

    @property
    def state_words(self) -> str:
        """How far the drum is, in words."""
        return self.note or STATE_WORDS[self.state]


def _rows(drums: Sequence[StripDrum]) -> list[list[StripDrum]]:
    """Put drums where they stand: racks behind, kick, snare and floor toms in front."""

    def size(drum: StripDrum) -> float:
        return drum.diameter_in or 12.0

    def on_floor(drum: StripDrum) -> bool:
        return drum.stand == "floor" if drum.stand else size(drum) >= FLOOR_IN

    toms = [d for d in drums if d.kind == "tom"]
    if all(d.place is None for d in toms):
        toms.sort(key=size)
    racks = [d for d in toms if not on_floor(d)]
    front = [d for d in drums if d.kind == "snare"] + [d for d in toms if on_floor(d)]
    kicks = [[d] for d in drums if d.kind == "kick"]
    rows = [racks[i : i + 2] for i in range(0, len(racks), 2)]
    return [*rows, *kicks, *(front[i : i + 2] for i in range(0, len(front), 2))]


def kit_strip(drums: Sequence[StripDrum]) -> Markup:
    """Draw the kit from above.

    Parameters
    ----------
    drums
        The drums, each with the address that selects it.
    """
    parts, top = [], 6.0
    for row in _rows(drums):
        radii = [(d.diameter_in or 12.0) * PX_PER_INCH / 2.0 + 4.0 for d in row]
        tallest = max(radii)
        for column, (drum, radius) in enumerate(zip(row, radii, strict=True)):
            x = WIDTH * (column + 0.5) / len(row)
            if len(row) == 2:
                # Two in a row keep clear of each other and inside the strip.
                x = radii[0] + 2.0 if column == 0 else WIDTH - radius - 2.0
            parts.append(_drum(drum, x, top + tallest, radius - 4.0, top + 2 * tallest + 14.0))
        top += 2.0 * tallest + ROW_GAP
    described = "; ".join(f"{d.name}: {d.state_words}" for d in drums)
    return drawing(
        "kit-strip",
        "The kit from above",
        described or "No drums yet",
        *parts,
        width=WIDTH,
        height=max(top, 40.0),
    )


def _drum(drum: StripDrum, x: float, y: float, radius: float, below: float) -> Markup:
    number = f"{drum.diameter_in:g}" if drum.diameter_in else "?"
    parts = [
        el("circle", cx=x, cy=y, r=radius, cls="strip-head"),
        ring(drum.state, x, y, radius + 3.5),
        label(x, y + 5.0, number, "strip-number", "middle"),
        label(x, below, drum.name, "strip-name", "middle"),
    ]
    words = f"{drum.name}, {drum.state_words}"
    return el(
        "a",
        *parts,
        href=drum.href,
        aria_label=words,
        aria_current="true" if drum.selected else None,
        cls=f"strip-drum {'selected' if drum.selected else ''}".strip(),
        data_strip=drum.key,
    )


def ring(state: State, x: float, y: float, radius: float) -> Markup:
    """Draw the ring whose style tells how far a drum is."""
    if state == "half":
        arc = (
            f"M {x:.1f} {y - radius:.1f} A {radius:.1f} {radius:.1f} 0 0 1 {x:.1f} {y + radius:.1f}"
        )
        return el("path", d=arc, cls="strip-ring half")
    return el("circle", cx=x, cy=y, r=radius, cls=f"strip-ring {state}")
