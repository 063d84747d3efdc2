import csv
import io
import warnings

import mido
import pytest

from emblar.core.analysis.pipeline import Analysis
from emblar.formats.analysis import AnalysisFile, analysis_file
from emblar.formats.strokes import card_csv, midi_bytes, note_of, strokes_csv, strokes_jams


@pytest.fixture(scope="module")
def file(song_analysis: Analysis) -> AnalysisFile:
    return analysis_file(song_analysis)


def test_midi_holds_every_stroke_to_half_a_millisecond(file: AnalysisFile) -> None:
    played = []
    now = 0.0
    for message in mido.MidiFile(file=io.BytesIO(midi_bytes(file, "Low Ferry"))):
        now += message.time
        if message.type == "note_on":
            played.append((now, message.note, message.velocity))
    wanted = sorted((h.time_s, note_of(h.voice)) for h in file.hits)
    assert len(played) == len(wanted)
    for (time, note, velocity), (true_time, true_note) in zip(sorted(played), wanted, strict=True):
        assert abs(time - true_time) <= 0.0006
        assert 1 <= velocity <= 127
        assert note in {n for t, n in wanted if abs(t - true_time) < 0.002} | {true_note}


def test_midi_takes_a_title_in_any_letters(file: AnalysisFile) -> None:
    made = mido.MidiFile(file=io.BytesIO(midi_bytes(file, "Déjà – 雨 \u0085")), charset="utf-8")
    assert made.tracks[0][0].name == "Déjà – 雨 \u0085"


@pytest.mark.parametrize("bpm", [72.0, 120.0, 184.0])
def test_midi_has_the_songs_tempo_and_its_strokes_stay_in_time(
    file: AnalysisFile, bpm: float
) -> None:
    made = mido.MidiFile(file=io.BytesIO(midi_bytes(file, "Low Ferry", bpm)))
    tempo = next(m.tempo for m in made.tracks[0] if m.type == "set_tempo")
    assert mido.tempo2bpm(tempo) == pytest.approx(bpm, abs=0.01)
    now, first = 0.0, None
    for message in made:
        now += message.time
        if message.type == "note_on" and first is None:
            first = now
    assert first == pytest.approx(min(h.time_s for h in file.hits), abs=0.001)


def test_no_drum_drowns_another_in_midi(file: AnalysisFile) -> None:
    played: dict[int, list[int]] = {}
    for message in mido.MidiFile(file=io.BytesIO(midi_bytes(file, "Low Ferry"))):
        if message.type == "note_on":
            played.setdefault(message.note, []).append(message.velocity)
    usual = [sorted(v)[len(v) // 2] for v in played.values()]
    assert max(usual) - min(usual) <= 3
    assert min(min(v) for v in played.values()) < 80, "soft strokes are soft"


def test_the_cards_csv_calls_things_as_the_screen_does(file: AnalysisFile) -> None:
    rows = list(csv.DictReader(io.StringIO(card_csv(file))))
    screen = {"pitch", "bend", "sustain", "length", "attack", "click", "body", "ring", "wires"}
    assert screen <= {r["quantity"] for r in rows}
    assert "tom 1" in {r["drum"] for r in rows}
    pitch = next(r for r in rows if (r["drum"], r["quantity"]) == ("kick", "pitch"))
    assert (pitch["unit"], pitch["sd unit"]) == ("Hz", "ct")
    told = next(v for v in file.voices if v.voice == "kick")
    assert float(pitch["value"]) == told.fundamental_hz


def test_toms_get_notes_from_high_to_low() -> None:
    notes = [note_of(f"tom-{i}") for i in range(1, 10)]
    assert notes[:6] == sorted(notes[:6], reverse=True)
    assert notes[6:] == [notes[5]] * 3


def test_csv_of_strokes_reads_back(file: AnalysisFile) -> None:
    rows = list(csv.DictReader(io.StringIO(strokes_csv(file))))
    assert [(float(r["time_s"]), r["voice"]) for r in rows] == [
        (h.time_s, h.voice) for h in file.hits
    ]


def test_csv_of_cards_gives_a_number_or_a_reason(file: AnalysisFile) -> None:
    for row in csv.DictReader(io.StringIO(card_csv(file))):
        assert bool(row["value"]) != bool(row["reason"]), row


def test_jams_is_valid_and_holds_the_strokes(file: AnalysisFile) -> None:
    with warnings.catch_warnings():
        # The validator that jams calls warns of its own future.
        warnings.simplefilter("ignore", DeprecationWarning)
        import jams  # noqa: PLC0415

        read = jams.load(io.StringIO(strokes_jams(file, "Low Ferry")), fmt="jams")
    kicks = next(a for a in read.annotations if a.sandbox.voice == "kick")
    assert len(kicks.data) == sum(h.voice == "kick" for h in file.hits)
