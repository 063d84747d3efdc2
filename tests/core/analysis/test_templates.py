"""What the recording's own drums say: templates, gains, and how they are weighed."""

import numpy as np
import pytest

from emblar.core.analysis.card.envelope import stroke_shape
from emblar.core.analysis.classify.templates import gains_of, print_seconds, prints_of, template_of
from emblar.core.analysis.onsets.detection import find_candidates
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.analysis.signal.band_spectrogram import BANDS, frames_of
from emblar.core.analysis.signal.low_band import low_band
from emblar.core.analysis.voices.decide import Candidates, levels_db, name_strokes
from emblar.core.quantities import Measured
from emblar.core.synthesis.low_ferry import PLACEMENTS, low_ferry_voices
from emblar.core.synthesis.song import Event, SongRoom, render_performance

RATE = 44100


def drawn(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    template = rng.random((6, BANDS)) ** 6 + 1e-6
    return (template / template.sum()).ravel()


def test_a_template_is_what_most_strokes_have_in_common() -> None:
    base = drawn(0)
    rows = np.array([base * g for g in (0.5, 1.0, 2.0, 1.5, 1.0)])
    rows[4] = drawn(9) * 3.0
    assert template_of(rows, range(5)) == pytest.approx(base, abs=1e-9)


def test_gains_of_a_sum_are_those_it_was_made_with() -> None:
    templates = np.array([drawn(1), drawn(2), drawn(3)])
    wanted = np.array([[2.0, 0.0, 0.5], [0.0, 1.0, 0.0], [0.3, 0.3, 0.3]])
    gains, fits = gains_of(wanted @ templates, templates)
    assert gains == pytest.approx(wanted, abs=1e-6)
    assert fits[1, 1] == pytest.approx(1.0, abs=1e-6)
    assert fits[1, 0] == 0.0


def test_a_print_takes_off_what_sounded_before() -> None:
    t = np.arange(2 * RATE) / RATE
    held = 0.3 * np.sin(2 * np.pi * 500.0 * t)
    tone = np.where(t > 1.0, np.exp(-8.0 * (t - 1.0)) * np.sin(2 * np.pi * 2000.0 * t), 0.0)
    print_ = prints_of(frames_of(held + tone), np.array([1.0]))[0].reshape(-1, BANDS)
    alone = prints_of(frames_of(tone), np.array([1.0]))[0].reshape(-1, BANDS)
    assert int(print_[1].argmax()) == int(alone[1].argmax())
    assert print_.sum() == pytest.approx(alone.sum(), rel=0.15)
    assert 0.05 < print_seconds() < 0.5


def performance(events: list[Event], *, room: SongRoom | None = None) -> np.ndarray:
    voices = {k: v for k, v in low_ferry_voices().items() if k in {e.voice for e in events}}
    return render_performance(voices, events, PLACEMENTS, seed=2, room=room).samples


def test_drums_struck_together_are_both_found() -> None:
    events = [Event(0.3 + 0.5 * i, v, 1.0) for i, v in enumerate(["kick", "snare"] * 6)]
    events += [Event(6.5 + 0.6 * i, v, 1.0) for i in range(4) for v in ("kick", "snare")]
    found = analyse(Audio(performance(events), RATE))
    for voice in ("kick", "snare"):
        times = np.array([h.time_s for h in found.hits if h.voice == voice])
        together = [e.time_s for e in events if e.time_s > 6.4 and e.voice == voice]
        near = [np.abs(times - t).min() < 0.03 for t in together]
        assert sum(near) >= 3, voice


def test_a_double_kick_of_sixteen_a_second_is_not_merged() -> None:
    events = [Event(0.3 + i / 16.0, "kick", 1.0) for i in range(16)]
    events += [Event(2.0 + 0.5 * i, "snare", 1.0) for i in range(4)]
    mono = performance(events).mean(axis=1)
    _, times = find_candidates(mono)
    reached = [np.abs(times - e.time_s).min() < 0.012 for e in events if e.voice == "kick"]
    assert np.mean(reached) >= 0.9


def test_nothing_is_named_where_there_are_no_candidates() -> None:
    sound = np.zeros(RATE)
    frames, times = find_candidates(sound)
    found = Candidates(frames, times, levels_db(sound, times), [low_band(sound)])
    assert len(found) == 0
    assert name_strokes(found) == []


def test_levels_are_those_of_the_first_50_ms() -> None:
    sound = np.zeros(RATE)
    sound[RATE // 2 : RATE // 2 + RATE // 20] = 0.1
    assert levels_db(sound, np.array([0.5]))[0] == pytest.approx(-20.0, abs=0.1)


def test_the_drums_decay_is_told_apart_from_the_rooms() -> None:
    events = [Event(0.3 + 1.4 * i, "tom-1", 1.0) for i in range(5)]
    dry = low_ferry_voices()["tom-1"].partials[0].t60_s
    wet = analyse(
        Audio(performance(events, room=SongRoom(share=0.05, t60_s=1.6)), RATE), voice="tom-1"
    )
    decay = wet.voices[0]["sustain"]
    assert isinstance(decay, Measured)
    assert decay.value == pytest.approx(dry, rel=0.35)


def test_wires_of_a_known_decay_are_read() -> None:
    rng = np.random.default_rng(3)
    t = np.arange(RATE) / RATE
    hiss = rng.standard_normal(RATE) * np.exp(-6.908 * t / 0.4)
    tone = 0.5 * np.exp(-6.908 * t / 0.3) * np.sin(2 * np.pi * 190.0 * t)
    shape = stroke_shape(hiss + tone, 0.0, 190.0, 0.95)
    assert shape.wires_t60_s == pytest.approx(0.4, rel=0.2)
    assert shape.wires_db is not None
    assert stroke_shape(hiss, 0.0, 190.0, 0.05).wires_t60_s is None
