"""Cymbals and pads: what is there, each against its part of the record, what to try."""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.matching.pads import pad_advice, what_to_bring
from emblar.core.naming import counted, spoken
from emblar.core.quantities import Measured
from emblar.frame.words import number
from emblar.steps.kit.page import Option
from emblar.steps.match.actions.pads import Pad, Pads
from emblar.steps.match.actions.takes import Take
from emblar.steps.match.page.comparison import match_title, ruler_drawing
from emblar.steps.workspace.page import Frame


@dataclass(frozen=True, slots=True)
class PadRow:
    """A pad in the list: how far its newest take is off, in words."""

    href: str
    name: str
    part: str
    says: str
    chosen: bool


@dataclass(frozen=True, slots=True)
class TakeRow:
    """A take of the chosen pad."""

    title: str
    says: str
    play: str


@dataclass(frozen=True, slots=True)
class PartRow:
    """A part of the record that no drum is tuned for: what is measured of it."""

    name: str
    says: str
    bring: str


@dataclass(frozen=True, slots=True)
class ChosenPad:
    """The pad that is shown."""

    id: int
    name: str
    made_of: str
    title: str
    subtitle: str
    base: str
    parts: tuple[Option, ...]
    rulers: Markup | None
    record_play: str
    take_play: str
    advice: tuple[tuple[str, tuple[str, ...]], ...]
    takes: tuple[TakeRow, ...]
    measuring: bool
    failed: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class PadsPage:
    """Everything the page shows."""

    lead: str
    rows: tuple[PadRow, ...]
    record: tuple[PartRow, ...]
    chosen: ChosenPad | None
    parts: tuple[Option, ...]
    base: str
    match: str


def pads_page(found: Pads, around: Frame, pad_id: int | None = None) -> PadsPage:
    """Return the page; the newest pad is shown if none is asked for."""
    base = f"/sessions/{around.session.id}/match/pads"
    shown = next((row for row in found.rows if row.info.id == pad_id), None)
    shown = shown or (found.rows[-1] if found.rows else None)
    return PadsPage(
        _lead(found),
        tuple(_row(row, base, row is shown) for row in found.rows),
        _record(found),
        _chosen(shown, found, base) if shown else None,
        _parts(found, None),
        base,
        f"/sessions/{around.session.id}/match?sel={around.selection}",
    )


def _lead(found: Pads) -> str:
    if not found.rows:
        return (
            "A cymbal, two stacked, a drum with something laid on: each combination is one pad, "
            "with takes of its own."
        )
    there = sum(
        1 for row in found.rows if row.newest and row.newest.found and not row.newest.found.heard
    )
    return f"{there} of {len(found.rows)} {'is' if there == 1 else 'are'} there."


def _record(found: Pads) -> tuple[PartRow, ...]:
    if found.heard is None:
        return ()
    rows = []
    for card in found.heard.analysis.voices:
        if card.voice not in ("hat", "cymbal"):
            continue
        told = []
        if card.click_hz:
            told.append(f"starts at {number(card.click_hz, 'Hz')}")
        if card.length_s:
            told.append(f"20 dB down after {number(card.length_s, 's')}")
        strokes = counted(card.hits, "stroke")
        says = ", ".join(told) or "too much else sounds with every stroke to tell its brightness"
        rows.append(PartRow(spoken(card.voice), f"{strokes}; {says}.", what_to_bring(card.voice)))
    return tuple(rows)


def _row(pad: Pad, base: str, chosen: bool) -> PadRow:
    take = pad.newest
    if any(t.info.active for t in pad.takes):
        says = "measuring"
    elif take is None:
        says = "no take yet"
    elif take.found is None:
        says = "no part to compare with"
    elif not take.found.told:
        says = "nothing can be compared"
    else:
        says = f"{take.found.apart:.1f} steps off" if take.found.heard else "there"
    part = spoken(pad.info.part) if pad.info.part else "no part"
    return PadRow(f"{base}?pad={pad.info.id}", pad.info.name, part, says, chosen)


def _parts(found: Pads, chosen: str | None) -> tuple[Option, ...]:
    names = found.parts if chosen is None or chosen in found.parts else (*found.parts, chosen)
    return (
        Option("", "no part of the record", chosen is None),
        *(Option(name, spoken(name), name == chosen) for name in names),
    )


def _chosen(pad: Pad, found: Pads, base: str) -> ChosenPad:
    take = pad.newest
    apart = take.found if take else None
    own = f"{base}/{pad.info.id}"
    at = f"?take={take.info.id}" if take else ""
    heard = apart is not None and bool(apart.told or apart.untold)
    comparable = heard and pad.info.part is not None
    return ChosenPad(
        pad.info.id,
        pad.info.name,
        pad.info.made_of,
        match_title(pad.info.name, apart) if apart and apart.told else pad.info.name,
        _subtitle(pad, take),
        own,
        _parts(found, pad.info.part),
        ruler_drawing(pad.record, take) if pad.record and take and heard else None,
        f"{own}/pair/record.wav{at}" if comparable else "",
        f"{own}/pair/take.wav{at}",
        tuple((f"{a.says}, by {abs(a.steps):.1f} steps", a.tries) for a in pad_advice(apart))
        if apart
        else (),
        tuple(_take(t, own) for t in pad.takes if not t.info.active and t.info.state != "failed"),
        any(t.info.active for t in pad.takes),
        tuple(
            f"{t.info.filename}: {t.info.message}" for t in pad.takes if t.info.state == "failed"
        ),
    )


def _subtitle(pad: Pad, take: Take | None) -> str:
    if take is None:
        return "No take yet. Strike it a few times as it will be played, and let it ring."
    if pad.info.part is None:
        return "It plays no part of the record, so there is nothing to hold it against."
    if pad.record is None:
        return "The record has no such part any more. Choose another."
    return f"Take {take.number} against the record's {spoken(pad.info.part)}."


def _take(take: Take, base: str) -> TakeRow:
    values = take.target.values if take.target else {}
    told = [
        f"{said} {number(value.value, value.unit)}"
        for name, said in (("click", "starts at"), ("length", "20 dB down after"))
        for value in [values.get(name)]
        if isinstance(value, Measured)
    ]
    off = f"{take.found.apart:.1f} steps off" if take.found and take.found.told else ""
    return TakeRow(
        f"Take {take.number}",
        "; ".join([*([off] if off else []), *told]) or "nothing to measure",
        f"{base}/pair/take.wav?take={take.info.id}" if take.found else "",
    )
