"""Made-up strokes are brought to the levels that drums of their kind have, band by band."""

import json

import numpy as np
import pytest

from bench.spectra import summed_up
from training.sounds import RATE, coloured, decay
from training.spectra import FIRST_BAND, WHERE, _usual, drawn_profile, profile, shaped

KINDS = ("kick", "snare", "tom", "hat", "cymbal")


def bright(force: float) -> np.ndarray:
    """Return a made-up stroke with far more treble than any tom has."""
    time = np.arange(RATE) / RATE
    noise = coloured(np.random.default_rng(1), RATE, 300, 12000, 0.0) * decay(time, 0.5)
    tone = np.sin(2 * np.pi * 100.0 * time) * decay(time, 1.0)
    return np.asarray(force * (tone + noise) / 4.0, np.float32)


def test_a_profile_has_its_loudest_at_nought_and_does_not_depend_on_gain() -> None:
    own = profile(bright(1.0))
    assert own.max() == 0.0
    assert profile(0.01 * bright(1.0)) == pytest.approx(own, abs=0.01)


@pytest.mark.parametrize("kind", KINDS)
def test_drawn_profiles_scatter_around_the_usual_one(kind: str) -> None:
    rng = np.random.default_rng(2)
    drawn = np.array([drawn_profile(rng, kind) for _ in range(300)])
    median, spread = _usual()[kind]
    assert (drawn <= 0.0).all()
    quiet = median < -2.0 * spread
    assert np.abs(np.median(drawn, axis=0) - median)[quiet].max() < 6.0
    assert (drawn.std(axis=0)[quiet] > 3.0).all()


def test_a_stroke_takes_on_the_drawn_profile_above_its_pitch() -> None:
    asked = drawn_profile(np.random.default_rng(3), "tom")
    maker = shaped(np.random.default_rng(3), "tom", bright, 0.7)
    before, after = profile(bright(0.7)), profile(maker(0.7))
    heard = asked[:, FIRST_BAND:] > -60.0
    off = np.abs(after - asked)[:, FIRST_BAND:][heard]
    assert np.median(off) < 3.0
    assert np.median(off) < 0.3 * np.median(np.abs(before - asked)[:, FIRST_BAND:][heard])


def test_force_and_pitch_stay() -> None:
    maker = shaped(np.random.default_rng(4), "tom", bright, 0.7)
    for force in (0.3, 1.0):
        own, usual = maker(force), bright(force)
        assert len(own) == len(usual)
        assert np.abs(own).max() == pytest.approx(np.abs(usual).max(), rel=1e-3)
        assert int(np.argmax(np.abs(np.fft.rfft(own)))) == pytest.approx(100, abs=1)


def test_the_table_is_of_many_drums_and_says_so() -> None:
    table = json.loads(WHERE.read_text())
    assert set(table["kinds"]) == set(KINDS)
    assert "dB" in table["unit"]
    assert "bench.spectra" in table["source"]


def test_each_drum_counts_alike_in_what_is_usual() -> None:
    low, high = np.full((9, 12), -40.0), np.full((9, 12), -10.0)
    told = summed_up([[low] * 20, [high], [high]])
    assert np.array(told["median_db"]) == pytest.approx(-10.0)
