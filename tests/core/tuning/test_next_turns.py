"""Next turns bring a head to its note evenly, whatever a turn does on it, and never harm it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.hidden_head import HiddenHead, Response, tune
from emblar.core.acoustics.drum import METRES_PER_INCH, METRES_PER_MIL, Drum, Film, Kind
from emblar.core.errors import InputError
from emblar.core.tuning.goals import tuning_goal
from emblar.core.tuning.head_state import HeadState, after_readings, after_turns, head_at
from emblar.core.tuning.next_turns import next_turns, rods_in_order

HEADS = 40


def share_good(response: Response | None = None) -> float:
    return float(np.mean([tune(HiddenHead(seed, response)).good for seed in range(HEADS)]))


def test_hidden_heads_come_to_their_note_evenly_in_four_rounds() -> None:
    assert share_good() >= 0.95


@pytest.mark.parametrize(
    "response",
    [
        Response(strength=2.0),
        Response(strength=0.5),
        Response(sharing=0.05),
        Response(sharing=0.5),
        Response(slips=0.03),
    ],
)
def test_a_response_the_model_does_not_have_still_works_out(response: Response) -> None:
    assert share_good(response) >= 0.9


def read(rods: int, cents: list[float | None], sd: float = 5.0, per_turn: float = 0.4) -> HeadState:
    return after_readings(head_at(rods, 1.0, per_turn), cents, sd)


def test_an_even_head_on_its_note_is_left_alone() -> None:
    state = read(8, [0.5, -1.0, 1.0, 0.0, 0.0, -0.5, 1.0, 0.0], 2.0)
    found = next_turns(state)
    assert (found.why, found.done, set(found.turns)) == ("there", True, {0.0})


def test_a_head_of_which_too_little_is_sure_is_tapped_again_and_then_left() -> None:
    state = read(6, [4.0, -5.0, 5.0, -4.0, 5.0, -5.0], 12.0)
    assert next_turns(state).why in ("tap again", "turn")
    for _ in range(6):
        state = after_readings(state, [0.0] * 6, 12.0)
    assert next_turns(state).done


def test_a_sharp_head_comes_down_to_its_note_and_no_further() -> None:
    found = next_turns(read(6, [120.0] * 6, 3.0))
    assert max(found.turns) <= 0.0
    assert -60.0 < found.after_mean_cents < 60.0


@settings(max_examples=60, deadline=None)
@given(
    rods=st.sampled_from([4, 5, 6, 8, 10, 12]),
    cents=st.lists(st.floats(-900.0, 400.0), min_size=12, max_size=12),
    per_turn=st.floats(0.02, 5.0),
)
def test_turns_are_sixteenths_bounded_and_never_worse_than_now(
    rods: int, cents: list[float], per_turn: float
) -> None:
    state = read(rods, list(cents[:rods]), per_turn=per_turn)
    found = next_turns(state)
    assert all((16.0 * t).is_integer() and abs(t) <= 4.0 for t in found.turns)
    if found.why == "turn":
        assert sorted(found.order) == [r for r, t in enumerate(found.turns) if t]
        now, after = state.cents(), after_turns(state, found.turns).cents()
        assert np.sum(after**2) < np.sum(now**2)
    else:
        assert not any(found.turns)


@pytest.mark.parametrize("rods", [4, 5, 6, 8, 10, 12, 20])
def test_cross_order_goes_to_the_opposite_rod_first(rods: int) -> None:
    order = rods_in_order(rods, "cross")
    assert sorted(order) == list(range(rods))
    assert order[1] == rods // 2
    assert rods_in_order(rods, "round") == tuple(range(rods))


def test_what_a_turn_does_is_learned_from_the_readings() -> None:
    head = HiddenHead(5, Response(strength=2.0))
    state = after_readings(head.state(), head.read(1.0), 1.0)
    head.turn(np.full(head.drum.rods, 0.5), error=0.0)
    learned = after_readings(after_turns(state, [0.5] * head.drum.rods), head.read(1.0), 1.0)
    assert learned.gain_sd < 0.3 * state.gain_sd
    assert learned.gain / state.gain == pytest.approx(2.0, rel=0.2)


@pytest.mark.parametrize("wrong", [1200.0, -1200.0, 600.0, -600.0])
def test_one_wrong_reading_is_asked_for_again_before_anything_is_turned(wrong: float) -> None:
    cents: list[float | None] = [-300.0, -290.0, -310.0, -305.0, -295.0, -300.0]
    cents[2] = -310.0 + wrong
    state = read(6, cents)
    found = next_turns(state)
    assert (found.why, found.tap_again, any(found.turns)) == ("check reading", (2,), False)
    right = after_readings(state, [None, None, -308.0, None, None, None], 5.0)
    assert next_turns(right).why == "turn"
    assert right.mean_cents() == pytest.approx(-300.0, abs=10.0)


def test_an_octave_read_twice_is_left_out_and_the_rest_is_tuned() -> None:
    cents: list[float | None] = [-300.0, -290.0, 890.0, -305.0, -295.0, -300.0]
    state = after_readings(read(6, cents), [None, None, 890.0, None, None, None], 5.0)
    found = next_turns(state)
    assert found.why == "turn"
    assert state.mean_cents() == pytest.approx(-300.0, abs=25.0)
    assert max(found.turns) < 2.5 * max(min(found.turns), 1.0 / 16.0)


def test_a_rod_that_came_loose_counts_once_it_is_read_twice() -> None:
    even = read(6, [0.0] * 6, 3.0)
    loose: list[float | None] = [-350.0, None, None, None, None, None]
    state = after_readings(even, loose, 3.0)
    assert next_turns(state).why == "check reading"
    state = after_readings(state, loose, 3.0)
    found = next_turns(state)
    assert found.why == "turn"
    assert found.turns[0] > 0.0


def test_a_head_that_was_changed_without_emblar_is_taken_as_it_is_now() -> None:
    state = read(6, [-110.0] * 6, 4.0)
    now = after_readings(state, [-280.0, -275.0, -282.0, -279.0, -284.0, -277.0], 4.0)
    assert now.suspects == ()
    assert now.mean_cents() == pytest.approx(-280.0, abs=8.0)
    assert next_turns(now).why == "turn"


def test_missing_readings_are_usual() -> None:
    state = read(8, [-200.0, None, -190.0, None, None, -210.0, -200.0, None])
    assert next_turns(state).why == "turn"


def test_turns_that_changed_nothing_are_not_repeated() -> None:
    state = read(6, [-400.0] * 6)
    found = next_turns(state)
    for _ in range(10):
        state = after_readings(after_turns(state, found.turns), [-400.0] * 6, 5.0)
        again = next_turns(state)
        assert (again.why, any(again.turns)) == ("no effect", False)
        assert state.gain_sd > 0.2, "nothing is learned of a turn that did not reach the head"
    moved = after_readings(after_turns(state, found.turns), [-150.0] * 6, 5.0)
    assert next_turns(moved).why != "no effect"


def test_turns_the_wrong_way_are_not_repeated() -> None:
    state = read(6, [-400.0] * 6)
    state = after_readings(after_turns(state, next_turns(state).turns), [-520.0] * 6, 5.0)
    assert next_turns(state).why == "no effect"


def test_no_rod_is_turned_past_what_the_head_may_bear() -> None:
    state = read(6, [-150.0, 0.0, -150.0, -150.0, 0.0, -150.0], 3.0)
    free, bounded = next_turns(state), next_turns(state, most_tension=1.02)
    after = after_turns(state, bounded.turns)
    assert after.tensions.max() <= max(1.02, state.tensions.max()) + 1e-9
    assert free.why == "turn"
    assert sum(bounded.turns) < sum(free.turns)


def drum(kind: Kind, size: float, *mil: float) -> Drum:
    film = Film(tuple(m * METRES_PER_MIL for m in mil))
    reso = Film((3.0 * METRES_PER_MIL,)) if kind == "snare" else film
    return Drum(kind, size * METRES_PER_INCH, 0.5 * size * METRES_PER_INCH, 8, film, reso)


@pytest.mark.parametrize(
    ("made", "side", "hz", "says"),
    [
        (drum("tom", 12.0, 10.0), "batter", 900.0, "Hz or less"),
        (drum("snare", 14.0, 10.0), "reso", 700.0, "Hz or less"),
        (drum("kick", 22.0, 7.0, 7.0), "batter", 15.0, "has no note below"),
    ],
)
def test_a_goal_that_is_not_safe_is_refused_with_the_nearest_that_is(
    made: Drum, side: str, hz: float, says: str
) -> None:
    goal = tuning_goal(made, "batter" if side == "batter" else "reso", hz)
    assert says in goal.refusal
    with pytest.raises(InputError, match=f"{hz:.0f} Hz"):
        goal.check()
    nearest = goal.high_hz if hz > goal.high_hz else goal.low_hz
    assert f"{nearest:.0f} Hz" in goal.refusal
    inside = 0.98 * nearest if hz > nearest else 1.02 * nearest
    assert not tuning_goal(made, "batter" if side == "batter" else "reso", inside).refusal
