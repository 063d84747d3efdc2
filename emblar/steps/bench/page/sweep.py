"""Sweep: tuning by ear alone, drawn as it goes."""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.notes import note_text
from emblar.core.tuning.sweep import FEWEST, Verdict
from emblar.steps.bench.actions.sweep import SweepView
from emblar.steps.bench.drawing.sweep_curve import sweep_curve

BIG: dict[Verdict, str] = {
    "too few": "Strike, crank a little, strike again",
    "still rising": "Still getting better: go on up",
    "still falling": "Better the lower it goes: go on down",
    "flat": "No sweet spot here: choose by the note",
    "sweet": "Sweet spot at about {hz:.0f} Hz",
}


@dataclass(frozen=True, slots=True)
class SweepPage:
    """Everything the Sweep page shows."""

    title: str
    big: str
    then: str
    base: str
    bench: str
    drawing: Markup | None
    strokes: int


def sweep_page(view: SweepView, session_id: int) -> SweepPage:
    """Return the page."""
    drum, known = view.bench.drum, view.curve
    big = BIG[known.verdict].format(hz=known.hz or 0.0)
    points = [(p.hz, p.goodness) for p in view.points]
    base = f"/sessions/{session_id}/bench/{drum.id}/sweep"
    drawn = sweep_curve(points, known.curve, known.hz, f"{big}. {_then(view)}") if points else None
    return SweepPage(
        drum.owned.name,
        big,
        _then(view),
        base,
        f"/sessions/{session_id}/bench?sel=d{drum.id}",
        drawn,
        len(points),
    )


def _then(view: SweepView) -> str:
    points, known = view.points, view.curve
    if not points:
        return (
            "One firm stroke in the middle, both heads ringing. Then a quarter turn on every rod, "
            "and another stroke."
        )
    last = points[-1]
    current = f"Now {last.hz:.1f} Hz ({note_text(last.hz)}), rings {last.t60_s:.2f} s"
    if known.hz is not None:
        way = "below" if last.hz < known.hz else "above"
        return f"{current}, {abs(last.hz - known.hz):.1f} Hz {way} it. Come up to it from below."
    if known.verdict == "too few":
        left = max(FEWEST - len(points), 1)
        return f"{current}. {left} more at other pitches, a semitone and a half apart in all."
    return f"{current}."
