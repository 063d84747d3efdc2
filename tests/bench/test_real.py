"""The check against real kits, checked itself: on made-up kits with known answers."""

import numpy as np
import pytest

from bench.grooves import coded, groove, groove_events, in_room
from bench.material import RATE, Kit, Sampled, onset_sample, reference_pitch_hz, reference_t60_s
from bench.real import Score, distinct, f_measure, score_recording
from emblar.core.analysis.card.clean import AnalysedHit
from emblar.core.analysis.pipeline import Analysis
from emblar.platform.sound.decode import decode


def stroke(pitch_hz: float, t60_s: float, *, glide_ct: float = 0.0) -> np.ndarray:
    t = np.arange(3 * RATE) / RATE
    bend = 2.0 ** (glide_ct * np.exp(-t / 0.05) / 1200.0)
    turns = np.cumsum(pitch_hz * bend) / RATE
    sound = np.exp(-6.908 * t / t60_s) * np.sin(2 * np.pi * turns)
    return np.concatenate([np.zeros(400), sound])[:, None] * np.ones(2)


@pytest.fixture(scope="module")
def kit() -> Kit:
    pitches = {
        "kick": 60.0,
        "snare": 190.0,
        "tom-1": 140.0,
        "tom-2": 90.0,
        "hat": 7000.0,
        "cymbal": 4000.0,
    }
    return Kit("made up", {v: Sampled(v, (stroke(f, 0.8),)) for v, f in pitches.items()})


@pytest.mark.parametrize(("kind", "pitch_hz"), [("tom", 110.0), ("kick", 60.0), ("snare", 190.0)])
def test_the_reference_pitch_is_that_of_the_stroke(kind: str, pitch_hz: float) -> None:
    found = reference_pitch_hz(stroke(pitch_hz, 1.0), kind)
    assert abs(1200 * np.log2(found / pitch_hz)) < 6.0


def test_the_reference_pitch_of_a_gliding_tom_is_near_where_it_settles() -> None:
    found = reference_pitch_hz(stroke(100.0, 1.5, glide_ct=100.0), "tom")
    assert 0.0 < 1200 * np.log2(found / 100.0) < 25.0


@pytest.mark.parametrize("t60_s", [0.4, 1.0, 2.0])
def test_the_reference_decay_is_that_of_the_stroke(t60_s: float) -> None:
    assert reference_t60_s(stroke(120.0, t60_s), 120.0) == pytest.approx(t60_s, rel=0.05)


def test_onsets_close_together_count_once() -> None:
    assert distinct([0.5, 0.51, 0.52, 0.6]).tolist() == [0.5, 0.6]
    assert f_measure(np.array([]), np.array([])) == 1.0
    assert f_measure(np.array([1.0, 2.0]), np.array([1.01])) == pytest.approx(2 / 3)


def test_a_groove_is_the_same_from_the_same_seed_and_plays_the_kit(kit: Kit) -> None:
    first, again = groove(kit, 7, 8.0), groove(kit, 7, 8.0)
    assert np.array_equal(first.samples, again.samples)
    assert {v for _, v in first.events} <= set(kit.drums)
    times = [t for t, _, _ in groove_events(kit, np.random.default_rng(7), 8.0)]
    assert times == sorted(times)
    assert onset_sample(first.samples) < RATE


def test_a_perfect_analysis_scores_one_and_a_wrong_voice_costs(kit: Kit) -> None:
    recording = groove(kit, 3, 8.0)
    hits = tuple(AnalysedHit(t, v, -10.0, 1.0, True) for t, v in recording.events)
    perfect = score_recording(recording, Analysis(10.0, RATE, 2, hits, ()), "perfect")
    assert all(value == 1.0 for values in perfect.f1.values() for value in values)
    assert perfect.counts == [True]
    wrong = tuple(
        AnalysedHit(h.time_s, "snare" if h.voice == "kick" else h.voice, -10.0, 1.0, True)
        for h in hits
    )
    score = score_recording(recording, Analysis(10.0, RATE, 2, wrong, ()), "wrong")
    assert score.f1["kick"] == [0.0]
    assert score.f1["snare"][0] < 1.0
    assert score.f1["onset"] == [1.0]
    total = Score()
    total.add(perfect)
    total.add(score)
    assert any("tom count right 1.00 of 2" in line for line in total.lines())


def test_room_and_codec_keep_length_and_add_what_they_should() -> None:
    dry = 0.5 * stroke(100.0, 0.3)
    wet = in_room(dry, 1)
    assert wet.shape == dry.shape
    late = slice(RATE, 2 * RATE)
    assert np.sum(wet[late] ** 2) > 5.0 * np.sum(dry[late] ** 2)
    read = decode(coded(dry, "MP3", "MPEG_LAYER_III")).audio
    assert read.duration_s == pytest.approx(len(dry) / RATE, abs=0.1)
