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


def hum_page(hum_map: HumMap, session_id: int, slot_id: int | None) -> HumPage:
    """Return the page with one drum as the one to strike, the first if none is asked for."""
    ids = [d.id for d in hum_map.drums]
    struck = hum_map.drums[ids.index(slot_id) if slot_id in ids else 0]
    root = f"/sessions/{session_id}/bench"
    rows = tuple(
        Row(
            drum.name,
            f"{root}/hum?sel=d{drum.id}",
            drum is struck,
            tuple(_cell(hum_map, drum, other) for other in hum_map.drums),
        )
        for drum in hum_map.drums
    )
    return HumPage(
        f"Strike {struck.name} once",
        "Everything open and untouched, the microphone over the kit. Let it ring for two seconds.",
        f"{root}/hum/{struck.id}",
        f"{root}?sel=d{struck.id}",
        tuple((d.name, _note(d)) for d in hum_map.drums),
        rows,
        tuple(_says(hum_map)),
        hum_map.left_out,
    )


def _note(drum: HumDrum) -> str:
    doubt = "" if drum.measured else f" ± {drum.sd_cents:.0f} ct, planned"
    return f"{drum.hz:.0f} Hz{doubt}"


def _cell(hum_map: HumMap, struck: HumDrum, other: HumDrum) -> Cell:
    if struck is other:
        return Cell("")
    known = hum_map.answers.get((struck.id, other.id))
    if known is None:
        return Cell(f"about {_level(hum_map.expected[struck.id, other.id])}")
    before = hum_map.before.get((struck.id, other.id))
    was = ""
    if before is not None and before.heard and before.level_db is not None:
        was = f", was {_level(before.level_db)}"
    if known.level_db is None:
        return Cell("cannot tell", read=True)
    if not known.heard:
        return Cell(f"under {_level(known.level_db)}{was}", read=True)
    rings = f" for {known.t60_s:.1f} s" if known.t60_s is not None else ""
    return Cell(f"{_level(known.level_db)} dB{rings}{was}", read=True, loud=_is_loud(known))


def _level(level_db: float) -> str:
    return f"{MINUS if level_db < 0.0 else ''}{abs(level_db):.0f}"


def _is_loud(answer: HumFile) -> bool:
    return is_loud(Answer("", answer.level_db, answer.heard))


def _says(hum_map: HumMap) -> list[str]:
    """Return what was read in words, the loudest first, each with the least that helps."""
    names = {d.id: d for d in hum_map.drums}
    rows = []
    loud = [pair for pair, known in hum_map.answers.items() if _is_loud(known)]
    for pair in sorted(loud, key=lambda p: -(hum_map.answers[p].level_db or 0.0)):
        known, (struck, other) = hum_map.answers[pair], (names[pair[0]], names[pair[1]])
        hz = known.hz or other.hz
        apart = apart_cents(hum_map.ringing[struck.id], hz)
        near = f", {apart:.0f} ct from what {struck.name} rings at" if apart < NEAR_CENTS else ""
        rings = f" for {known.t60_s:.1f} s" if known.t60_s is not None else ""
        rows.append(
            f"{other.name} answers {struck.name} at {_level(known.level_db or 0.0)} dB{rings}: "
            f"{note_text(hz)}, {hz:.0f} Hz{near}."
        )
    for pair, known in hum_map.answers.items():
        if known.why_not:
            struck, other = names[pair[0]], names[pair[1]]
            rows.append(f"{other.name} to {struck.name}: cannot tell, {known.why_not}.")
    return rows
