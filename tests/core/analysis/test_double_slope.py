"""Two slopes are told from one, and from one that beats."""

import numpy as np
import pytest

from emblar.core.analysis.pitch.double_slope import FEWEST, two_slopes

TIME = np.concatenate([np.arange(0.03, 0.18, 0.012), np.arange(0.18, 1.1, 0.035)])


def levels(parts: list[tuple[float, float]], off_db: float = 0.0, seed: int = 0) -> np.ndarray:
    """Return the level of exponentials (dB, T60 in s) added, each reading off by some dB."""
    since = TIME - TIME[0]
    power = sum(10.0 ** ((db - 60.0 * since / t60) / 10.0) for db, t60 in parts)
    return 10.0 * np.log10(power) + np.random.default_rng(seed).normal(0.0, off_db, len(TIME))


@pytest.mark.parametrize(
    ("t60_s", "off_db"), [(0.15, 0.0), (0.3, 0.0), (0.5, 0.0), (0.3, 1.0), (0.5, 1.0)]
)
@pytest.mark.parametrize(("room_db", "room_s"), [(-12.0, 1.2), (-18.0, 2.5), (-20.0, 1.6)])
def test_the_faster_of_two_slopes_is_measured(
    t60_s: float, room_db: float, room_s: float, off_db: float
) -> None:
    found = [
        two_slopes(TIME, levels([(0.0, t60_s), (room_db, room_s)], off_db, seed))
        for seed in range(9)
    ]
    assert all(two is not None and two.left < 0.4 for two in found)
    assert np.median([two.fast_s for two in found if two]) == pytest.approx(t60_s, rel=0.2)


@pytest.mark.parametrize("t60_s", [0.2, 0.6, 1.5])
def test_two_slopes_explain_one_slope_no_better(t60_s: float) -> None:
    for seed in range(6):
        two = two_slopes(TIME, levels([(0.0, t60_s)], 1.0, seed))
        assert two is not None and two.left > 0.55


def test_a_pair_of_modes_that_beats_dies_away_in_one_slope() -> None:
    beat = 20.0 * np.log10(np.abs(1.0 + 0.6 * np.exp(2j * np.pi * 4.0 * TIME)))
    two = two_slopes(TIME, beat - 60.0 * TIME / 0.9)
    assert two is not None and two.left > 0.55


def test_neither_the_level_nor_the_time_of_the_stroke_matters() -> None:
    own = levels([(0.0, 0.25), (-15.0, 1.5)])
    one, other = two_slopes(TIME, own), two_slopes(TIME + 0.4, own - 37.0)
    assert one is not None and other is not None
    assert other.fast_s == pytest.approx(one.fast_s)


def test_a_few_levels_are_too_few() -> None:
    own = levels([(0.0, 0.1), (-12.0, 2.0)])
    assert two_slopes(TIME[: FEWEST - 1], own[: FEWEST - 1]) is None
    assert two_slopes(TIME[:0], own[:0]) is None
