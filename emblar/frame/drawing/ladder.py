"""A vertical ruler of pitch: both lug pitches, drum pitch, the record's pitch, the workable range.

Conventions
-----------
Logarithmic in Hz, labelled with notes of the C major scale. Record solid, plan dashed.
"""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.notes import nearest_note, note_frequency_hz, note_text
from emblar.frame.drawing.scale import Log
from emblar.frame.drawing.svg import drawing, el, label, line

WIDTH = 340.0
HEIGHT = 264.0
TOP = 26.0
BOTTOM = 256.0
RAIL = 96.0
APART = 17.0
NATURALS = (0, 2, 4, 5, 7, 9, 11)


@dataclass(frozen=True, slots=True)
class Ladder:
    """What the ladder shows, all in Hz."""

    batter_lug_hz: float
    reso_lug_hz: float | None
    plan_hz: float
    plan_sd_hz: float
    record_hz: float | None
    record_sd_hz: float
    range_hz: tuple[float, float]


def ladder(model: Ladder) -> Markup:
    """Draw the ladder."""
    pitches = [model.batter_lug_hz, model.plan_hz, model.record_hz, model.reso_lug_hz]
    known = [p for p in pitches if p]
    up = Log(min(known) / 1.45, max(known) * 1.25, BOTTOM, TOP)
    low, high = (up.held(hz) for hz in model.range_hz)
    parts = [
        el("rect", x=RAIL - 9.0, y=high, width=18.0, height=max(low - high, 1.0), cls="range"),
        line(RAIL, TOP, RAIL, BOTTOM, "rail"),
        *notes(up),
        label(0.0, 12.0, f"shaded: workable, {_range(model)}", "drawing-small"),
    ]
    band = (up.held(model.plan_hz + model.plan_sd_hz), up.held(model.plan_hz - model.plan_sd_hz))
    parts.append(
        el("rect", x=RAIL + 10.0, y=band[0], width=28.0, height=band[1] - band[0], cls="plan-band")
    )
    marks = [
        (model.batter_lug_hz, f"batter lug {model.batter_lug_hz:.0f}", "lug-mark", "drawing-text"),
        (
            model.plan_hz,
            f"plan {model.plan_hz:.1f} ± {model.plan_sd_hz:.0f} Hz",
            "plan-mark",
            "drawing-text",
        ),
    ]
    if model.reso_lug_hz:
        text = f"reso lug {model.reso_lug_hz:.0f}"
        marks.append((model.reso_lug_hz, text, "lug-mark", "drawing-text"))
    if model.record_hz:
        text = f"record {model.record_hz:.1f} Hz, {note_text(model.record_hz)}"
        marks.append((model.record_hz, text, "record-mark", "record-text strong"))
    parts += marks_at(marks, up)
    described = ". ".join(text for _, text, _, _ in marks) + f". Workable {_range(model)}."
    return drawing("ladder", "Pitches", described, *parts, width=WIDTH, height=HEIGHT)


def _range(model: Ladder) -> str:
    return f"{model.range_hz[0]:.0f} to {model.range_hz[1]:.0f} Hz"


def notes(up: Log) -> list[Markup]:
    """Draw the notes of the C major scale that fit, with their names."""
    parts: list[Markup] = []
    last = BOTTOM + APART
    for number in range(12, 108):
        hz = note_frequency_hz(number)
        if number % 12 in NATURALS and up.low < hz < up.high and last - up(hz) >= APART:
            last = up(hz)
            parts.append(line(RAIL - 5.0, up(hz), RAIL + 5.0, up(hz), "rail"))
            parts.append(label(RAIL - 34.0, up(hz) + 4.0, nearest_note(hz)[0], "tick", "end"))
    return parts


def marks_at(marks: list[tuple[float, str, str, str]], up: Log) -> list[Markup]:
    """Draw marks at their pitch; their texts are moved apart where they would collide."""
    parts: list[Markup] = []
    text_y = -1e9
    for hz, text, mark, cls in sorted(marks, key=lambda m: -m[0]):
        y = up(hz)
        text_y = max(y + 4.5, text_y + APART)
        parts.append(line(RAIL + 10.0, y, RAIL + 38.0, y, mark))
        parts.append(label(RAIL + 46.0, text_y, text, cls))
    return parts
