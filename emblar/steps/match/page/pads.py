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
class PadLine:
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
    rows: tuple[PadLine, ...]
    record: tuple[PartRow, ...]
    chosen: ChosenPad | None
    parts: tuple[Option, ...]
    base: str
    match: str


def pads_page(pads: Pads, around: Frame, pad_id: int | None = None) -> PadsPage:
    """Return the page; the newest pad is shown if none is asked for."""
    base = f"/sessions/{around.session.id}/match/pads"
    shown = next((row for row in pads.rows if row.info.id == pad_id), None)
    shown = shown or (pads.rows[-1] if pads.rows else None)
    return PadsPage(
        _lead(pads),
        tuple(_row(row, base, row is shown) for row in pads.rows),
        _record(pads),
        _chosen(shown, pads, base) if shown else None,
        _parts(pads, None),
        base,
        f"/sessions/{around.session.id}/match?sel={around.selection}",
    )


def _lead(pads: Pads) -> str:
    if not pads.rows:
        return (
            "A cymbal, two stacked cymbals, a drum with something on it: each combination is one "
            "pad with its own takes."
        )
    available = sum(
        1
        for row in pads.rows
        if row.newest and row.newest.comparison and not row.newest.comparison.audible
    )
    return f"{available} of {len(pads.rows)} {'is' if available == 1 else 'are'} there."


def _record(pads: Pads) -> tuple[PartRow, ...]:
    if pads.analysed is None:
        return ()
    rows = []
    for card in pads.analysed.analysis.voices:
        if card.voice not in ("hat", "cymbal"):
            continue
        known = []
        if card.click_hz:
            known.append(f"starts at {number(card.click_hz, 'Hz')}")
        if card.length_s:
            known.append(f"20 dB down after {number(card.length_s, 's')}")
        strokes = counted(card.hits, "stroke")
        says = ", ".join(known) or "too much else sounds with every stroke to tell its brightness"
        rows.append(PartRow(spoken(card.voice), f"{strokes}; {says}.", what_to_bring(card.voice)))
    return tuple(rows)


def _row(pad: Pad, base: str, chosen: bool) -> PadLine:
    take = pad.newest
    if any(t.info.active for t in pad.takes):
        says = "measuring"
    elif take is None:
        says = "no take yet"
    elif take.comparison is None:
        says = "no part to compare with"
    elif not take.comparison.differences:
        says = "nothing can be compared"
    else:
        says = f"{take.comparison.apart:.1f} steps off" if take.comparison.audible else "there"
    part = spoken(pad.info.part) if pad.info.part else "no part"
    return PadLine(f"{base}?pad={pad.info.id}", pad.info.name, part, says, chosen)


def _parts(pads: Pads, chosen: str | None) -> tuple[Option, ...]:
    names = pads.parts if chosen is None or chosen in pads.parts else (*pads.parts, chosen)
    return (
        Option("", "no part of the record", chosen is None),
        *(Option(name, spoken(name), name == chosen) for name in names),
    )


def _chosen(pad: Pad, pads: Pads, base: str) -> ChosenPad:
    take = pad.newest
    apart = take.comparison if take else None
    address = f"{base}/{pad.info.id}"
    position = f"?take={take.info.id}" if take else ""
    lines = apart is not None and bool(apart.differences or apart.untold)
    comparable = lines and pad.info.part is not None
    return ChosenPad(
        pad.info.id,
        pad.info.name,
        pad.info.made_of,
        match_title(pad.info.name, apart) if apart and apart.differences else pad.info.name,
        _subtitle(pad, take),
        address,
        _parts(pads, pad.info.part),
        ruler_drawing(pad.record, take) if pad.record and take and lines else None,
        f"{address}/pair/record.wav{position}" if comparable else "",
        f"{address}/pair/take.wav{position}",
        tuple((f"{a.says}, by {abs(a.steps):.1f} steps", a.tries) for a in pad_advice(apart))
        if apart
        else (),
        tuple(
            _take(t, address) for t in pad.takes if not t.info.active and t.info.state != "failed"
        ),
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
    known = [
        f"{text} {number(value.value, value.unit)}"
        for name, text in (("click", "starts at"), ("length", "20 dB down after"))
        for value in [values.get(name)]
        if isinstance(value, Measured)
    ]
    off = (
        f"{take.comparison.apart:.1f} steps off"
        if take.comparison and take.comparison.differences
        else ""
    )
    return TakeRow(
        f"Take {take.number}",
        "; ".join([*([off] if off else []), *known]) or "nothing to measure",
        f"{base}/pair/take.wav?take={take.info.id}" if take.comparison else "",
    )
