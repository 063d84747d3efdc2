"""A kick whose first moment is its own note has no click to compare."""

import numpy as np
import pytest

from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.quantities import Measured, Unknown

RATE = 44100


def kick(click_level: float) -> np.ndarray:
    """Return four strokes of a 60 Hz kick, with a burst of treble of some level at their start."""
    time = np.arange(RATE) / RATE
    rng = np.random.default_rng(4)
    rise = 1.0 - np.exp(-time / 0.004)
    note = rise * np.sin(2.0 * np.pi * 60.0 * time) * 10.0 ** (-3.0 * time / 0.5)
    burst = np.diff(rng.standard_normal(len(time) + 1)) * np.exp(-time / 0.002)
    one = note + click_level * burst
    lead = np.zeros(RATE // 2)
    return np.concatenate([lead, *(gain * one for gain in (0.5, 0.45, 0.48, 0.5))])[:, None]


@pytest.mark.parametrize(("click_level", "measured"), [(0.0, False), (3.0, True)])
def test_a_click_is_measured_only_where_one_stands_out(click_level: float, measured: bool) -> None:
    card = analyse(Audio(kick(click_level), RATE), kind="hit", voice="kick").voices[0]
    click = card["click"]
    if measured:
        assert isinstance(click, Measured) and click.value > 1000.0
    else:
        assert isinstance(click, Unknown) and "no click stands out" in click.reason
