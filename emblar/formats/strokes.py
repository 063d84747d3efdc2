"""Strokes and cards in files that others read: Standard MIDI File, CSV, JAMS.

Conventions
-----------
Note numbers are those of General MIDI's percussion map; toms take its six toms from high to low.
One tick is a 960th of half a second (120 beats a minute), so that times are kept to half a
millisecond. Velocity follows level: 127 at a voice's loudest, 40 dB below it 1.
"""

import csv
import io
import json

import mido

from emblar.formats.analysis import FIELDS, AnalysisFile, HitFile

TICKS_PER_BEAT = 960
TICKS_PER_S = 2 * TICKS_PER_BEAT
NOTE_TICKS = 96
DRUM_CHANNEL = 9
NOTES = {"kick": 36, "snare": 38, "hat": 42, "cymbal": 49}
TOM_NOTES = (50, 48, 47, 45, 43, 41)
RANGE_DB = 40.0


def note_of(voice: str) -> int:
    """Return the note number of a voice."""
    if voice.startswith("tom-"):
        return TOM_NOTES[min(int(voice[4:]), len(TOM_NOTES)) - 1]
    return NOTES[voice]


def _velocity(hit: HitFile, loudest_db: float) -> int:
    share = 1.0 + (hit.level_db - loudest_db) / RANGE_DB
    return min(max(round(127 * share), 1), 127)


def midi_bytes(analysis: AnalysisFile, title: str) -> bytes:
    """Return the strokes as a Standard MIDI File of type 0."""
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=title))
    track.append(mido.MetaMessage("set_tempo", tempo=500_000))
    loudest: dict[str, float] = {}
    for hit in analysis.hits:
        loudest[hit.voice] = max(loudest.get(hit.voice, -300.0), hit.level_db)
    moves = []
    for hit in analysis.hits:
        start, note = round(hit.time_s * TICKS_PER_S), note_of(hit.voice)
        moves.append((start, "note_on", note, _velocity(hit, loudest[hit.voice])))
        moves.append((start + NOTE_TICKS, "note_off", note, 0))
    now = 0
    for tick, kind, note, velocity in sorted(moves):
        track.append(
            mido.Message(kind, channel=DRUM_CHANNEL, note=note, velocity=velocity, time=tick - now)
        )
        now = tick
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_BEAT)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def strokes_csv(analysis: AnalysisFile) -> str:
    """Return the strokes as CSV, one row each."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["time_s", "voice", "level_db", "confidence", "clean"])
    for hit in analysis.hits:
        writer.writerow([hit.time_s, hit.voice, hit.level_db, hit.confidence, int(hit.clean)])
    return out.getvalue()


def card_csv(analysis: AnalysisFile) -> str:
    """Return the cards as CSV: one row per voice and quantity; no number, then the reason."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["voice", "quantity", "value", "sd", "reason"])
    for voice in analysis.voices:
        # A pitch's uncertainty is in cents.
        fields = [
            ("fundamental_hz", "fundamental_sd_cents"),
            *((f, sd) for f, sd, _ in FIELDS.values()),
        ]
        for field, sd_field in fields:
            value, sd = getattr(voice, field), getattr(voice, sd_field)
            reason = "" if value is not None else voice.reasons.get(field, "")
            told = ["" if number is None else number for number in (value, sd)]
            writer.writerow([voice.voice, field, *told, reason])
    return out.getvalue()


def strokes_jams(analysis: AnalysisFile, title: str) -> str:
    """Return the strokes as JAMS: per voice an onset annotation, level as its value."""
    import jams  # noqa: PLC0415  (slow to load, and only this needs it)

    file = jams.JAMS()
    file.file_metadata.duration = analysis.source.duration_s
    file.file_metadata.title = title
    for voice in sorted({h.voice for h in analysis.hits}):
        annotation = jams.Annotation("onset", time=0, duration=analysis.source.duration_s)
        annotation.sandbox.voice = voice
        for hit in analysis.hits:
            if hit.voice == voice:
                annotation.append(
                    time=hit.time_s, duration=0.0, value=hit.level_db, confidence=hit.confidence
                )
        file.annotations.append(annotation)
    return str(json.dumps(json.loads(file.dumps()), indent=1))
