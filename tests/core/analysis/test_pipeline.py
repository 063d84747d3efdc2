import io
import itertools
from collections.abc import Callable

import mir_eval
import numpy as np
import pytest
import soundfile
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.analysis.card.pooling import combined
from emblar.core.analysis.onsets.detection import find_candidates
from emblar.core.analysis.pipeline import Analysis, analyse, peaks
from emblar.core.analysis.pitch.esprit import fit_damped_sinusoids
from emblar.core.analysis.signal.audio import Audio, check_audio, one_channel
from emblar.core.errors import BadAudioError
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Unknown
from emblar.core.quantities.card import Card
from emblar.core.synthesis.low_ferry import low_ferry_voices
from emblar.core.synthesis.song import Performance
from emblar.core.synthesis.stroke import render_stroke
from emblar.platform.sound.decode import decode

RATE = 44100
Change = Callable[[np.ndarray], tuple[np.ndarray, int]]
MP3_128 = 0.65
"""What the encoder calls 128 kb/s."""
DRUMS = ("kick", "snare", "tom-1", "tom-2", "tom-3")


def card(analysis: Analysis, name: str) -> Card:
    return next(v for v in analysis.voices if v.voice == name)


def times(analysis: Analysis, voice: str) -> np.ndarray:
    return np.array([h.time_s for h in analysis.hits if h.voice == voice])


def played(song: Performance, voice: str) -> np.ndarray:
    return np.array([e.time_s for e in song.events if e.voice == voice])


def test_every_voice_of_the_demo_is_found_and_no_other(song_analysis: Analysis) -> None:
    assert {v.voice for v in song_analysis.voices} == {*DRUMS, "hat", "cymbal"}


def test_the_demos_onsets_are_found(song: Performance, song_analysis: Analysis) -> None:
    def distinct(all_times: list[float]) -> np.ndarray:
        ordered = np.unique(all_times)
        return ordered[np.concatenate([[True], np.diff(ordered) > 0.02])]

    truth = distinct([e.time_s for e in song.events])
    found = distinct([h.time_s for h in song_analysis.hits])
    f1, _, _ = mir_eval.onset.f_measure(truth, found, window=0.03)
    assert f1 >= 0.95


@pytest.mark.parametrize(
    ("voice", "least"),
    [*((name, 0.9) for name in DRUMS), ("cymbal", 0.9), ("hat", 0.8)],
)
def test_each_voice_of_the_demo_has_its_strokes(
    song: Performance, song_analysis: Analysis, voice: str, least: float
) -> None:
    truth, found = played(song, voice), times(song_analysis, voice)
    f1, _, _ = mir_eval.onset.f_measure(truth, found, window=0.03)
    assert f1 >= least


@pytest.mark.parametrize("voice", DRUMS)
def test_the_demos_fundamentals_are_measured_within_15_cents(
    song: Performance, song_analysis: Analysis, voice: str
) -> None:
    measured = card(song_analysis, voice)["pitch"]
    assert isinstance(measured, Measured)
    assert abs(cents(measured.value, song.settled_hz[voice])) < 15.0


@pytest.mark.parametrize("voice", DRUMS)
def test_the_demos_sustain_is_measured_within_ten_per_cent(
    song_analysis: Analysis, voice: str
) -> None:
    rendered = low_ferry_voices()[voice].partials[0].t60_s
    measured = card(song_analysis, voice)["sustain"]
    assert isinstance(measured, Measured)
    assert measured.value == pytest.approx(rendered, rel=0.1)


def test_what_a_voice_does_not_have_is_unknown_with_a_reason(song_analysis: Analysis) -> None:
    hat = card(song_analysis, "hat")
    assert isinstance(hat["pitch"], Unknown)
    assert "no single pitch" in hat["pitch"].reason
    tom_wires = card(song_analysis, "tom-1")["wires"]
    assert isinstance(tom_wires, Unknown)
    assert "snare" in tom_wires.reason


def _piece(song: Performance) -> np.ndarray:
    return song.samples[: 12 * RATE]


@pytest.fixture(scope="module")
def piece_analysis(song: Performance) -> Analysis:
    return analyse(Audio(_piece(song), RATE))


@pytest.mark.parametrize(
    "change",
    [
        pytest.param(lambda x: (0.05 * x, RATE), id="26 dB softer"),
        pytest.param(lambda x: (-x, RATE), id="other polarity"),
        pytest.param(lambda x: (x * [1, -1], RATE), id="sides opposed"),
        pytest.param(lambda x: (x.mean(axis=1, keepdims=True), RATE), id="one channel"),
        pytest.param(lambda x: (np.concatenate([np.zeros((4410, 2)), x]), RATE), id="late start"),
        pytest.param(lambda x: (soxr.resample(x, RATE, 22050), 22050), id="22.05 kHz"),
        pytest.param(lambda x: (soxr.resample(x, RATE, 48000), 48000), id="48 kHz"),
        pytest.param(lambda x: (soxr.resample(x, RATE, 96000), 96000), id="96 kHz"),
    ],
)
def test_gain_polarity_channels_rate_and_silence_before_do_not_move_the_pitch(
    song: Performance, piece_analysis: Analysis, change: Change
) -> None:
    samples, rate = change(_piece(song))
    changed = analyse(Audio(samples, rate))
    for name in ("kick", "snare"):
        before, after = card(piece_analysis, name)["pitch"], card(changed, name)["pitch"]
        assert isinstance(before, Measured)
        assert isinstance(after, Measured)
        assert abs(cents(after.value, before.value)) < 5.0


def test_mp3_at_128_kb_per_s_moves_the_pitch_by_less_than_ten_cents(
    song: Performance, piece_analysis: Analysis
) -> None:
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
        file.write(_piece(song))
    seconds = len(_piece(song)) / RATE
    assert 120e3 < 8 * len(out.getvalue()) / seconds < 136e3
    changed = analyse(decode(out.getvalue()).audio)
    for name in ("kick", "snare"):
        before, after = card(piece_analysis, name)["pitch"], card(changed, name)["pitch"]
        assert isinstance(before, Measured)
        assert isinstance(after, Measured)
        assert abs(cents(after.value, before.value)) < 10.0


@pytest.mark.parametrize("voice", ["kick", "snare", "tom-1", "tom-3"])
def test_one_stroke_is_measured_when_its_drum_is_told(voice: str) -> None:
    drum = low_ferry_voices()[voice]
    rng = np.random.default_rng(3)
    stroke = render_stroke(drum, sample_rate_hz=RATE, force=1.0, rng=rng)
    samples = np.concatenate([np.zeros(2000), 0.5 * stroke])[:, None]
    found = analyse(Audio(samples, RATE), kind="hit", voice=voice)
    assert len(found.hits) == 1
    measured = card(found, voice)["pitch"]
    assert isinstance(measured, Measured)
    assert abs(cents(measured.value, drum.settled_hz())) < 15.0


@given(
    st.lists(st.floats(60.0, 700.0), min_size=1, max_size=3, unique=True),
    st.floats(3.0, 40.0),
    st.integers(0, 2**31),
)
@settings(max_examples=40, deadline=None)
def test_damped_sinusoids_without_noise_are_fitted_exactly(
    pitches: list[float], rate: float, seed: int
) -> None:
    ordered = sorted(pitches)
    if any(b - a < 25.0 for a, b in itertools.pairwise(ordered)):
        return
    t = np.arange(160) / 2100.0
    phase = np.random.default_rng(seed).uniform(0, 2 * np.pi, len(ordered))
    window = sum(
        np.exp(-rate * t) * np.sin(2 * np.pi * f * t + p)
        for f, p in zip(ordered, phase, strict=True)
    )
    found = sorted(
        fit_damped_sinusoids(np.asarray(window), 2100.0, count=len(ordered)),
        key=lambda s: s.frequency_hz,
    )
    assert [s.frequency_hz for s in found] == pytest.approx(ordered, rel=1e-4)
    assert [s.decay_rate for s in found] == pytest.approx([rate] * len(ordered), abs=0.2)


@pytest.mark.parametrize(
    ("samples", "says"),
    [
        (np.zeros((44100, 1)), "silent"),
        (np.full((44100, 1), np.nan), "not numbers"),
        (np.ones((2205, 1)), "50 ms long"),
    ],
)
def test_what_cannot_be_measured_is_refused_with_what_to_do(samples: np.ndarray, says: str) -> None:
    with pytest.raises(BadAudioError, match=says):
        check_audio(Audio(samples, RATE))


def test_an_hour_is_too_long() -> None:
    with pytest.raises(BadAudioError, match="60 minutes"):
        check_audio(Audio(np.ones((8000 * 3600, 1), np.float32), 8000))


def test_no_strokes_are_found_in_noise_or_in_a_held_chord() -> None:
    rng = np.random.default_rng(1)
    with pytest.raises(BadAudioError, match="No drum stroke was found"):
        analyse(Audio(np.clip(rng.standard_normal((5 * RATE, 1)), -1, 1), RATE))
    t = np.arange(5 * RATE) / RATE
    swell = np.minimum(t, 1.0) * np.minimum(5.0 - t, 1.0)
    chord = sum(np.sin(2 * np.pi * f * t) for f in (220.0, 277.2, 329.6)) * swell / 4
    with pytest.raises(BadAudioError, match="No drum stroke was found"):
        analyse(Audio(np.asarray(chord)[:, None], RATE))


def test_opposed_channels_do_not_cancel() -> None:
    tone = np.sin(np.arange(RATE) * 0.02)
    mono = one_channel(Audio(np.stack([tone, -tone], axis=1), RATE))
    assert np.abs(mono).max() > 0.5


def test_other_rates_come_to_the_analysis_rate() -> None:
    assert len(one_channel(Audio(np.ones((96000, 1)), 96000))) == pytest.approx(RATE, abs=2)


def test_a_click_is_found_to_the_millisecond() -> None:
    samples = np.zeros(RATE)
    samples[20000:20200] = np.random.default_rng(0).standard_normal(200)
    _, found = find_candidates(samples)
    assert found == pytest.approx([20000 / RATE], abs=0.002)


def test_many_strokes_give_the_median_with_an_honest_spread() -> None:
    told = combined([1.0, 1.1, 0.9, 9.0, None], "s", floor=0.01, lone=0.5, reason="cut off")
    assert isinstance(told, Measured)
    assert told.value == pytest.approx(1.05)
    assert 0.02 < told.sd < 0.2
    lone = combined([1.0], "s", floor=0.01, lone=0.5, reason="cut off")
    assert isinstance(lone, Measured)
    assert lone.sd > 0.5 > told.sd
    assert combined([None], "s", floor=0.01, lone=0.5, reason="cut off") == Unknown("cut off")


def test_peaks_follow_the_waveform() -> None:
    samples = np.concatenate([np.zeros((RATE, 1)), 0.5 * np.ones((RATE, 1))])
    low, high = peaks(Audio(samples, RATE))
    assert len(high) == pytest.approx(400, abs=2)
    assert high[0] == 0.0
    assert high[-1] == 0.5
    assert min(low) == 0.0
