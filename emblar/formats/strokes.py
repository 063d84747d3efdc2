"""Strokes and cards in files that others read: Standard MIDI File, CSV, JAMS.

Conventions
-----------
Note numbers are those of General MIDI's percussion map; toms take its six toms from high to low.
The file has the song's tempo where it is known, else 120 beats a minute; a tick is a 960th of a
beat, so that times are kept to a millisecond. Velocity follows level, each drum by itself: its
usual stroke is ``USUAL``, so that no drum drowns another.
"""

import io
import json
from statistics import median

import mido

from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.quantities.registry import registry
from emblar.core.voices import VoiceName
from emblar.formats.analysis import AnalysisFile
from emblar.formats.csv_text import csv_text

TICKS_PER_BEAT = 960
USUAL_BPM = 120.0
NOTE_TICKS = 96
DRUM_CHANNEL = 9
NOTES = {"kick": 36, "snare": 38, "hat": 42, "cymbal": 49}
TOM_NOTES = (50, 48, 47, 45, 43, 41)
JAMS_VERSION = "0.3.5"
USUAL = 96.0
VELOCITY_PER_DB = 2.4


def note_of(voice: str) -> int:
    """Return the note number of a voice."""
    tom = VoiceName(voice).number
    if tom is not None:
        return TOM_NOTES[min(tom, len(TOM_NOTES)) - 1]
    return NOTES[voice]


def _velocity(hit: AnalysedHit, usual_db: float) -> int:
    return min(max(round(USUAL + VELOCITY_PER_DB * (hit.level_db - usual_db)), 1), 127)


def midi_bytes(analysis: AnalysisFile, title: str, tempo_bpm: float | None = None) -> bytes:
    """Return the strokes as a Standard MIDI File of type 0, at the song's tempo if given."""
    bpm = tempo_bpm or USUAL_BPM
    ticks_per_s = TICKS_PER_BEAT * bpm / 60.0
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=title))
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm)))
    levels: dict[str, list[float]] = {}
    for hit in analysis.hits:
        levels.setdefault(hit.voice, []).append(hit.level_db)
    usual = {voice: median(rows) for voice, rows in levels.items()}
    moves = []
    for hit in analysis.hits:
        start, note = round(hit.time_s * ticks_per_s), note_of(hit.voice)
        moves.append((start, "note_on", note, _velocity(hit, usual[hit.voice])))
        moves.append((start + NOTE_TICKS, "note_off", note, 0))
    current = 0
    for tick, kind, note, velocity in sorted(moves):
        track.append(
            mido.Message(
                kind, channel=DRUM_CHANNEL, note=note, velocity=velocity, time=tick - current
            )
        )
        current = tick
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_BEAT, charset="utf-8")
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def strokes_csv(analysis: AnalysisFile) -> str:
    """Return the strokes as CSV, one row each."""
    head = ["time_s", "voice", "level_db", "confidence", "clean"]
    hits = ([h.time_s, h.voice, h.level_db, h.confidence, int(h.clean)] for h in analysis.hits)
    return csv_text([head, *hits])


def card_csv(analysis: AnalysisFile) -> str:
    """Return the cards as CSV: one row per drum and quantity; no number, then the reason.

    Quantities are called as on the screen.
    """
    rows: list[list[object]] = [["drum", "quantity", "value", "unit", "sd", "sd unit", "reason"]]
    for voice in analysis.voices:
        drum = voice.voice.replace("-", " ")
        for entry in registry().values():
            value, sd = getattr(voice, entry.field), getattr(voice, entry.sd_field)
            if value is None:
                why = voice.reasons.get(entry.field, "not told")
                rows.append([drum, entry.shown, "", "", "", "", why])
            else:
                row = [value, entry.unit, sd if sd is not None else "", entry.sd_unit, ""]
                rows.append([drum, entry.shown, *row])
    return csv_text(rows)


def strokes_jams(analysis: AnalysisFile, title: str) -> str:
    """Return the strokes as JAMS: per voice an onset annotation, level as its value."""
    voices = sorted({h.voice for h in analysis.hits})
    file = {
        "annotations": [_annotation(analysis, voice) for voice in voices],
        "file_metadata": {
            "title": title,
            "artist": "",
            "release": "",
            "identifiers": {},
            "duration": analysis.source.duration_s,
            "jams_version": JAMS_VERSION,
        },
        "sandbox": {},
    }
    return json.dumps(file, indent=1)


def _annotation(analysis: AnalysisFile, voice: str) -> dict[str, object]:
    texts = ("version", "corpus", "annotation_tools", "annotation_rules", "validation")
    about: dict[str, object] = dict.fromkeys((*texts, "data_source"), "")
    about |= {"curator": {"name": "", "email": ""}, "annotator": {}}
    return {
        "namespace": "onset",
        "annotation_metadata": about,
        "time": 0.0,
        "duration": analysis.source.duration_s,
        "data": [
            {"time": h.time_s, "duration": 0.0, "value": h.level_db, "confidence": h.confidence}
            for h in analysis.hits
            if h.voice == voice
        ],
        "sandbox": {"voice": voice},
    }
