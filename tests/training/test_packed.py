"""Weights as they are stored: to nine bits, no more is lost and no more is kept."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from training.stored import packed


@given(st.floats(2.0**-14, 60000.0), st.sampled_from([-1.0, 1.0]))
def test_a_weight_is_kept_to_nine_bits(size: float, sign: float) -> None:
    kept = packed(np.array([sign * size]))
    assert abs(float(kept[0]) / (sign * size) - 1.0) <= 2.0**-9 + 2.0**-11
    assert (kept.view(np.uint16) & 3 == 0).all()
    assert packed(kept).tolist() == kept.tolist()


def test_nothing_stays_nothing() -> None:
    assert packed(np.zeros(3)).tolist() == [0.0] * 3
