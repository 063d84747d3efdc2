"""Hum: one drum struck, what the rest of the kit answers, as a map and in words."""

from dataclasses import dataclass

from emblar.core.notes import note_text
from emblar.core.tuning.hum import Answer, apart_cents, is_loud
from emblar.formats.bench import HumFile
from emblar.steps.bench.actions.hum import HumDrum, HumMap

NEAR_CENTS = 150.0
MINUS = "−"


@dataclass(frozen=True, slots=True)
class Cell:
    """What one drum answers to another: text, whether it is read, whether it is heard in a song."""

    text: str
    read: bool = False
    loud: bool = False


@dataclass(frozen=True, slots=True)
class Row:
    """A struck drum."""

    name: str
    href: str
    struck: bool
    cells: tuple[Cell, ...]


@dataclass(frozen=True, slots=True)
class HumPage:
    """Everything the Hum page shows."""

    big: str
    then: str
    base: str
    bench: str
    names: tuple[tuple[str, str], ...]
    """Each drum with its note."""
    rows: tuple[Row, ...]
    says: tuple[str, ...]
    left_out: tuple[str, ...]


def hum_page(found: HumMap, session_id: int, slot_id: int | None) -> HumPage:
    """Return the page with one drum as the one to strike, the first if none is asked for."""
    ids = [d.id for d in found.drums]
    struck = found.drums[ids.index(slot_id) if slot_id in ids else 0]
    root = f"/sessions/{session_id}/bench"
    rows = tuple(
        Row(
            drum.name,
            f"{root}/hum?sel=d{drum.id}",
            drum is struck,
            tuple(_cell(found, drum, other) for other in found.drums),
        )
        for drum in found.drums
    )
    return HumPage(
        f"Strike {struck.name} once",
        "Everything open and untouched, the microphone over the kit. Let it ring for two seconds.",
        f"{root}/hum/{struck.id}",
        f"{root}?sel=d{struck.id}",
        tuple((d.name, _note(d)) for d in found.drums),
        rows,
        tuple(_says(found)),
        found.left_out,
    )


def _note(drum: HumDrum) -> str:
    doubt = "" if drum.measured else f" ± {drum.sd_cents:.0f} ct, planned"
    return f"{drum.hz:.0f} Hz{doubt}"


def _cell(found: HumMap, struck: HumDrum, other: HumDrum) -> Cell:
    if struck is other:
        return Cell("")
    told = found.now.get((struck.id, other.id))
    if told is None:
        return Cell(f"about {_level(found.expected[struck.id, other.id])}")
    before = found.before.get((struck.id, other.id))
    was = ""
    if before is not None and before.heard and before.level_db is not None:
        was = f", was {_level(before.level_db)}"
    if told.level_db is None:
        return Cell("cannot tell", read=True)
    if not told.heard:
        return Cell(f"under {_level(told.level_db)}{was}", read=True)
    rings = f" for {told.t60_s:.1f} s" if told.t60_s is not None else ""
    return Cell(f"{_level(told.level_db)} dB{rings}{was}", read=True, loud=_is_loud(told))


def _level(level_db: float) -> str:
    return f"{MINUS if level_db < 0.0 else ''}{abs(level_db):.0f}"


def _is_loud(told: HumFile) -> bool:
    return is_loud(Answer("", told.level_db, told.heard))


def _says(found: HumMap) -> list[str]:
    """Return what was read in words, the loudest first, each with the least that helps."""
    names = {d.id: d for d in found.drums}
    rows = []
    loud = [pair for pair, told in found.now.items() if _is_loud(told)]
    for pair in sorted(loud, key=lambda p: -(found.now[p].level_db or 0.0)):
        told, (struck, other) = found.now[pair], (names[pair[0]], names[pair[1]])
        hz = told.hz or other.hz
        apart = apart_cents(found.ringing[struck.id], hz)
        near = f", {apart:.0f} ct from what {struck.name} rings at" if apart < NEAR_CENTS else ""
        rings = f" for {told.t60_s:.1f} s" if told.t60_s is not None else ""
        rows.append(
            f"{other.name} answers {struck.name} at {_level(told.level_db or 0.0)} dB{rings}: "
            f"{note_text(hz)}, {hz:.0f} Hz{near}."
        )
    for pair, told in found.now.items():
        if told.why_not:
            struck, other = names[pair[0]], names[pair[1]]
            rows.append(f"{other.name} to {struck.name}: cannot tell, {told.why_not}.")
    return rows
