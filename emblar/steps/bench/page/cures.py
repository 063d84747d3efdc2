"""Cures: when a drum chokes or rings too long, and tricks, each with what it does by the model."""

from dataclasses import dataclass

from emblar.core.tuning.cures import Cure, Purpose
from emblar.frame.words import changed_by
from emblar.steps.bench.actions.cures import CuresView

HEARD = 0.5
MOST_TOLD = 4
HEADINGS: dict[Purpose, str] = {
    "choke": "If it chokes, the cheapest first",
    "dry": "If it rings too long",
    "fat": "To make it fatter",
    "smack": "For more smack",
}


@dataclass(frozen=True, slots=True)
class CureRow:
    """One thing to do, with its place in the list of all."""

    id: str
    place: int
    title: str
    what: str
    effect: str
    source: str
    button: str


@dataclass(frozen=True, slots=True)
class CuresPage:
    """Everything the Cures page shows."""

    title: str
    groups: tuple[tuple[str, tuple[CureRow, ...]], ...]
    base: str
    bench: str


def cures_page(view: CuresView, session_id: int) -> CuresPage:
    """Return the page."""
    rows = [(cure.purpose, _row(cure, place)) for place, cure in enumerate(view.cures)]
    groups = tuple(
        (heading, result)
        for purpose, heading in HEADINGS.items()
        if (result := tuple(row for purpose_of, row in rows if purpose_of == purpose))
    )
    bench, slot_id = f"/sessions/{session_id}/bench", view.bench.drum.id
    return CuresPage(
        view.bench.drum.owned.name, groups, f"{bench}/{slot_id}/cures", f"{bench}?sel=d{slot_id}"
    )


def _row(cure: Cure, place: int) -> CureRow:
    source = f"{cure.source[:1].upper()}{cure.source[1:]}." if cure.source != "practice" else ""
    button = "Use this" if cure.purpose == "choke" else "Try it"
    return CureRow(cure.id, place, cure.title, cure.what, _effect(cure), source, button)


def _effect(cure: Cure) -> str:
    known = sorted(cure.effect.items(), key=lambda kv: -abs(kv[1]))
    audible = [(name, by) for name, by in known if abs(by) >= HEARD][:MOST_TOLD]
    if not audible:
        return "The model predicts no audible change."
    words = ", ".join(changed_by(name, by) for name, by in audible)
    return f"By the model, in steps: {words}."
