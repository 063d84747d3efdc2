"""T60 of a drum with two slopes: its own, or the room's, and never sure of the wrong one."""

import numpy as np
import pytest

from emblar.core.analysis.pitch.decay import UNKNOWN_ROOM, Decay, RoomTail, fit_decay
from emblar.core.quantities.card import Track

TIME = np.concatenate([np.arange(0.03, 0.18, 0.012), np.arange(0.18, 1.25, 0.035)])


def decay(
    parts: list[tuple[float, float]], room: RoomTail, *, off_db: float = 0.0, seed: int = 0
) -> Decay:
    """Read exponentials (dB, T60 in s) added, each level off by some dB."""
    power = sum(10.0 ** ((db - 60.0 * TIME / t60) / 10.0) for db, t60 in parts)
    off = np.random.default_rng(seed).normal(0.0, off_db, len(TIME))
    track = Track(TIME, np.full_like(TIME, 100.0), np.sqrt(power) * 10.0 ** (off / 20.0))
    found = fit_decay(track, 0.0, room=room)
    assert found is not None and found.t60_s is not None
    return found


@pytest.mark.parametrize("fast_s", [0.5, 0.8])
@pytest.mark.parametrize("slow_db", [-8.0, -12.0])
@pytest.mark.parametrize("slow_s", [2.4, 3.5])
def test_a_toms_own_long_ring_is_not_taken_for_a_short_room(
    fast_s: float, slow_db: float, slow_s: float
) -> None:
    parts = [(0.0, fast_s), (slow_db, slow_s)]
    short_room = decay(parts, RoomTail(True, 0.5))
    assert short_room.t60_s is not None
    dry = decay(parts, RoomTail(False))
    assert short_room.t60_s == pytest.approx(dry.t60_s, rel=0.35)
    unknown = decay(parts, UNKNOWN_ROOM)
    assert unknown.t60_s is not None and dry.t60_s is not None
    away = abs(np.log(dry.t60_s / unknown.t60_s))
    assert away <= 0.1 or unknown.doubt >= 0.5 * away, "the longer reading is within two sd"


@pytest.mark.parametrize("fast_s", [0.2, 0.35])
def test_a_room_that_lasts_as_long_as_the_tail_is_left_out(fast_s: float) -> None:
    found = decay([(0.0, fast_s), (-14.0, 1.5)], RoomTail(True, 1.2))
    assert found.t60_s == pytest.approx(fast_s, rel=0.2)
    assert found.doubt > 0.0


def test_a_small_change_changes_the_answer_little() -> None:
    """A ring that grows in small steps from nothing moves T60 in small steps."""
    room = RoomTail(True, 0.9)
    found = [decay([(0.0, 0.55), (db, 1.6)], room) for db in np.arange(-40.0, -6.0, 0.25)]
    steps = np.abs(np.diff([np.log(one.t60_s or np.nan) for one in found]))
    doubts = np.array([one.doubt for one in found])
    assert np.all(steps < np.maximum(0.12, doubts[:-1])), "no flip that the doubt does not cover"


def test_one_slope_is_read_without_doubt() -> None:
    for seed in range(6):
        found = decay([(0.0, 1.0)], UNKNOWN_ROOM, off_db=0.5, seed=seed)
        assert found.t60_s == pytest.approx(1.0, rel=0.1)
        assert found.doubt == 0.0
