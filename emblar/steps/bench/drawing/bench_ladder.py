"""The ladder at the bench: where both heads are and go, the drum pitch, and where it hurts."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from markupsafe import Markup

from emblar.frame.drawing.ladder import BOTTOM, RAIL, TOP, marks_at, notes
from emblar.frame.drawing.scale import Log
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 300.0
HEIGHT = 264.0
LOOKS = {
    "plan": ("plan-mark", "drawing-text"),
    "take": ("take-mark", "take-text"),
    "record": ("record-mark", "record-text strong"),
}


@dataclass(frozen=True, slots=True)
class Rung:
    """A pitch on the ladder, Hz, in words, and whose it is."""

    hz: float
    text: str
    source: Literal["plan", "take", "record"]


def bench_ladder(rungs: Sequence[Rung], caution_hz: float | None) -> Markup:
    """Draw the ladder.

    Parameters
    ----------
    rungs
        The pitches, at least one.
    caution_hz
        Lug pitch of the head in work from which on to be careful, or None.
    """
    pitches = [rung.hz for rung in rungs]
    up = Log(min(pitches) / 1.2, max(pitches) * 1.3, BOTTOM, TOP)
    parts = [line(RAIL, TOP, RAIL, BOTTOM, "rail"), *notes(up)]
    if caution_hz is not None and caution_hz < up.high:
        y = up.held(caution_hz)
        parts.append(el("rect", x=RAIL - 9.0, y=TOP, width=18.0, height=y - TOP, cls="limit-zone"))
        parts.append(label(0.0, 12.0, "near its limit from the shaded part up", "drawing-small"))
    rows = [(rung.hz, rung.text, *LOOKS[rung.source]) for rung in rungs]
    parts += marks_at(rows, up)
    described = ". ".join(rung.text for rung in rungs)
    return drawing("bench-ladder", "Pitches", described, *parts, width=WIDTH, height=HEIGHT)
