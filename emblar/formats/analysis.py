"""``emblar.analysis/1``: what was found in a recording, and back to the core's dataclasses."""

from typing import Literal

import numpy as np
from pydantic import Field

from emblar.core.analysis.analyse import AnalysedHit, Analysis
from emblar.core.analysis.card import VoiceCard
from emblar.core.analysis.pitch import Track
from emblar.core.quantities import Measured, Quantity, Unknown, reason_or_none, value_or_none
from emblar.formats.drum import Strict


class SourceFile(Strict):
    """The recording."""

    duration_s: float
    sample_rate_hz: int
    channels: int


class HitFile(Strict):
    """One stroke of one voice."""

    time_s: float
    voice: str
    level_db: float
    confidence: float = Field(ge=0.0, le=1.0)
    clean: bool


class TrackFile(Strict):
    """The fundamental of one clean stroke over time."""

    time_s: list[float]
    frequency_hz: list[float]


class VoiceFile(Strict):
    """The card of one voice. A number that cannot be told is null, with a reason beside it."""

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
    reasons: dict[str, str] = Field(description="Why a number is null, by its field's name")
    tracks: list[TrackFile] = Field(default_factory=list)


class AnalysisFile(Strict):
    """Everything found in one recording."""

    schema_: Literal["emblar.analysis/1"] = Field(default="emblar.analysis/1", alias="schema")
    source: SourceFile
    hits: list[HitFile]
    voices: list[VoiceFile]


# File field, its uncertainty's field, unit: by the card's attribute.
FIELDS = {
    "onset": ("onset_hz", "onset_sd_hz", "Hz"),
    "glide_cents": ("glide_cents", "glide_sd_cents", "ct"),
    "decay": ("decay_s", "decay_sd_s", "s"),
    "length": ("length_s", "length_sd_s", "s"),
    "attack": ("attack_db", "attack_sd_db", "dB"),
    "click": ("click_hz", "click_sd_hz", "Hz"),
    "body": ("body_db", "body_sd_db", "dB"),
    "ring": ("ring_db", "ring_sd_db", "dB"),
    "ring_ratio": ("ring_ratio", "ring_ratio_sd", "×"),
    "wires": ("wires_db", "wires_sd_db", "dB"),
    "level": ("level_db", "level_sd_db", "dB"),
}
SHORTEST_TRACK = 3


def voice_file(card: VoiceCard) -> VoiceFile:
    """Return one card as written to a file."""
    values: dict[str, float | None] = {"fundamental_hz": value_or_none(card.fundamental)}
    reasons = {}
    if isinstance(card.fundamental, Unknown):
        reasons["fundamental_hz"] = card.fundamental.reason
    for name, (field, sd_field, _) in FIELDS.items():
        quantity: Quantity = getattr(card, name)
        values[field] = value_or_none(quantity)
        values[sd_field] = quantity.sd if isinstance(quantity, Measured) else None
        why = reason_or_none(quantity)
        if why is not None:
            reasons[field] = why
    return VoiceFile(
        voice=card.voice,
        hits=card.hits,
        clean_hits=card.clean_hits,
        fundamental_sd_cents=card.fundamental_sd_cents,
        fundamental_spread_cents=card.fundamental_spread_cents,
        reasons=reasons,
        tracks=[
            TrackFile(time_s=_rounded(t.time_s, 4), frequency_hz=_rounded(t.frequency_hz, 3))
            for t in card.tracks
            if len(t.time_s) >= SHORTEST_TRACK
        ],
        **values,
    )


def _rounded(array: np.ndarray, digits: int) -> list[float]:
    return [float(v) for v in np.round(array, digits)]


def analysis_file(analysis: Analysis) -> AnalysisFile:
    """Return an analysis as written to a file."""
    return AnalysisFile(
        source=SourceFile(
            duration_s=analysis.duration_s,
            sample_rate_hz=analysis.sample_rate_hz,
            channels=analysis.channels,
        ),
        hits=[
            HitFile(
                time_s=round(h.time_s, 5),
                voice=h.voice,
                level_db=round(h.level_db, 2),
                confidence=round(h.confidence, 3),
                clean=h.clean,
            )
            for h in analysis.hits
        ],
        voices=[voice_file(card) for card in analysis.voices],
    )


def card_from_file(voice: VoiceFile) -> VoiceCard:
    """Return a card as it was before it was written."""
    quantities: dict[str, Quantity] = {}
    for name, (field, sd_field, unit) in FIELDS.items():
        value, sd = getattr(voice, field), getattr(voice, sd_field)
        if value is None:
            quantities[name] = Unknown(voice.reasons.get(field, "not told"))
        else:
            quantities[name] = Measured(value, sd or 0.0, unit)
    fundamental: Quantity = Unknown(voice.reasons.get("fundamental_hz", "not told"))
    if voice.fundamental_hz is not None:
        sd_hz = voice.fundamental_hz * (2.0 ** ((voice.fundamental_sd_cents or 0.0) / 1200.0) - 1.0)
        fundamental = Measured(voice.fundamental_hz, sd_hz, "Hz")
    empty = np.zeros(0)
    return VoiceCard(
        voice=voice.voice,
        hits=voice.hits,
        clean_hits=voice.clean_hits,
        fundamental=fundamental,
        fundamental_sd_cents=voice.fundamental_sd_cents,
        fundamental_spread_cents=voice.fundamental_spread_cents,
        tracks=tuple(
            Track(np.array(t.time_s), np.array(t.frequency_hz), empty) for t in voice.tracks
        ),
        **quantities,
    )


def hits_from_file(file: AnalysisFile) -> list[AnalysedHit]:
    """Return the hits as they were before they were written."""
    return [AnalysedHit(h.time_s, h.voice, h.level_db, h.confidence, h.clean) for h in file.hits]
