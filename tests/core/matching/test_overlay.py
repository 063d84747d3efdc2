"""Curves laid over one another: a spectrum peaks where the note is, loudness does not matter."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.matching.overlay import band_levels, middle_curve

RATE = 44_100
TIME = np.arange(RATE) / RATE


def note(hz: float, gain: float = 1.0) -> np.ndarray:
    lead = np.zeros(round(0.05 * RATE))
    return np.concatenate([lead, gain * np.sin(2 * np.pi * hz * TIME) * np.exp(-TIME / 0.2)])


@pytest.mark.parametrize("hz", [60.0, 200.0, 1000.0, 6000.0])
def test_a_note_is_the_loudest_band(hz: float) -> None:
    centres, levels = band_levels([note(hz)], RATE, 0.05)
    assert abs(np.log2(centres[np.argmax(levels)] / hz)) < 1.0 / 6.0


@given(st.floats(0.01, 4.0))
def test_how_loud_it_is_does_not_matter(gain: float) -> None:
    quiet = band_levels([note(150.0, gain)], RATE, 0.05)[1]
    loud = band_levels([note(150.0)], RATE, 0.05)[1]
    assert np.allclose(quiet, loud, atol=1e-6)


def test_no_stroke_has_no_spectrum() -> None:
    with pytest.raises(ValueError, match="no stroke"):
        band_levels([], RATE, 0.05)


def test_the_middle_of_three_strokes_is_not_moved_by_one_that_is_off() -> None:
    times = [0.01, 0.03, 0.05]
    found = middle_curve(
        [(times, [0.0, -3.0, -6.0]), (times, [0.0, -3.0, -6.0]), (times, [40.0, 40.0, 40.0])], 0.06
    )
    assert np.allclose(found[0], times)
    assert np.allclose(found[1], [0.0, -3.0, -6.0])
    assert len(middle_curve([], 1.0)[0]) == 0
