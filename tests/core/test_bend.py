"""Bend: the swing stretches the film, and the stretched film limits the swing."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from emblar.core.acoustics.bend import bend_at_force, bend_cents

LINEAR = st.floats(0.0, 20.0)


@pytest.mark.parametrize("linear", [0.01, 0.1, 0.3])
def test_the_start_is_as_sharp_as_the_equation_of_motion_says(linear: float) -> None:
    """Strike a mass on a spring that stiffens, and time its swings."""

    def motion(_: float, state: np.ndarray) -> list[float]:
        return [state[1], -state[0] - linear * state[0] ** 3]

    def place(_: float, state: np.ndarray) -> float:
        return float(state[0])

    swing = solve_ivp(motion, (0.0, 40.0), [0.0, 1.0], events=place, rtol=1e-9, atol=1e-9)
    assert swing.t_events is not None
    period = 2.0 * np.diff(swing.t_events[0][1:]).mean()
    assert bend_cents(linear) == pytest.approx(1200.0 * np.log2(2.0 * np.pi / period), rel=0.06)


@given(linear=LINEAR, more=st.floats(1.01, 4.0))
def test_a_harder_stroke_starts_sharper_but_less_than_its_energy_says(
    linear: float, more: float
) -> None:
    soft, hard = bend_cents(linear), bend_cents(more**2 * linear)
    assert soft <= hard <= more**2 * soft + 1e-9


@given(linear=LINEAR, force=st.floats(0.2, 4.0))
def test_the_bend_of_another_force_is_that_of_its_swing(linear: float, force: float) -> None:
    other = bend_at_force(bend_cents(linear), force)
    assert other == pytest.approx(bend_cents(force**2 * linear), abs=1e-6)
