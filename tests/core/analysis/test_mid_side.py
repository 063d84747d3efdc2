"""The side of a stereo mix: what is in it, and what it says of strokes and of toms."""

import numpy as np
import pytest

from emblar.core.analysis.card.measure import CleanStroke, measure_voice
from emblar.core.analysis.classify.mid_side import SIZE, both_heard, rows_of
from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Audio, one_channel, side
from emblar.core.analysis.signal.band_spectrogram import BANDS, HOP_S
from emblar.core.analysis.signal.low_band import low_band
from emblar.core.notes import cents
from emblar.core.quantities import Measured

RATE = ANALYSIS_RATE_HZ
TIME = np.arange(2 * RATE) / RATE
BASS = np.sin(2 * np.pi * 55.0 * TIME)
GUITAR = np.sin(2 * np.pi * 196.0 * TIME)


def stereo(left: np.ndarray, right: np.ndarray) -> Audio:
    return Audio(np.stack([left, right], axis=1), RATE)


def test_what_is_in_the_middle_is_not_in_the_side() -> None:
    audio = stereo(BASS + 0.3 * GUITAR, BASS - 0.3 * GUITAR)
    beside = side(audio)
    assert beside is not None
    spectrum = np.abs(np.fft.rfft(beside))
    assert spectrum[2 * 55] < 1e-3 * spectrum[2 * 196]
    middle = np.abs(np.fft.rfft(one_channel(audio)))
    assert middle[2 * 196] < 1e-3 * middle[2 * 55]


def test_one_channel_twice_has_no_side_whatever_its_polarity() -> None:
    assert side(Audio(BASS[:, None], RATE)) is None
    for gain in (1.0, 0.5, -1.0):
        assert side(stereo(BASS, gain * BASS)) is None


def power(rng: np.random.Generator, times: np.ndarray, db: float) -> np.ndarray:
    """Return band powers of noise with strokes on it."""
    out = rng.gamma(1.0, 1e-6, (int(times[-1] / HOP_S) + 100, BANDS))
    for first in np.round(times / HOP_S).astype(int):
        out[first : first + 20] += 1e-3
    return np.asarray(out * 10.0 ** (db / 10.0), np.float32)


@pytest.fixture
def candidates() -> tuple[np.ndarray, np.ndarray]:
    """Return times, and chances of which the middle is sure."""
    rng = np.random.default_rng(1)
    sure = np.where(rng.random((60, len(KINDS))) < 0.2, 0.95, 0.03)
    return 0.3 + 0.2 * np.arange(60), sure


def test_rows_do_not_depend_on_gain(candidates: tuple[np.ndarray, np.ndarray]) -> None:
    times, sure = candidates
    own, beside = (power(np.random.default_rng(k), times, -10.0 * k) for k in (2, 3))
    rows = rows_of(sure, 1.0 - sure, own, beside, times)
    assert rows.shape == (60, SIZE)
    again = rows_of(sure, 1.0 - sure, np.float32(100.0) * own, np.float32(100.0) * beside, times)
    assert again == pytest.approx(rows, abs=1e-4)


def test_a_side_in_which_nothing_is_struck_leaves_the_middle_its_say(
    candidates: tuple[np.ndarray, np.ndarray],
) -> None:
    times, sure = candidates
    own = power(np.random.default_rng(2), times, 0.0)
    nothing = np.full_like(own, 1e-9)
    found = both_heard(sure, np.full_like(sure, 0.02), own, nothing, times)
    assert ((found > 0.5) == (sure > 0.5)).mean() > 0.9


def test_a_side_that_hears_a_tom_clearly_makes_the_middle_surer() -> None:
    times = np.linspace(0.3, 0.3 + 0.2 * 39, 40)
    own, beside = (power(np.random.default_rng(k), times, 0.0) for k in (2, 3))
    tom = KINDS.index("tom")
    unsure = np.full((40, len(KINDS)), 0.05)
    unsure[:, tom] = 0.35
    clear = unsure.copy()
    clear[:, tom] = 0.97
    without = both_heard(unsure, np.full_like(unsure, 0.02), own, np.full_like(own, 1e-9), times)
    heard = both_heard(unsure, clear, own, beside, times)
    assert heard[:, tom].mean() > max(without[:, tom].mean() + 0.2, 0.5)


def test_a_tom_under_a_bass_is_measured_in_the_side() -> None:
    rng, gap, count = np.random.default_rng(5), 0.6, 8
    size = int((count * gap + 1.0) * RATE)
    time, low, tom = np.arange(size) / RATE, np.zeros(size), np.zeros(size)
    for index in range(count):
        first = int((0.5 + index * gap) * RATE)
        since = time[: size - first]
        tom[first:] += 0.2 * np.sin(2 * np.pi * 92.0 * since) * 10.0 ** (-3.0 * since / 0.5)
        own = (time >= 0.5 + index * gap) & (time < 0.5 + (index + 1) * gap)
        hz = 65.4 * 2.0 ** (int(rng.integers(-4, 12)) / 12.0)
        low[own] = np.sin(2 * np.pi * hz * time[own])
    noise = 1e-4 * rng.standard_normal((2, size))
    audio = stereo(low + tom + noise[0], low + 0.4 * tom + noise[1])
    beside = side(audio)
    assert beside is not None
    mono = one_channel(audio)
    clean = [CleanStroke(0.5 + index * gap, -10.0, gap, gap) for index in range(count)]
    lows = [low_band(mono), low_band(beside)]
    card = measure_voice("tom-1", mono, lows, clean, levels_db=[-10.0] * count, mix=True)
    assert isinstance(card["pitch"], Measured)
    assert abs(cents(card["pitch"].value, 92.0)) < 10.0
    alone = measure_voice("tom-1", mono, lows[:1], clean, levels_db=[-10.0] * count, mix=True)
    told = alone["pitch"]
    assert not isinstance(told, Measured) or abs(cents(told.value, 92.0)) > 10.0
