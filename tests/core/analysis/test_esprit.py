"""Damped sinusoids in a piece: what they are, also next to one that grows."""

import numpy as np
import pytest

from emblar.core.analysis.pitch.esprit import fit_damped_sinusoids


@pytest.mark.parametrize("rising", [0.0, 1e-7])
def test_a_growing_sinusoid_does_not_hide_the_level_of_a_damped_one(rising: float) -> None:
    rate = 2300.0
    time = np.arange(420) / rate
    piece = np.exp(-5.0 * time) * np.sin(2.0 * np.pi * 34.0 * time)
    piece += rising * np.exp(84.0 * time) * np.cos(2.0 * np.pi * 68.0 * time)
    fit = fit_damped_sinusoids(piece, rate, count=2 if rising else 1)
    damped = min(fit, key=lambda s: abs(s.frequency_hz - 34.0))
    assert damped.frequency_hz == pytest.approx(34.0, rel=1e-3)
    assert damped.decay_rate == pytest.approx(5.0, rel=0.02)
    assert damped.amplitude == pytest.approx(1.0, rel=0.02)
