"""Sheet: the kit's drums in the order they are tuned, ready to print."""

from dataclasses import dataclass

from emblar.core.acoustics.limits import head_name
from emblar.core.naming import voice_title
from emblar.core.notes import spread_hz
from emblar.core.planning.cautions import HEARING
from emblar.core.planning.sentence import relation_words
from emblar.formats.sheet import SheetDrum, SheetFile, SheetHead, WorkStep
from emblar.formats.turn_words import turn_words
from emblar.frame.words import pitch

KIND_ORDER = {"kick": 0, "snare": 1, "tom": 2}


@dataclass(frozen=True, slots=True)
class HeadLine:
    """One head on the sheet."""

    side: str
    head: str
    film: str
    lug: str
    note: str
    change: str


@dataclass(frozen=True, slots=True)
class DrumCard:
    """One drum on the sheet."""

    name: str
    size: str
    plays: str
    heads: tuple[HeadLine, ...]
    relation: str
    drum_pitch: str
    drum_sd: str
    record: str
    sustain: str
    port: str
    muffling: str
    struck: str
    microphone: str
    limits: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SheetPage:
    """Everything the sheet shows."""

    title: str
    artist: str
    version: int
    drums: tuple[DrumCard, ...]
    unplanned: tuple[str, ...]
    cymbals: tuple[str, ...]
    microphones: str
    work: str
    order: tuple[WorkStep, ...]
    shopping: tuple[str, ...]
    packing: tuple[str, ...]
    cautions: tuple[str, ...]


def sheet_page(file: SheetFile) -> SheetPage:
    """Return the sheet as printed."""
    ordered = sorted(file.drums, key=lambda d: (KIND_ORDER[d.kind], float(d.size.split()[0])))
    limits = {limit.text for drum in file.drums for limit in drum.limits}
    cautions = dict.fromkeys(c for d in file.drums for c in d.cautions if c not in limits)
    # What holds for every drum is said last.
    cautions.pop(HEARING, None)
    return SheetPage(
        file.session,
        file.artist,
        file.plan_version,
        tuple(_card(drum) for drum in ordered),
        tuple(file.unplanned),
        tuple(file.cymbals),
        file.microphones,
        _work(file),
        tuple(file.order),
        tuple(file.shopping),
        tuple(file.packing),
        tuple(dict.fromkeys([*cautions, *file.warnings, HEARING])),
    )


def _card(drum: SheetDrum) -> DrumCard:
    heads = [_head("batter", drum.batter)]
    if drum.reso is not None:
        heads.append(_head(head_name(drum.kind, "reso"), drum.reso))
    hz, sd_cents = drum.record_pitch_hz, drum.record_pitch_sd_cents
    record = pitch(hz, sd_cents) if hz else "cannot tell"
    sustain = f"{drum.sustain_s:.2f} ± {drum.sustain_sd_s:.2f} s"
    if drum.record_sustain_s is not None:
        sustain += f", record {drum.record_sustain_s:.2f} s"
    on_it_now = drum.reso is not None and drum.reso.on_drum_now
    how = "to be cut" if drum.cut else "as it is" if on_it_now else "bought with it"
    port = f"{drum.port_in:g} in, {how}" if drum.port_in else "none"
    if drum.kind == "kick" and drum.reso is None:
        port = "no front head"
    return DrumCard(
        name=drum.name,
        size=f"{drum.size}, {drum.rods} rods, {drum.hoop} hoops",
        plays=voice_title(drum.voice).lower() if drum.voice != "by hand" else "pitch by hand",
        heads=tuple(heads),
        relation=relation_words(drum.kind, drum.relation_semitones) if drum.reso else "one head",
        drum_pitch=pitch(drum.drum_pitch_hz),
        drum_sd=_doubt(drum),
        record=record,
        sustain=sustain,
        port=port if drum.kind == "kick" else "",
        muffling="; ".join(drum.dampers) or "nothing",
        struck=", ".join(t for t in (drum.struck_with, drum.wires) if t),
        microphone=drum.microphone,
        limits=tuple(limit.text for limit in drum.limits),
    )


def _doubt(drum: SheetDrum) -> str:
    """Return the plan's doubt in what a person acts on: hertz, and turns of the key."""
    hz = spread_hz(drum.drum_pitch_hz, drum.drum_pitch_sd_cents)
    turns = round(16.0 * drum.drum_pitch_sd_turns) / 16.0
    near = f" ({turn_words(turns)} turn)" if turns > 0.0 else ""
    return f"± {hz:.0f} Hz{near}"


def _head(side: str, head: SheetHead) -> HeadLine:
    return HeadLine(
        side,
        head.construction,
        head.film,
        f"{head.lug_hz:.0f} Hz",
        head.lug_note,
        "already on" if head.on_drum_now else "fit new",
    )


def _work(file: SheetFile) -> str:
    """Return how long it all takes, and by how much that is too long."""
    if not file.minutes:
        return ""
    known = f"{file.minutes:.0f} min of work for one pair of hands"
    available = file.available_minutes
    if available is None:
        return known
    over = file.minutes - available
    if over <= 0.5:
        return f"{known}; the brief leaves {available:.0f}"
    return (
        f"{known}, {over:.0f} min more than the brief leaves: get more hands, begin earlier, or "
        "compare ways in Plan for one with less work"
    )
