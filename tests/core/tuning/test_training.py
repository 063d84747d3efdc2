"""What the ear exercises play is what their answers say."""

import numpy as np
import pytest

from emblar.core.tuning.training import exercises, question

RATE = 16000


def halves(samples: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    middle = len(samples) // 2
    return samples[:middle], samples[middle:]


def peak(samples: np.ndarray) -> float:
    return float(np.abs(samples).max())


def ring_share(samples: np.ndarray) -> float:
    """Energy from 0.3 s after the loudest moment on, over all of it."""
    start = int(np.argmax(np.abs(samples)))
    late = samples[start + round(0.3 * RATE) :]
    return float(np.sum(late**2) / np.sum(samples**2))


def log_spectrum(samples: np.ndarray) -> np.ndarray:
    """Return the spectrum of the ring from 60 to 1000 Hz in steps of 5 cents."""
    start = int(np.argmax(np.abs(samples))) + round(0.03 * RATE)
    piece = samples[start : start + RATE // 2]
    spectrum = np.abs(np.fft.rfft(piece * np.hanning(len(piece)), 8 * RATE))
    places = 60.0 * 2.0 ** (np.arange(0.0, 4800.0, 5.0) / 1200.0)
    return np.interp(places, np.arange(len(spectrum)) / 8.0, spectrum)


def moved_cents(before: np.ndarray, after: np.ndarray) -> float:
    """Return by how much the second sound lies above the first."""
    one, other = log_spectrum(before), log_spectrum(after)
    lags = range(-40, 41)
    return 5.0 * max(lags, key=lambda lag: float(np.roll(one, lag) @ other))


@pytest.mark.parametrize("seed", range(12))
def test_what_changed_between_two_strokes_can_be_measured(seed: int) -> None:
    asked = question("change", seed, rate=RATE)
    before, after = halves(asked.samples)
    louder = peak(after) > 1.5 * peak(before)
    shorter = ring_share(after) < 0.6 * ring_share(before)
    cents = moved_cents(before, after)
    assert asked.answer in exercises()["change"].options
    assert louder == (asked.answer == "struck harder")
    assert shorter == (asked.answer == "damped")
    if asked.answer in ("tuned up", "tuned down"):
        assert 25.0 < abs(cents) < 140.0
        assert (cents > 0.0) == (asked.answer == "tuned up")
