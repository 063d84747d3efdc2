"""What the classifier looks at, and how it looks: against plain definitions."""

import itertools

import numpy as np
import pytest
from scipy.signal import correlate

from emblar.core.analysis.classify import patches as seen
from emblar.core.analysis.classify.model import KINDS, STRIDES, _networks, convolved, probabilities
from emblar.core.analysis.signal.band_spectrogram import BANDS, frames_of
from emblar.core.synthesis.low_ferry import render_low_ferry

RATE = 44100


def strokes(count: int = 12) -> tuple[np.ndarray, np.ndarray]:
    """Return decaying bursts over quiet noise, and when they start."""
    rng = np.random.default_rng(2)
    times = 0.4 + 0.33 * np.arange(count)
    sound = 1e-3 * rng.standard_normal(int((times[-1] + 1.0) * RATE))
    t = np.arange(RATE // 2) / RATE
    for index, time in enumerate(times):
        burst = np.sin(2 * np.pi * (70.0 + 40.0 * (index % 3)) * t) * np.exp(-9.0 * t)
        burst += 0.4 * rng.standard_normal(len(t)) * np.exp(-60.0 * t)
        sound[int(time * RATE) :][: len(t)] += burst
    return sound, times


@pytest.mark.parametrize("stride", sorted(set(STRIDES)))
@pytest.mark.parametrize("kernel", [(3, 5), (3, 3), (1, 7)])
def test_a_layer_is_a_correlation_with_zeros_around_it(
    stride: tuple[int, int], kernel: tuple[int, int]
) -> None:
    rng = np.random.default_rng(4)
    near = rng.standard_normal((2, 11, 8, 3)).astype(np.float32)
    weight = rng.standard_normal((*kernel, 3, 4)).astype(np.float32)
    bias = rng.standard_normal(4).astype(np.float32)
    out = convolved(near, (weight, bias), stride)
    for one in range(len(near)):
        for to in range(4):
            whole = sum(
                correlate(near[one, :, :, c], weight[:, :, c, to], "same") for c in range(3)
            )
            expected = (whole + bias[to])[:: stride[0], :: stride[1]]
            assert out[one, :, :, to] == pytest.approx(expected, abs=1e-4)


def test_what_begins_is_added_and_what_goes_on_is_not() -> None:
    steady = 0.3 * np.sin(2 * np.pi * 1000.0 * np.arange(3 * RATE) / RATE)
    steady[RATE:][: RATE // 2] += np.sin(2 * np.pi * 86.0 * np.arange(RATE // 2) / RATE)
    near, _ = next(seen.patches(frames_of(steady), np.array([1.0])))
    level, added = near[0, :, :, 0], near[0, :, :, 1]
    after = -seen.NEAR[0] + 12
    low, high = 3, int(np.argmax(level[:, 2]))
    assert level[high, after] > 0.5
    assert added[high, after] < 0.2
    assert level[low, after] > 0.8
    assert added[low, after] > 0.8
    assert added[:, 2].max() < -0.5


def test_outside_the_recording_there_is_silence() -> None:
    level = np.zeros((50, BANDS), np.float32)
    windows = seen.windows_of(level, np.array([0, 49]))
    assert (windows[0, : -seen.REACH[0]] == seen.NOTHING_DB).all()
    assert (windows[0, -seen.REACH[0] :][:50] == 0.0).all()
    assert (windows[1, -seen.REACH[0] + 1 :] == seen.NOTHING_DB).all()


def test_chances_do_not_hang_on_how_many_are_looked_at_at_once(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    sound, times = strokes()
    frames = frames_of(sound)
    whole = probabilities(frames, times, mix=True)
    monkeypatch.setattr(seen, "BLOCK", 5)
    assert probabilities(frames, times, mix=True) == pytest.approx(whole, abs=1e-4)
    assert probabilities(frames, times[:0], mix=True).shape == (0, len(KINDS))


@pytest.mark.parametrize("family", ["drums", "mix"])
def test_the_stored_networks_fit_together(family: str) -> None:
    for network in _networks(family):
        assert len(network.conv) == len(STRIDES)
        inside = [seen.CHANNELS, *(weight.shape[3] for weight, _ in network.conv)]
        assert [weight.shape[2] for weight, _ in network.conv] == inside[:-1]
        assert network.dense[-1][1].shape == (len(KINDS),)


def test_strokes_are_told_from_moments_between_them() -> None:
    song = render_low_ferry()
    frames = frames_of(song.samples.mean(axis=1)[: 20 * RATE])
    struck = sorted({e.time_s for e in song.events if 0.5 < e.time_s < 18.0})
    gaps = [b - a for a, b in itertools.pairwise(struck)]
    between = [a + 0.5 * gap for a, gap in zip(struck[:-1], gaps, strict=True) if gap > 0.15]
    assert len(between) > 10
    hit, missed = (
        probabilities(frames, np.array(times), mix=False).max(axis=1) for times in (struck, between)
    )
    assert np.median(hit) > 0.8
    assert np.median(missed) < 0.2
