"""Nights and heads' lives: what was put in is found, and too little tells nothing."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.acoustics.drum import Side
from emblar.core.tuning.ageing import Tapped, head_life, is_due, nights, overnight

EVENING = datetime(2026, 3, 1, 20, 0, tzinfo=UTC)


def a_round(setup: int, at: datetime, cents: float, side: Side = "batter") -> list[Tapped]:
    return [
        Tapped(at + timedelta(seconds=20 * rod), setup, side, rod, 180.0 * 2.0 ** (cents / 1200.0))
        for rod in range(6)
    ]


def test_a_head_left_overnight_is_read_before_and_after() -> None:
    readings = [
        row
        for night in range(4)
        for row in (
            *a_round(night, EVENING + timedelta(days=9 * night), 0.0),
            *a_round(night, EVENING + timedelta(days=9 * night, hours=14), -8.0),
        )
    ]
    told = overnight(nights(readings, []), fresh=False)
    assert told is not None
    assert told.value == pytest.approx(-8.0, abs=1e-6)
    assert told.count == 4


def test_two_rounds_of_one_evening_are_no_night() -> None:
    later = a_round(1, EVENING + timedelta(hours=2), -30.0)
    assert nights([*a_round(1, EVENING, 0.0), *later], []) == []


def test_what_was_turned_in_between_is_no_drift() -> None:
    assert (
        nights([*a_round(1, EVENING, 0.0), *a_round(2, EVENING + timedelta(hours=14), 50.0)], [])
        == []
    )


def test_a_week_is_no_night_and_two_days_count_as_two() -> None:
    week = a_round(1, EVENING + timedelta(days=7), -30.0)
    assert nights([*a_round(1, EVENING, 0.0), *week], []) == []
    two = a_round(1, EVENING + timedelta(days=2), -30.0)
    (found,) = nights([*a_round(1, EVENING, 0.0), *two], [])
    assert found.by_cents == pytest.approx(-15.0, abs=1e-6)


def test_one_rod_that_slipped_is_no_drift_of_the_head() -> None:
    after = a_round(1, EVENING + timedelta(hours=14), -6.0)
    slipped = [*after[:2], Tapped(after[2].time, 1, "batter", 2, 90.0), *after[3:]]
    (found,) = nights([*a_round(1, EVENING, 0.0), *slipped], [])
    assert found.by_cents == pytest.approx(-6.0, abs=1e-6)


def test_a_new_heads_first_night_is_told_apart() -> None:
    readings = [*a_round(1, EVENING, 0.0), *a_round(1, EVENING + timedelta(hours=14), -28.0)]
    (found,) = nights(readings, [("batter", EVENING - timedelta(hours=1)), ("reso", EVENING)])
    assert found.age == timedelta(hours=1, seconds=100)
    assert overnight([found] * 3, fresh=False) is None
    young = overnight([found] * 3, fresh=True)
    assert young is not None
    assert young.value == pytest.approx(-28.0, abs=1e-6)


@pytest.mark.parametrize("cases", [[], [5], [5, 6]])
def test_too_few_heads_tell_nothing(cases: list[int]) -> None:
    assert head_life(cases) is None
    assert not is_due(100, head_life(cases))


@given(st.lists(st.integers(1, 30), min_size=3, max_size=20))
def test_a_heads_life_lies_among_those_that_were_and_ends_once(cases: list[int]) -> None:
    life = head_life(cases)
    assert life is not None
    assert min(cases) <= life.value <= max(cases)
    due = [is_due(sessions, life) for sessions in range(60)]
    assert due == sorted(due)
    assert due[-1]


def test_noise_of_the_readings_averages_out() -> None:
    rng = np.random.default_rng(5)
    found = []
    for night in range(30):
        at = EVENING + timedelta(days=9 * night)
        rows = [
            Tapped(r.time, r.setup_id, r.side, r.rod, r.hz * 2.0 ** (rng.normal(0, 4) / 1200.0))
            for r in (*a_round(night, at, 0.0), *a_round(night, at + timedelta(hours=14), -9.0))
        ]
        found += nights(rows, [])
    told = overnight(found, fresh=False)
    assert told is not None
    assert abs(told.value + 9.0) < 3.0 * told.sd
    assert told.sd < 1.0
