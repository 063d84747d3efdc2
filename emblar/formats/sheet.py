"""``emblar.sheet/1``: the setup sheet of a kit, as JSON and CSV."""

from typing import Literal

from pydantic import Field

from emblar.formats.codec import Strict
from emblar.formats.csv_text import csv_text
from emblar.formats.drum import LimitFile


class SheetHead(Strict):
    """One head on the sheet."""

    construction: str
    film: str
    lug_hz: float
    lug_note: str
    tension_n_per_m: float
    on_drum_now: bool


class SheetDrum(Strict):
    """One drum on the sheet: everything the tech needs at the drum."""

    name: str
    kind: Literal["kick", "snare", "tom"]
    size: str
    rods: int
    hoop: str
    shell: str
    voice: str
    batter: SheetHead
    reso: SheetHead | None
    port_in: float | None
    cut: bool = False
    """Whether the port has to be cut first."""
    microphone: str = ""
    dampers: list[str]
    struck_with: str = ""
    wires: str = ""
    minutes: float | None = None
    relation_semitones: float
    drum_pitch_hz: float
    drum_pitch_note: str
    drum_pitch_sd_cents: float
    drum_pitch_sd_turns: float = 0.0
    """The same as turns of every rod of the batter."""
    record_pitch_hz: float | None
    record_pitch_sd_cents: float | None
    sustain_s: float
    sustain_sd_s: float
    record_sustain_s: float | None
    limits: list[LimitFile]
    cautions: list[str]
    to_buy: list[str] = Field(default_factory=list)


class WorkStep(Strict):
    """One drum in the order of work: what is done on it, how long, and when it is done."""

    drum: str
    what: str
    minutes: float
    until_minutes: float


class SheetFile(Strict):
    """The setup sheet of one kit."""

    schema_: Literal["emblar.sheet/1"] = Field(default="emblar.sheet/1", alias="schema")
    session: str
    artist: str
    song: str
    plan_version: int
    drums: list[SheetDrum]
    unplanned: list[str]
    cymbals: list[str]
    microphones: str = ""
    """What the brief says of microphones."""
    minutes: float | None = None
    available_minutes: float | None = Field(
        default=None, description="time until it must be done times people at work, if said"
    )
    order: list[WorkStep] = Field(default_factory=list)
    """The order of work of one person."""
    shopping: list[str] = Field(default_factory=list)
    packing: list[str] = Field(default_factory=list)
    warnings: list[str] = Field(default_factory=list)
    """Cautions that concern several drums together."""


CSV_HEADER = [
    "drum",
    "kind",
    "size",
    "rods",
    "voice",
    "batter",
    "batter_lug_hz",
    "reso",
    "reso_lug_hz",
    "relation_semitones",
    "port_in",
    "dampers",
    "drum_pitch_hz",
    "drum_pitch_note",
    "drum_pitch_sd_cents",
    "record_pitch_hz",
    "sustain_s",
    "limits",
    "struck_with",
    "wires",
    "minutes",
    "microphone",
    "to_buy",
    "cautions",
]


def sheet_csv(sheet: SheetFile) -> str:
    """Return the sheet as CSV, one row a drum."""
    rows: list[list[object]] = [list(CSV_HEADER)]
    for drum in sheet.drums:
        reso = drum.reso
        row: list[object] = [
            drum.name,
            drum.kind,
            drum.size,
            drum.rods,
            drum.voice,
            drum.batter.construction,
            _number(drum.batter.lug_hz),
            reso.construction if reso else "",
            _number(reso.lug_hz if reso else None),
            f"{drum.relation_semitones:g}",
            f"{drum.port_in:g}" if drum.port_in else "",
            "; ".join(drum.dampers),
            _number(drum.drum_pitch_hz),
            drum.drum_pitch_note,
            f"{drum.drum_pitch_sd_cents:.0f}",
            _number(drum.record_pitch_hz),
            f"{drum.sustain_s:.2f}",
            "; ".join(limit.text for limit in drum.limits),
            drum.struck_with,
            drum.wires,
            "" if drum.minutes is None else f"{drum.minutes:.0f}",
            drum.microphone,
            "; ".join(drum.to_buy),
            " ".join(drum.cautions),
        ]
        rows.append(row)
    return csv_text(rows)


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:.1f}"
