"""What a recording says does not hang on when it starts, its sample rate or how it was coded."""

import io

import numpy as np
import pytest
import soundfile
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.analysis.card.measure import NO_NOTE, NOT_TOLD, CleanStroke, measure_voice
from emblar.core.analysis.onsets.detection import find_candidates
from emblar.core.analysis.pipeline import Analysis, analyse
from emblar.core.analysis.pitch.tracking import settled_hz, stroke_pitches
from emblar.core.analysis.signal.audio import (
    ANALYSIS_RATE_HZ,
    GRID,
    LEAD_S,
    Audio,
    begins_at,
    from_sample,
)
from emblar.core.analysis.signal.band_spectrogram import (
    HIGH_WINDOW,
    HOP,
    HOP_S,
    _transform,
    band_centres_hz,
    frames_of,
    heard_to_hz,
)
from emblar.core.analysis.signal.fractional_delay import BEFORE, aligned
from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan, low_band
from emblar.core.analysis.voices.decide import told_in_mix
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Unknown
from emblar.core.quantities.card import Track
from emblar.platform.sound.decode import decode
from training.sounds import drum

RATE = ANALYSIS_RATE_HZ
STROKES = [(kind, seed) for kind in ("kick", "snare", "tom") for seed in range(3)]
MP3_128 = 0.65


def stroke(kind: str, seed: int) -> np.ndarray:
    """Return a made-up drum struck once, with a tenth of a second before it."""
    rng = np.random.default_rng([5, seed])
    sound = drum(rng, kind)[0](0.8).astype(np.float64)
    sound *= 0.8 / np.abs(sound).max()
    return np.pad(sound, (RATE // 10, RATE // 2))


def heard(samples: np.ndarray, kind: str, rate: int = RATE) -> Analysis:
    voice = "tom-1" if kind == "tom" else kind
    return analyse(Audio(samples.reshape(len(samples), -1), rate), kind="hit", voice=voice)


def pitch(analysis: Analysis) -> float:
    told = analysis.voices[0]["pitch"]
    assert isinstance(told, Measured)
    return told.value


Lone = tuple[str, np.ndarray, Analysis]


@pytest.fixture(scope="module", params=STROKES, ids=lambda p: f"{p[0]} {p[1]}")
def lone(request: pytest.FixtureRequest) -> Lone:
    kind, seed = request.param
    sound = stroke(kind, seed)
    return kind, sound, heard(sound, kind)


@pytest.mark.parametrize("lead", [1, 137, 4410, 34279])
def test_silence_before_moves_the_stroke_by_itself_and_nothing_else(lone: Lone, lead: int) -> None:
    kind, sound, before = lone
    after = heard(np.pad(sound, (lead, 0)), kind)
    assert after.hits[0].time_s - before.hits[0].time_s == pytest.approx(lead / RATE, abs=1e-9)
    assert cents(pitch(after), pitch(before)) == pytest.approx(0.0, abs=0.01)
    assert after.voices[0].clean_hits == before.voices[0].clean_hits


@pytest.mark.parametrize("rate", [22050, 48000, 96000])
def test_another_sample_rate_moves_the_pitch_by_under_5_cents(lone: Lone, rate: int) -> None:
    kind, sound, before = lone
    after = heard(soxr.resample(sound, RATE, rate, quality="VHQ"), kind, rate)
    assert abs(cents(pitch(after), pitch(before))) < 5.0


def test_gain_polarity_and_channels_move_the_pitch_by_nothing(lone: Lone) -> None:
    kind, sound, before = lone
    for changed in (0.1 * sound, -sound, np.stack([sound, sound, -sound, 0.5 * sound], axis=1)):
        assert cents(pitch(heard(changed, kind)), pitch(before)) == pytest.approx(0.0, abs=0.01)


def test_mp3_at_128_kb_per_s_moves_the_pitch_by_under_10_cents(lone: Lone) -> None:
    kind, sound, before = lone
    out = io.BytesIO()
    with soundfile.SoundFile(
        out,
        "w",
        RATE,
        2,
        format="MP3",
        subtype="MPEG_LAYER_III",
        bitrate_mode="CONSTANT",
        compression_level=MP3_128,
    ) as file:
        file.write(np.stack([sound, sound], axis=1))
    decoded = decode(out.getvalue()).audio
    after = heard(decoded.samples, kind, decoded.sample_rate_hz)
    assert abs(cents(pitch(after), pitch(before))) < 10.0


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 60000), st.integers(0, 3000), st.floats(1e-3, 1.0))
def test_listening_begins_at_the_same_place_of_the_sound(lead: int, seed: int, gain: float) -> None:
    rng = np.random.default_rng(seed)
    sound = rng.standard_normal(9000) * np.linspace(0.0, 1.0, 9000) ** 2
    alone = begins_at(sound)
    later = begins_at(gain * np.pad(sound, (lead, 0)))
    assert later == alone + lead
    first = int(np.argmax(np.abs(sound) > 10.0**-4.5 * np.abs(sound).max()))
    assert LEAD_S * RATE - 1 <= first - alone <= LEAD_S * RATE + GRID
    heard_from = from_sample(sound, alone)
    assert np.array_equal(heard_from[-alone:], sound)
    assert np.all(heard_from[:-alone] == sound[0])
    assert np.array_equal(from_sample(sound, 7), sound[7:])


def test_the_steps_of_all_that_is_read_come_round_together() -> None:
    assert GRID % HOP == 0
    assert GRID % round(RATE / LOW_RATE_HZ) == 0


@pytest.mark.parametrize("late", [1, 21, 43, 100])
def test_a_stroke_is_placed_to_the_sample(late: int) -> None:
    sound = np.pad(stroke("snare", 1), (2 * HOP, 0))
    early = find_candidates(sound)[1]
    moved = find_candidates(np.pad(sound, (late, 0)))[1]
    assert np.abs(moved[0] - early[0] - late / RATE) < 1.5 / RATE


@pytest.mark.parametrize("between", [0.0, 0.25, 0.5, 0.9])
def test_a_reel_has_strokes_begin_on_samples_whatever_is_between_them(between: float) -> None:
    time = (np.arange(4000) - 1000.0 - between) / LOW_RATE_HZ

    def wave(t: np.ndarray) -> np.ndarray:
        return np.sin(2 * np.pi * 180.0 * t) * np.exp(-((t / 0.15) ** 2))

    span = StrokeSpan((1000.0 + between) / LOW_RATE_HZ, 0.6)
    found, (first, second) = aligned(wave(time), [span, span])
    for at in (first, second):
        place = at.time_s * LOW_RATE_HZ
        assert place == pytest.approx(round(place), abs=1e-6)
        piece = found[round(place) - 300 : round(place) + 900]
        assert np.abs(piece - wave(np.arange(-300, 900) / LOW_RATE_HZ)).max() < 1e-3
    assert at.available_s == 0.6


def test_before_and_after_a_recording_the_cut_out_strokes_are_silent() -> None:
    found, (at,) = aligned(np.ones(100), [StrokeSpan(0.0, 1.0)])
    assert round(at.time_s * LOW_RATE_HZ) == BEFORE
    assert np.all(found[: BEFORE - 40] == 0.0)
    assert found[BEFORE + 50] == pytest.approx(1.0, abs=0.01)
    assert np.all(found[BEFORE + 140 :] == 0.0)
    assert len(aligned(np.ones(100), [])[0]) == 0


def total_power(sound: np.ndarray) -> np.ndarray:
    return np.sum([rows.sum(axis=0) for _, rows in _transform(sound, HIGH_WINDOW)], axis=0)


@pytest.mark.parametrize("rate", [16000, 22050, 32000])
def test_where_a_low_rate_cut_it_off_is_heard(rate: int) -> None:
    noise = np.random.default_rng(0).standard_normal(RATE)
    assert heard_to_hz(total_power(noise)) == RATE / 2
    cut = soxr.resample(soxr.resample(noise, RATE, rate), rate, RATE)
    assert 0.85 * rate / 2 < heard_to_hz(total_power(cut)) < rate / 2


def test_what_only_falls_towards_the_treble_is_not_cut_off() -> None:
    spectrum = np.fft.rfft(np.random.default_rng(0).standard_normal(RATE))
    octaves = np.log2(np.maximum(np.fft.rfftfreq(RATE, 1 / RATE), 20.0) / 200.0)
    dull = np.fft.irfft(spectrum * 10.0 ** (-24.0 * np.maximum(octaves, 0.0) / 20.0))
    assert heard_to_hz(total_power(dull)) == RATE / 2


def test_what_was_cut_off_goes_on_as_it_did_below() -> None:
    noise = np.random.default_rng(0).standard_normal(2 * RATE)
    whole = frames_of(noise)
    cut = frames_of(soxr.resample(soxr.resample(noise, RATE, 22050), 22050, RATE))
    off = 10.0 * np.log10(cut.power.mean(axis=0) / whole.power.mean(axis=0))
    assert np.abs(off[band_centres_hz() < 9000.0]).max() < 0.5
    assert off[band_centres_hz() > 12000.0].max() < 0.0
    assert off.min() > -12.0
    assert np.abs(cut.flatness_db - whole.flatness_db).mean() < 1.0


@given(st.floats(0.0, 1.0), st.floats(0.0, 500.0))
def test_where_windows_lie_does_not_move_a_settled_pitch(late: float, bend_ct: float) -> None:
    def track(first: float) -> Track:
        time = np.concatenate([np.arange(first, 0.15, 0.012), np.arange(0.15 + first, 0.9, 0.035)])
        hz = 90.0 * 2.0 ** (bend_ct * np.exp(-time / 0.15) / 1200.0)
        return Track(time, hz, np.exp(-6.0 * time))

    still, moved = (
        settled_hz(track(0.02), tom=True),
        settled_hz(track(0.02 + 0.012 * late), tom=True),
    )
    assert still is not None and moved is not None
    assert abs(cents(moved, still)) < 1.0


def test_a_window_that_hopped_to_another_partial_has_no_say() -> None:
    time = np.arange(0.05, 0.5, 0.02)
    hz = np.full(len(time), 90.0)
    steady = settled_hz(Track(time, hz, np.exp(-6.0 * time)), tom=True)
    hz[6] = 97.0
    hopped = settled_hz(Track(time, hz, np.exp(-6.0 * time)), tom=True)
    assert steady is not None and hopped is not None
    assert abs(cents(hopped, steady)) < 0.1


def test_a_tom_with_hardly_a_note_is_less_sure_than_one_with_a_note() -> None:
    rng = np.random.default_rng(2)
    time = np.arange(RATE) / RATE
    noise = np.fft.rfft(rng.standard_normal(RATE))
    bins = np.fft.rfftfreq(RATE, 1 / RATE)
    band = np.fft.irfft(noise * np.exp(-0.5 * ((bins - 120.0) / 18.0) ** 2))
    dull = np.pad(band / np.abs(band).max() * np.exp(-8.0 * time), (RATE // 10, 0))
    clear = np.pad(np.sin(2 * np.pi * 120.0 * time) * np.exp(-8.0 * time), (RATE // 10, 0))
    spans = [StrokeSpan(0.1, 0.9)]
    vague = stroke_pitches(*aligned(low_band(dull), spans), 120.0, tom=True)[0]
    firm = stroke_pitches(*aligned(low_band(clear), spans), 120.0, tom=True)[0]
    assert firm.unsteady_cents == 0.0
    assert vague.unsteady_cents > 10.0
    assert firm.settled_hz == pytest.approx(120.0, rel=0.003)


@pytest.mark.parametrize(("gap_s", "why"), [(0.9, NO_NOTE), (0.12, NOT_TOLD)])
def test_a_stroke_without_a_note_is_not_said_to_be_cut_off_unless_it_is(
    gap_s: float, why: str
) -> None:
    click = np.zeros(2 * RATE)
    click[RATE : RATE + 40] = np.hanning(40)
    clean = [CleanStroke(1.0, -20.0, gap_s, gap_s)]
    card = measure_voice("tom-1", click, [low_band(click)], clean, levels_db=[-20.0])
    assert card["sustain"] == Unknown(why)


def test_in_a_mix_a_stroke_is_told_alike_wherever_it_lies_between_two_frames() -> None:
    rng = np.random.default_rng(4)
    sound = 0.05 * rng.standard_normal(3 * RATE)
    sound[RATE : RATE + 4000] += stroke("tom", 0)[RATE // 10 :][:4000]
    frames, frame = frames_of(sound), RATE // HOP
    times = (frame + np.array([0.1, 0.5, 0.9])) * HOP_S
    told = told_in_mix(frames, times)
    assert np.all((told > 0.0) & (told < 1.0))
    assert np.allclose(told, told[0], atol=1e-6)
    assert not np.allclose(told_in_mix(frames, times + 2 * HOP_S), told, atol=1e-3)
