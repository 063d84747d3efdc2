"""Next turns bring a head to its note evenly, whatever a turn does on it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.hidden_head import HiddenHead, Response, tune
from emblar.core.tuning.head_state import after_readings, after_turns, head_at
from emblar.core.tuning.next_turns import next_turns, rods_in_order

HEADS = 40


def share_good(response: Response | None = None) -> float:
    return float(np.mean([tune(HiddenHead(seed, response)).good for seed in range(HEADS)]))


def test_hidden_heads_come_to_their_note_evenly_in_four_rounds() -> None:
    assert share_good() >= 0.9


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
    assert share_good(response) >= 0.8


def test_an_even_head_on_its_note_is_left_alone() -> None:
    state = after_readings(head_at(8, 1.0, 0.4), [0.5, -1.0, 1.0, 0.0, 0.0, -0.5, 1.0, 0.0], 2.0)
    found = next_turns(state)
    assert (found.why, found.done, set(found.turns)) == ("there", True, {0.0})


def test_a_rod_that_came_down_comes_up_before_the_head_is_done() -> None:
    state = after_readings(head_at(6, 1.0, 0.4), [0.0] * 6, 2.0)
    found = next_turns(state, owed=[2])
    assert not found.done
    assert found.turns[2] > 0.0


def test_a_sharp_head_goes_below_its_note_first() -> None:
    state = after_readings(head_at(6, 1.2, 0.4), [120.0] * 6, 3.0)
    found = next_turns(state)
    assert max(found.turns) <= 0.0
    assert found.after_mean_cents < 0.0


@settings(max_examples=60, deadline=None)
@given(
    rods=st.sampled_from([4, 5, 6, 8, 10, 12]),
    cents=st.lists(st.floats(-900.0, 400.0), min_size=12, max_size=12),
    per_turn=st.floats(0.02, 5.0),
)
def test_turns_are_sixteenths_and_bounded(rods: int, cents: list[float], per_turn: float) -> None:
    state = after_readings(head_at(rods, 1.0, per_turn), cents[:rods], 5.0)
    found = next_turns(state)
    assert all((16.0 * t).is_integer() and abs(t) <= 2.0 for t in found.turns)
    assert sorted(found.order) == [r for r, t in enumerate(found.turns) if t]
    assert np.isfinite(after_turns(state, found.turns).mean).all()


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
    assert learned.gain / state.gain == pytest.approx(2.0, rel=0.15)


def test_taps_cannot_tell_one_rod_tight_and_its_opposite_slack() -> None:
    even = after_readings(head_at(8, 1.0, 0.4), [0.0] * 8, 2.0)
    hidden = even.covariance[:8, :8]
    one_against_other = np.zeros(8)
    one_against_other[[0, 4]] = 1.0, -1.0
    together = np.full(8, 1.0 / 8.0)
    assert one_against_other @ hidden @ one_against_other > 50.0 * together @ hidden @ together
