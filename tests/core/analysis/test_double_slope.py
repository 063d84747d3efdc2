"""The faster of two slopes is the drum's; one slope, or a beating one, is not taken for two."""

import numpy as np
import pytest

from emblar.core.analysis.pitch.double_slope import FEWEST, before_room_s

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
def test_the_drum_is_read_before_the_room_takes_over(
    t60_s: float, room_db: float, room_s: float, off_db: float
) -> None:
    told = [
        before_room_s(TIME, levels([(0.0, t60_s), (room_db, room_s)], off_db, seed))
        for seed in range(9)
    ]
    assert all(t is not None for t in told)
    assert float(np.median([t for t in told if t])) == pytest.approx(t60_s, rel=0.2)


@pytest.mark.parametrize("t60_s", [0.2, 0.6, 1.5])
def test_one_slope_is_one(t60_s: float) -> None:
    for seed in range(6):
        assert before_room_s(TIME, levels([(0.0, t60_s)], 1.0, seed)) is None


def test_a_pair_of_modes_that_beats_dies_away_in_one_slope() -> None:
    beat = 20.0 * np.log10(np.abs(1.0 + 0.6 * np.exp(2j * np.pi * 4.0 * TIME)))
    assert before_room_s(TIME, beat - 60.0 * TIME / 0.9) is None


def test_how_loud_it_is_and_when_it_starts_do_not_matter() -> None:
    own = levels([(0.0, 0.25), (-15.0, 1.5)])
    told = before_room_s(TIME, own)
    assert told is not None
    assert before_room_s(TIME + 0.4, own - 37.0) == pytest.approx(told)


def test_a_few_levels_are_too_few() -> None:
    own = levels([(0.0, 0.1), (-12.0, 2.0)])
    assert before_room_s(TIME[: FEWEST - 1], own[: FEWEST - 1]) is None
    assert before_room_s(TIME[:0], own[:0]) is None
