"""The parts of the analysis one by one: patches, grouping, rings, room, dynamics, stretches."""

import itertools

import numpy as np
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.analysis.card.clean import AnalysedHit, clean_stretches, mark_clean
from emblar.core.analysis.card.overtones import voice_ring
from emblar.core.analysis.card.pooling import slope_per_10_db
from emblar.core.analysis.card.room import room_share
from emblar.core.analysis.classify.patches import patches
from emblar.core.analysis.onsets.detection import dying_away, find_candidates
from emblar.core.analysis.pipeline import Analysis, analyse
from emblar.core.analysis.pitch.mode_choice import bed_share, modes_hz, voice_spectrum
from emblar.core.analysis.signal.audio import Audio
from emblar.core.analysis.signal.band_spectrogram import BANDS, band_centres_hz, frames_of
from emblar.core.analysis.signal.low_band import StrokeSpan, grid_hz, low_band
from emblar.core.analysis.voices.clustering import group_membranes
from emblar.core.errors import BadAudioError
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Unknown
from emblar.core.quantities.card import Ring
from emblar.core.synthesis.low_ferry import low_ferry_voices
from emblar.core.synthesis.song import Performance
from emblar.core.synthesis.stroke import render_stroke
from emblar.core.voices import VoiceName

RATE = 44100


def stroke(voice: str, *, force: float = 1.0, seconds: float = 2.0) -> np.ndarray:
    """One rendered stroke 0.3 s in, a little noise under it."""
    rng = np.random.default_rng(2)
    sound = render_stroke(low_ferry_voices()[voice], sample_rate_hz=RATE, force=force, rng=rng)
    out = np.zeros(int((0.3 + seconds) * RATE))
    start = round(0.3 * RATE)
    piece = sound[: len(out) - start]
    out[start : start + len(piece)] += 0.5 * piece
    return out + 1e-5 * rng.standard_normal(len(out))


@given(st.floats(-40.0, 0.0))
@settings(max_examples=10, deadline=None)
def test_pictures_and_candidates_do_not_depend_on_gain(gain_db: float) -> None:
    sound = stroke("snare")
    frames, times = find_candidates(sound)
    softer_frames, softer_times = find_candidates(sound * 10.0 ** (gain_db / 20.0))
    assert softer_times == pytest.approx(times)
    for row, softer in zip(
        patches(frames, times), patches(softer_frames, softer_times), strict=True
    ):
        assert softer[0] == pytest.approx(row[0], abs=0.02)
        assert softer[1] == pytest.approx(row[1], abs=0.02)


@pytest.mark.parametrize(
    ("voice", "kind"), [("snare", "snare"), ("tom-1", "tom"), ("hat", "hat"), ("cymbal", "cymbal")]
)
def test_a_lone_stroke_is_taken_for_what_it_is(voice: str, kind: str) -> None:
    found = analyse(Audio(stroke(voice)[:, None], RATE), kind="hit")
    assert [VoiceName(h.voice).kind for h in found.hits] == [kind]
    assert 0.0 < found.hits[0].confidence <= 1.0


@pytest.mark.parametrize("hz", [55.0, 82.4, 110.0, 220.0, 440.0])
@pytest.mark.parametrize("swell_s", [0.1, 0.5, 1.5])
def test_a_note_that_swells_and_is_held_has_no_strokes(hz: float, swell_s: float) -> None:
    t = np.arange(3 * RATE) / RATE
    held = 0.3 * np.sin(2 * np.pi * hz * t) * np.minimum(1.0, t / swell_s)
    with pytest.raises(BadAudioError):
        analyse(Audio(held[:, None], RATE))


def test_what_is_switched_on_and_stays_is_no_stroke() -> None:
    rng = np.random.default_rng(1)
    sound = np.concatenate([np.zeros(RATE), rng.standard_normal(2 * RATE) * 0.1])
    assert dying_away(sound, np.array([1.0])).tolist() == [False]
    assert dying_away(stroke("kick"), np.array([0.3])).tolist() == [True]


def test_strokes_under_a_chord_that_swells_between_them_are_strokes() -> None:
    every, count = 0.5, 12
    struck = 0.5 + every * np.arange(count)
    drums = np.zeros(int((count * every + 2.0) * RATE))
    for index, time in enumerate(struck):
        one = stroke(("kick", "snare")[index % 2])[int(0.3 * RATE) :]
        first = int(time * RATE)
        drums[first : first + len(one)] += one[: len(drums) - first]
    t = np.arange(len(drums)) / RATE
    swell = 0.15 + 0.85 * ((t - struck[0]) % every) / every
    chord = sum(np.sin(2 * np.pi * f * t + f) for f in (196.0, 246.9, 293.7, 392.0, 587.3)) / 5
    mix = drums / np.abs(drums).max() + 0.8 * swell * chord
    mix = np.asarray(mix / np.abs(mix).max(), np.float64)
    assert np.count_nonzero(dying_away(mix, np.asarray(struck, np.float64))) < 3
    found = analyse(Audio(mix[:, None], RATE), kind="mix")
    told = np.array([hit.time_s for hit in found.hits if hit.voice in ("kick", "snare")])
    reached = np.abs(struck[:, None] - told).min(axis=1) < 0.03
    assert np.count_nonzero(reached) >= count - 2


def _prints(centre_band: int, count: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    shape = np.exp(-0.5 * ((np.arange(BANDS) - centre_band) / 2.0) ** 2) + 1e-4
    segments = shape[None, :] * 0.5 ** np.arange(6)[:, None]
    return segments.ravel()[None, :] * 10.0 ** (0.05 * rng.standard_normal((count, 6 * BANDS)))


def test_kick_and_toms_are_grouped_by_pitch_and_print_high_to_low() -> None:
    prints = np.concatenate([_prints(2, 8, 1), _prints(4, 5, 2), _prints(7, 5, 3)])
    pitches = [60.0] * 8 + [100.0] * 5 + [150.0] * 5
    kick = np.array([0.95] * 8 + [0.1] * 10)
    tom = 1.0 - kick
    found = group_membranes(pitches, prints, kick, tom)
    assert [(m.kick, round(m.pitch_hz), len(m.members)) for m in found] == [
        (True, 60, 8),
        (False, 150, 5),
        (False, 100, 5),
    ]
    assert group_membranes([None] * 3, prints[:3], kick[:3], tom[:3]) == []


def test_the_overtones_of_a_rendered_tom_are_those_put_in() -> None:
    voice = low_ferry_voices()["tom-1"]
    low, spans = low_band(stroke("tom-1")), [StrokeSpan(0.3, 1.8)]
    spectrum = voice_spectrum(low, spans, "tom")
    assert spectrum is not None
    base = modes_hz(spectrum, "tom")[0][0]
    assert abs(cents(base, voice.settled_hz())) < 40.0
    rings = voice_ring(low, spans, base)
    ratios = [p.frequency_hz / voice.partials[0].frequency_hz for p in voice.partials[1:]]
    assert rings
    assert min(abs(rings[0].ratio / r - 1.0) for r in ratios) < 0.02


def test_a_ratio_is_named_only_where_it_fits_a_mode() -> None:
    assert Ring(1.58, -6.0, 1.0, None).mode == "(1,1)"
    assert Ring(1.30, -6.0, 1.0, None).mode == ""


def _decaying(t60_s: float, share_db: float | None) -> np.ndarray:
    rng = np.random.default_rng(6)
    t = np.arange(2 * RATE) / RATE
    sound = np.exp(-6.908 * t / t60_s) * rng.standard_normal(len(t))
    if share_db is not None:
        room = np.exp(-6.908 * t / 1.2) * rng.standard_normal(len(t))
        room *= np.sqrt(np.sum(sound**2) / np.sum(room**2) * 10.0 ** (share_db / 10.0))
        sound = sound + room
    return sound


def test_the_room_is_the_share_of_the_second_slope() -> None:
    found = room_share(_decaying(0.2, -12.0), [(0.0, 1.9)])
    assert isinstance(found, Measured)
    assert found.value == pytest.approx(-12.3, abs=2.5)


def test_one_slope_is_no_room_and_a_cut_stroke_cannot_tell() -> None:
    alone = room_share(_decaying(0.3, None), [(0.0, 1.9)])
    assert isinstance(alone, Unknown)
    assert "one slope" in alone.reason
    cut = room_share(_decaying(0.3, None), [(0.0, 0.2)])
    assert isinstance(cut, Unknown)
    assert "enough quiet" in cut.reason


def test_the_change_per_10_db_is_the_slope_with_its_spread() -> None:
    rng = np.random.default_rng(0)
    levels = np.linspace(-30.0, -6.0, 12)
    values = [float(2.0 * x / 10.0 + rng.normal(0, 0.2)) for x in levels]
    found = slope_per_10_db(list(levels), values, "dB", reason="few")
    assert isinstance(found, Measured)
    assert abs(found.value - 2.0) < 3.0 * found.sd + 0.1
    assert slope_per_10_db([-6.0] * 12, values, "dB", reason="few") == Unknown("few")


def test_stretches_are_where_clean_strokes_are_and_do_not_overlap() -> None:
    times = [1.0, 20.0, 21.0, 22.0, 40.0, 41.0]
    hits = [AnalysedHit(t, "tom-1", -10.0, 0.9, True) for t in times]
    hits.append(AnalysedHit(20.5, "tom-1", -10.0, 0.9, False))
    found = clean_stretches(hits, "tom-1")
    assert [s.clean for s in found] == [3, 2, 1]
    assert found[0].start_s == pytest.approx(19.5)
    spans = sorted((s.start_s, s.stop_s) for s in found)
    assert all(a[1] <= b[0] for a, b in itertools.pairwise(spans))
    assert clean_stretches(hits, "kick") == []


@pytest.mark.parametrize("rate", [22050, 96000])
def test_the_sample_rate_moves_fundamentals_by_under_5_cents(
    song: Performance, song_analysis: Analysis, rate: int
) -> None:
    piece = song.samples[: 14 * RATE]
    before = analyse(Audio(piece, RATE))
    after = analyse(Audio(soxr.resample(piece, RATE, rate), rate))
    for voice in ("kick", "snare"):
        pair = [next(v for v in a.voices if v.voice == voice)["pitch"] for a in (before, after)]
        told = [q.value for q in pair if isinstance(q, Measured)]
        assert len(told) == 2
        assert abs(cents(told[1], told[0])) < 5.0


def test_frames_hold_the_energy_where_it_is() -> None:
    t = np.arange(RATE) / RATE
    power = frames_of(np.sin(2 * np.pi * 1000.0 * t)).power
    loudest = band_centres_hz()[int(np.argmax(power[100]))]
    assert abs(np.log2(loudest / 1000.0)) < 0.25


def test_over_a_bed_of_other_instruments_the_strongest_mode_counts_not_the_lowest() -> None:
    t = np.arange(3 * RATE) / RATE
    bass = 0.05 * np.sin(2 * np.pi * 146.8 * t)
    struck = np.zeros(3 * RATE)
    for start in (0.5, 1.5):
        tail = t[t >= start] - start
        struck[t >= start] += np.sin(2 * np.pi * 196.0 * tail) * np.exp(-12.0 * tail)
    spans = [StrokeSpan(0.5, 0.9), StrokeSpan(1.5, 0.9)]
    alone, over = low_band(struck), low_band(struck + 12.0 * bass)
    assert bed_share(alone, spans, "snare") < 0.01
    assert bed_share(over, spans, "snare") > 0.3
    spectrum = np.full(len(grid_hz()), 1e-6)
    for hz, power in ((130.0, 0.2), (196.0, 1.0)):
        spectrum[int(np.argmin(np.abs(grid_hz() - hz)))] = power
    assert modes_hz(spectrum, "snare")[0][0] == pytest.approx(130.0, abs=1.0)
    assert modes_hz(spectrum, "snare", over_others=True)[0][0] == pytest.approx(196.0, abs=1.0)


def test_a_stroke_far_softer_than_the_loudest_is_not_clean() -> None:
    hits = [
        AnalysedHit(t, "tom-1", level, 0.9, True)
        for t, level in ((1.0, -10.0), (3.0, -24.0), (5.0, -26.0))
    ]
    marked = mark_clean(hits, 8.0)
    assert [hit.clean for hit in marked] == [True, True, False]
