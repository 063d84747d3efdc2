"""``emblar.analysis/1``: what was found in a recording, and back to the core's dataclasses."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any, Literal

import numpy as np
from pydantic import Field, TypeAdapter

from emblar.core.analysis.card.clean import AnalysedHit, mark_clean
from emblar.core.analysis.corrections import Edit
from emblar.core.analysis.pipeline import Analysis
from emblar.core.notes import spread_hz
from emblar.core.quantities import Measured, Quantity, Unknown, reason_or_none, value_or_none
from emblar.core.quantities.card import Alternative, Card, Part, Ring, Track, blank_card
from emblar.core.quantities.registry import registry
from emblar.core.voices import voice_order
from emblar.formats.codec import Strict, publish
from emblar.formats.stored import lenient

publish(Alternative, AnalysedHit, Measured, Part)


class SourceFile(Strict):
    """The recording."""

    duration_s: float
    sample_rate_hz: int
    channels: int


class TrackFile(Strict):
    """The fundamental of one clean stroke over time."""

    time_s: list[float]
    frequency_hz: list[float]
    level_db: list[float] = Field(
        default_factory=list, description="dB re the stroke's own highest value"
    )


class RingFile(Strict):
    """One overtone group."""

    ratio: float = Field(description="frequency over the fundamental's")
    level_db: float = Field(description="energy re the fundamental's")
    level_sd_db: float
    t60_s: float | None
    mode: str = Field(default="", description="the film mode whose ratio fits, or empty")


class VoiceFile(Strict):
    """The card of one voice. A number that cannot be told is null, with a reason next to it."""

    voice: str
    hits: int
    clean_hits: int
    fundamental_hz: float | None
    fundamental_sd_cents: float | None
    fundamental_spread_cents: float | None
    onset_hz: float | None
    onset_sd_hz: float | None
    glide_cents: float | None
    glide_sd_cents: float | None
    decay_s: float | None
    decay_sd_s: float | None
    length_s: float | None
    length_sd_s: float | None
    attack_db: float | None
    attack_sd_db: float | None
    click_hz: float | None
    click_sd_hz: float | None
    body_db: float | None
    body_sd_db: float | None
    ring_db: float | None
    ring_sd_db: float | None
    ring_ratio: float | None
    ring_ratio_sd: float | None
    wires_db: float | None
    wires_sd_db: float | None
    level_db: float | None
    level_sd_db: float | None
    ring_decay_s: float | None = None
    ring_decay_sd_s: float | None = None
    wires_decay_s: float | None = None
    wires_decay_sd_s: float | None = None
    room_db: float | None = Field(default=None, description="energy of the second slope, dB")
    room_sd_db: float | None = None
    dynamics_attack_db: float | None = Field(default=None, description="per 10 dB of level")
    dynamics_attack_sd_db: float | None = None
    dynamics_pitch_cents: float | None = Field(default=None, description="per 10 dB of level")
    dynamics_pitch_sd_cents: float | None = None
    alternatives: list[Alternative] = Field(default_factory=list)
    pitch_chosen: bool = Field(
        default=False, description="whether a person said which reading of the pitch it is"
    )
    ring_modes: list[RingFile] = Field(default_factory=list)
    reasons: dict[str, str] = Field(description="Why a number is null, by its field's name")
    tracks: list[TrackFile] = Field(default_factory=list)
    origins: dict[str, str] = Field(
        default_factory=dict,
        description="where a number comes from, by its field, if not from this recording alone",
    )
    soft: Part | None = Field(default=None, description="where soft and loud can be parted")
    loud: Part | None = None


class DecidedFile(Strict):
    """What the analysis decided about the recording; corrections keep to it."""

    mix: bool = Field(description="whether other instruments play on between the strokes")
    begins: int = Field(description="first sample listened to, at 44.1 kHz")
    clipped: float = Field(
        default=0.0, ge=0.0, le=1.0, description="share of its strokes' first 50 ms cut flat"
    )
    of: Literal["recording", "drums"] = Field(
        default="recording", description="what was measured: the recording, or its drums alone"
    )


class AnalysisFile(Strict):
    """Everything found in one recording."""

    schema_: Literal["emblar.analysis/1"] = Field(default="emblar.analysis/1", alias="schema")
    source: SourceFile
    hits: list[AnalysedHit]
    voices: list[VoiceFile]
    decided: DecidedFile | None = Field(default=None, description="missing in files of before")
    measuring: list[str] = Field(
        default_factory=list,
        description="voices corrected since they were measured: their numbers are from before",
    )


SHORTEST_TRACK = 3
HITS = TypeAdapter(tuple[AnalysedHit, ...])


def voice_file(card: Card, origins: Mapping[str, str] | None = None) -> VoiceFile:
    """Return one card as written to a file; ``origins`` by the card's quantities."""
    values: dict[str, float | None] = {}
    reasons = {}
    for name, entry in registry().items():
        quantity = card[name]
        values[entry.sd_field] = quantity.sd if isinstance(quantity, Measured) else None
        values[entry.field] = value_or_none(quantity)
        why = reason_or_none(quantity)
        if why is not None:
            reasons[entry.field] = why
    values["fundamental_sd_cents"] = card.pitch_sd_cents
    return VoiceFile(
        voice=card.voice,
        hits=card.hits,
        clean_hits=card.clean_hits,
        fundamental_spread_cents=card.pitch_spread_cents,
        reasons=reasons,
        pitch_chosen=card.pitch_chosen,
        origins={registry()[name].field: text for name, text in (origins or {}).items()},
        alternatives=[
            Alternative(round(a.frequency_hz, 3), round(a.level_db, 2)) for a in card.alternatives
        ],
        ring_modes=[
            RingFile(
                ratio=round(r.ratio, 4),
                level_db=round(r.level_db, 2),
                level_sd_db=round(r.level_sd_db, 2),
                t60_s=r.t60_s,
                mode=r.mode,
            )
            for r in card.ring_modes
        ],
        tracks=[
            TrackFile(
                time_s=_rounded(t.time_s, 4),
                frequency_hz=_rounded(t.frequency_hz, 3),
                level_db=_rounded(_track_level_db(t), 2),
            )
            for t in card.tracks
            if len(t.time_s) >= SHORTEST_TRACK
        ],
        soft=_rounded_part(card.parts[0]) if card.parts else None,
        loud=_rounded_part(card.parts[1]) if card.parts else None,
        **values,
    )


def _rounded_part(part: Part) -> Part:
    values = {
        name: Measured(round(q.value, 4), round(q.sd, 4), q.unit) for name, q in part.values.items()
    }
    return Part(part.strokes, round(part.level_db, 2), values)


def _track_level_db(track: Track) -> np.ndarray:
    if len(track.amplitude) == 0:
        return track.amplitude
    return np.asarray(20.0 * np.log10(track.amplitude / track.amplitude.max() + 1e-6))


def _rounded(array: np.ndarray, digits: int) -> list[float]:
    return [float(v) for v in np.round(array, digits)]


def rounded_hit(hit: AnalysedHit) -> AnalysedHit:
    """Return a stroke as exactly as it is kept: times to 10 µs."""
    return replace(
        hit,
        time_s=round(hit.time_s, 5),
        level_db=round(hit.level_db, 2),
        confidence=round(hit.confidence, 3),
    )


def edit_document(edit: Edit) -> dict[str, Any]:
    """Return a correction as kept."""
    return {
        "says": edit.says,
        "removed": [asdict(rounded_hit(h)) for h in edit.removed],
        "added": [asdict(rounded_hit(h)) for h in edit.added],
        "renamed": [list(pair) for pair in edit.renamed],
    }


def edit_from_document(document: Mapping[str, Any]) -> Edit:
    """Return a correction as it was made."""
    renamed = tuple((old, new) for old, new in document["renamed"])
    removed, added = (HITS.validate_python(document[name]) for name in ("removed", "added"))
    return Edit(str(document["says"]), removed, added, renamed)


def unmeasured_file(voice: str) -> VoiceFile:
    """Return the card of a voice that is not measured yet."""
    return voice_file(blank_card(voice, "it is being measured"))


def with_strokes(
    file: AnalysisFile,
    hits: Sequence[AnalysedHit],
    touched: set[str],
    regions_s: Sequence[tuple[float, float]] = (),
) -> AnalysisFile:
    """Return an analysis with other strokes; the cards of the voices touched are to follow.

    Parameters
    ----------
    file, hits
        The analysis, and all its strokes now.
    touched
        The voices whose numbers are from before.
    regions_s
        If given, only strokes inside one of these stretches (start, stop) are fit for measuring.
    """
    marked = mark_clean(hits, file.source.duration_s, regions_s)
    present = {h.voice for h in marked}
    cards = {v.voice: v for v in file.voices}
    shown = []
    for name in sorted(present, key=voice_order):
        card = cards.get(name) or unmeasured_file(name)
        if name in touched:
            count = sum(h.voice == name for h in marked)
            card = card.model_copy(update={"hits": count})
        shown.append(card)
    return file.model_copy(
        update={
            "hits": [rounded_hit(h) for h in marked],
            "voices": shown,
            "measuring": sorted((touched | set(file.measuring)) & present),
        }
    )


def analysis_file(analysis: Analysis) -> AnalysisFile:
    """Return an analysis as written to a file."""
    return AnalysisFile(
        source=SourceFile(
            duration_s=analysis.duration_s,
            sample_rate_hz=analysis.sample_rate_hz,
            channels=analysis.channels,
        ),
        hits=[rounded_hit(h) for h in analysis.hits],
        voices=[voice_file(card) for card in analysis.voices],
        decided=DecidedFile(mix=analysis.mix, begins=analysis.begins, clipped=analysis.clipped),
    )


def analysis_from_document(document: Mapping[str, Any]) -> AnalysisFile:
    """Return a stored analysis, read leniently: what it does not know is left out.

    Raises
    ------
    DocumentError
        It lacks what no analysis does without; the recording has to be analysed again.
    """
    return lenient(AnalysisFile, document, "This recording's analysis")


def card_from_file(voice: VoiceFile) -> Card:
    """Return a card as it was before it was written."""
    quantities: dict[str, Quantity] = {}
    for name, entry in registry().items():
        value, sd = getattr(voice, entry.field), getattr(voice, entry.sd_field)
        if value is None:
            quantities[name] = Unknown(voice.reasons.get(entry.field, "not told"))
        elif name == "pitch":
            quantities[name] = Measured(value, spread_hz(value, sd or 0.0), entry.unit)
        else:
            quantities[name] = Measured(value, sd or 0.0, entry.unit)
    return Card(
        voice=voice.voice,
        hits=voice.hits,
        clean_hits=voice.clean_hits,
        quantities=quantities,
        pitch_sd_cents=voice.fundamental_sd_cents,
        pitch_spread_cents=voice.fundamental_spread_cents,
        tracks=tuple(
            Track(np.array(t.time_s), np.array(t.frequency_hz), 10 ** (np.array(t.level_db) / 20))
            for t in voice.tracks
        ),
        alternatives=tuple(voice.alternatives),
        ring_modes=tuple(
            Ring(r.ratio, r.level_db, r.level_sd_db, r.t60_s) for r in voice.ring_modes
        ),
        pitch_chosen=voice.pitch_chosen,
        parts=(voice.soft, voice.loud) if voice.soft and voice.loud else None,
    )
