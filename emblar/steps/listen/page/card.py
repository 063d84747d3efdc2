"""The sound card of one voice as shown on Listen: rows, drawings, and how sure each is."""

from collections import Counter
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.analysis.card.clipping import TOLD
from emblar.core.naming import counted
from emblar.core.notes import note_text, spread_hz
from emblar.core.planning.target import readings
from emblar.core.quantities.registry import registry, steps
from emblar.core.voices import is_tom
from emblar.formats.analysis import VoiceFile, card_from_file
from emblar.frame.drawing.decay import decay
from emblar.frame.drawing.overtones import DrawnPartial, overtones
from emblar.frame.drawing.pitch_track import pitch_track
from emblar.frame.drawing.small_ruler import small_ruler
from emblar.frame.words import note, number, uncertainty
from emblar.steps.listen.actions.recordings import AnalysedRecord

SHARE_SURE = 0.5
STEADY_CENTS = 8.0
MANNERS = {
    "flam": ("{} flam stroke", "{} flam strokes"),
    "ghost": ("{} ghost note", "{} ghost notes"),
    "rimshot": ("{} rimshot", "{} rimshots"),
    "cross-stick": ("{} cross-stick", "{} cross-sticks"),
}


@dataclass(frozen=True, slots=True)
class CardRow:
    """One quantity of the card as shown."""

    name: str
    value: str
    word: str
    uncertainty: str
    why_not: str
    ruler: Markup | None = None
    origin: str = ""
    """Where the number comes from, if not from this recording alone."""


def card_rows(card: VoiceFile) -> tuple[CardRow, ...]:
    """Return the card's quantities in the order people listen."""
    words = _words(card)
    rows = []
    for name, entry in registry().items():
        if entry.note is None:
            continue
        value, sd = getattr(card, entry.field), getattr(card, entry.sd_field)
        if value is None and name == "wires" and card.voice != "snare":
            continue
        if value is None:
            why = card.reasons.get(entry.field, "not told")
            rows.append(CardRow(entry.shown, "", "", "", why))
            continue
        spread = (
            f"± {sd or 0.0:.0f} ct"
            if name == "pitch"
            else (uncertainty(sd or 0.0, value, entry.unit))
        )
        rows.append(
            CardRow(
                entry.shown,
                number(value, entry.unit, _sd(name, value, sd)),
                words.get(name) or entry.note,
                spread,
                "",
                _ruler(card, name, value, sd),
                card.origins.get(entry.field, ""),
            )
        )
    return tuple(rows)


def _words(card: VoiceFile) -> dict[str, str]:
    """Return what is said next to a number where it depends on the drum."""
    return {
        "pitch": note(card.fundamental_hz, card.fundamental_sd_cents)
        if card.fundamental_hz
        else "",
        "bend": "" if card.glide_cents is None else _bend_word(card.glide_cents),
        "ring": _ring_word(card),
        "wires": f"gone in {card.wires_decay_s:.2f} s" if card.wires_decay_s else "",
    }


def _sd(name: str, value: float, sd: float | None) -> float | None:
    """Return an uncertainty in the quantity's unit: that of the pitch is kept in cents."""
    return spread_hz(value, sd or 0.0) if name == "pitch" else sd


def _ruler(card: VoiceFile, name: str, value: float, sd: float | None) -> Markup | None:
    step = steps().get(name)
    if step is None or (step.kind == "ratio" and value <= 0.0):
        return None
    sd = _sd(name, value, sd)
    soft, loud = (
        step.apart(part.values[name].value, value) if part and name in part.values else None
        for part in (card.soft, card.loud)
    )
    return small_ruler(name, step.width(value, sd or 0.0), soft, loud)


def _ring_word(card: VoiceFile) -> str:
    if not card.ring_ratio:
        return ""
    mode = next((f" {r.mode}" for r in card.ring_modes[:1] if r.mode), "")
    lasts = f", {card.ring_decay_s:.1f} s" if card.ring_decay_s else ""
    return f"at {card.ring_ratio:.2f} ×{mode}{lasts}"


def _bend_word(bend_cents: float) -> str:
    if abs(bend_cents) < STEADY_CENTS:
        return "steady"
    return "falls" if bend_cents > 0 else "rises"


def track_drawing(card: VoiceFile | None) -> Markup | None:
    """Return the pitch over time, or None where it was not read."""
    if card is None or card.fundamental_hz is None or not card.tracks:
        return None
    sd_hz = spread_hz(card.fundamental_hz, card.fundamental_sd_cents or 0.0)
    tracks = [(t.time_s, t.frequency_hz) for t in card.tracks]
    return pitch_track(tracks, card.fundamental_hz, sd_hz)


def decay_drawing(card: VoiceFile | None) -> Markup | None:
    """Return how the note dies away, or None where it was not read."""
    curves = [(t.time_s, t.level_db) for t in card.tracks if t.level_db] if card else []
    if card is None or not curves:
        return None
    return decay(curves, card.decay_s, card.decay_sd_s)


def overtones_drawing(card: VoiceFile | None) -> Markup | None:
    """Return the partials, or None where no overtone stands out."""
    if card is None or card.fundamental_hz is None or not card.ring_modes:
        return None
    base = card.fundamental_hz
    return overtones(
        base, [DrawnPartial(r.ratio * base, r.level_db, r.t60_s, r.mode) for r in card.ring_modes]
    )


def how_sure(card: VoiceFile | None, record: AnalysedRecord) -> tuple[str, ...]:
    """Return what the numbers stand on, in sentences."""
    if card is None:
        return ()
    description = []
    if card.fundamental_hz is not None and card.fundamental_spread_cents is not None:
        description.append(
            f"Pitch from {counted(card.clean_hits, 'clean stroke')}, "
            f"{card.fundamental_spread_cents:.0f} ct apart from each other."
        )
    elif card.fundamental_hz is not None and "fundamental_hz" not in card.origins:
        description.append(_alone_or_together(card, record))
    if card.soft and card.loud:
        description.append(
            f"Soft ({card.soft.strokes}) and loud strokes ({card.loud.strokes}) apart: the short "
            "and the tall mark on each ruler."
        )
    description += _dynamics(card) + _manners(card, record)
    voice_hits = [h for h in record.analysis.hits if h.voice == card.voice]
    doubtful = sum(h.confidence < SHARE_SURE for h in voice_hits)
    if doubtful:
        description.append(
            f"{doubtful} of its {counted(len(voice_hits), 'stroke')} could belong to another drum."
        )
    decided = record.analysis.decided
    if decided is not None and decided.clipped >= TOLD:
        description.append(
            "The recording is clipped: too loud once, its tops are cut flat. Notes and sustain are "
            "not moved by that; attack, click, length and body are less sure."
        )
    if record.recording.rest_audio_id is not None:
        description.append(
            "Read from a full mix without taking the drums out first: trust it less."
        )
    return tuple(description)


@dataclass(frozen=True, slots=True)
class ReadingRow:
    """A reading of the pitch: in words, in Hz as a form sends it, whether it is planned for."""

    text: str
    hz: str
    planned: bool
    sound: str
    """Where it is played as a tone next to the record's stroke."""
    key: str
    """The key that chooses it: that of the first other one."""


def reading_rows(card: VoiceFile | None, session_id: int) -> tuple[ReadingRow, ...]:
    """Return the ways to hear a drum's pitch where there is more than one."""
    rows = readings(card_from_file(card)) if card else ()
    if len(rows) < 2:
        return ()
    return tuple(
        ReadingRow(
            f"{number(r.hz, 'Hz')} · {note_text(r.hz)}"
            + (f", {-r.level_db:.0f} dB under the loudest" if r.level_db < -0.5 else ""),
            f"{r.hz:.3f}",
            r.planned,
            f"/sessions/{session_id}/listen/reading.wav?voice={card.voice if card else ''}"
            f"&hz={r.hz:.3f}",
            "y" if place == 1 else "",
        )
        for place, r in enumerate(rows)
    )


def _alone_or_together(card: VoiceFile, record: AnalysedRecord) -> str:
    """Return what a pitch stands on that no two strokes tell by themselves."""
    together = f"Pitch from all {counted(card.hits, 'stroke')} together"
    if not card.tracks:
        return f"{together}: none could be followed by itself under what else plays."
    if record.recording.rest_audio_id is not None and is_tom(card.voice):
        return f"{together} and from one that could be followed by itself."
    return "Pitch from one clean stroke."


def _manners(card: VoiceFile, record: AnalysedRecord) -> list[str]:
    counts = Counter(h.manner for h in record.analysis.hits if h.voice == card.voice and h.manner)
    if not counts:
        return []
    words = [MANNERS[manner][count != 1].format(count) for manner, count in counts.most_common()]
    return [f"Played with {', '.join(words)}."]


def _dynamics(card: VoiceFile) -> list[str]:
    description = []
    pitch, sd = card.dynamics_pitch_cents, card.dynamics_pitch_sd_cents
    if pitch is not None and sd is not None:
        description.append(f"10 dB harder moves its pitch by {pitch:+.0f} ± {sd:.0f} ct.")
    return description
