"""What tells a note from a drum: partials at multiples that stay, against one lump that falls."""

import numpy as np
import pytest

from emblar.core.analysis.classify.templates import background_templates
from emblar.core.analysis.classify.tonality import AFTER_S, MULTIPLES, SIZE, tonality
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.analysis.signal.band_spectrogram import (
    FINE_BINS,
    FINE_EVERY,
    FINE_HZ,
    HOP,
    frames_of,
)

RATE = ANALYSIS_RATE_HZ
KNOWN = len(MULTIPLES) + 1
HELD = KNOWN + 1
PEAK = HELD + len(AFTER_S) - 1


def note(f0: float, t60_s: float = 4.0) -> np.ndarray:
    t = np.arange(RATE) / RATE
    wave = sum(np.sin(2 * np.pi * f0 * k * t) / k for k in range(1, 8))
    return np.asarray(wave * np.exp(-6.9 * t / t60_s))


def drum(f0: float, t60_s: float = 0.5) -> np.ndarray:
    t = np.arange(RATE) / RATE
    wave = np.sin(2 * np.pi * f0 * t) + 0.3 * np.sin(2 * np.pi * 1.59 * f0 * t)
    return np.asarray(wave * np.exp(-6.9 * t / t60_s))


def row(sound: np.ndarray) -> np.ndarray:
    whole = np.concatenate([np.zeros(RATE), sound])
    return tonality(frames_of(whole), np.array([1.0]))[0]


@pytest.mark.parametrize("f0", [65.0, 82.4, 110.0, 146.8])
def test_a_note_has_its_partials_at_multiples_and_a_drum_has_not(f0: float) -> None:
    whole = [i for i, k in enumerate(MULTIPLES) if k == int(k) and k > 1]
    assert row(note(f0))[whole].mean() > row(drum(f0))[whole].mean() + 0.4


def test_a_drum_falls_where_a_note_stays() -> None:
    late = HELD + len(AFTER_S) - 2
    assert row(note(98.0))[late] > row(drum(98.0))[late] + 0.3


@pytest.mark.parametrize("f0", [61.0, 98.0, 180.0])
def test_the_peak_is_where_the_pitch_is(f0: float) -> None:
    expected = np.log2(f0 / 95.0)
    assert row(drum(f0))[PEAK] == pytest.approx(expected, abs=0.03)


def test_what_sounded_before_is_known() -> None:
    held = np.concatenate([note(98.0, 60.0), note(98.0, 60.0)])
    before = tonality(frames_of(np.concatenate([held, held])), np.array([1.5]))[0]
    assert before[KNOWN] > row(note(98.0))[KNOWN] + 0.5


def test_gain_does_not_matter_and_nothing_gives_no_rows() -> None:
    sound = note(98.0) + drum(130.0)
    assert row(0.01 * sound) == pytest.approx(row(sound), abs=0.02)
    frames = frames_of(np.zeros(RATE))
    assert tonality(frames, np.empty(0)).shape == (0, SIZE)
    assert np.isfinite(tonality(frames, np.array([0.0, 0.99]))).all()


def test_the_fine_spectrum_parts_a_bass_notes_partials() -> None:
    frames = frames_of(note(41.2, 30.0))
    assert frames.fine.shape == (RATE // (HOP * FINE_EVERY) + 1, FINE_BINS)
    middle = frames.fine[len(frames.fine) // 2]
    first, second = round(41.2 / FINE_HZ), round(82.4 / FINE_HZ)
    between = (first + second) // 2
    assert middle[between] < 0.01 * min(middle[first], middle[second])


def test_lead_is_taken_off_all_parts_alike() -> None:
    frames = frames_of(note(98.0))
    kept = frames.without_lead(20)
    assert len(kept) == len(frames) - 20
    assert np.array_equal(kept.fine, frames.fine[20 // FINE_EVERY :])
    assert np.array_equal(kept.flatness_db, frames.flatness_db[20:])


def test_notes_give_templates_of_their_own_and_drums_none() -> None:
    rng = np.random.default_rng(3)
    low, high = np.zeros(60), np.zeros(60)
    low[:10], high[40:] = 1.0, 1.0
    prints = np.array([s * rng.uniform(0.9, 1.1, 60) for s in (low, high) for _ in range(8)])
    found = background_templates(prints, np.zeros(16))
    assert 2 <= len(found) <= 4
    assert found.sum(axis=1) == pytest.approx(1.0)
    assert {int(t.argmax() >= 40) for t in found} == {0, 1}
    assert background_templates(prints, np.full(16, 0.9)).shape == (0, 60)
