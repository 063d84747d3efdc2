"""What earlier changes did on a drum scales what the next ones are said to do."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.catalogue import SHIPPED
from emblar.core.matching.differences import Comparison, compare
from emblar.core.matching.learned import MODEL_SHARE_SD, Share, Trial, learned_shares
from emblar.core.matching.moves import next_moves
from emblar.core.planning.target import moved
from tests.core.matching.test_matching import SETUP, SNARE, strokes, target

EFFECT = {"sustain": -4.0, "ring": -2.0, "pitch": 0.1}


def trial(share: float, sd: float = 0.1) -> Trial:
    return Trial("damper", EFFECT, {n: (share * e, sd) for n, e in EFFECT.items()})


def test_nothing_tried_teaches_nothing() -> None:
    assert learned_shares([]) == {}
    assert learned_shares([Trial("damper", {"pitch": 0.1}, {"pitch": (2.0, 0.1)})]) == {}


@pytest.mark.parametrize("share", [0.3, 0.5, 1.0, 1.8])
def test_a_few_trials_tell_how_much_a_kind_does(share: float) -> None:
    found = learned_shares([trial(share)] * 3)["damper"]
    assert found.mean == pytest.approx(share, abs=0.12)
    assert found.sd < 0.15
    assert found.trials == 3


@given(st.floats(-2.0, 5.0), st.floats(0.05, 20.0), st.integers(1, 5))
def test_a_share_lies_between_what_was_assumed_and_what_was_seen(
    share: float, sd: float, times: int
) -> None:
    found = learned_shares([trial(share, sd)] * times)["damper"]
    low, high = sorted((1.0, share))
    assert max(low, 0.25) - 1e-9 <= found.mean <= min(max(high, 0.25), 3.0) + 1e-9
    assert 0.0 < found.sd < MODEL_SHARE_SD
    assert math.isfinite(found.mean)


def test_takes_too_unsure_to_tell_change_little() -> None:
    assert learned_shares([trial(0.0, sd=50.0)])["damper"].mean == pytest.approx(1.0, abs=0.02)


def higher_on_the_record() -> Comparison:
    record = target(strokes())
    return compare(moved(record, {"pitch": 6.0, "sustain": -4.0}), target(strokes(seed=5)))


def test_what_did_nothing_here_is_not_offered_again() -> None:
    longer = higher_on_the_record()
    assert {m.kind for m in next_moves(SHIPPED, SNARE, SETUP, longer)} > {"turn"}
    nothing = {kind: Share(0.0, 0.05, 4) for kind in ("damper", "turn", "strike", "force", "wires")}
    after = next_moves(SHIPPED, SNARE, SETUP, longer, learned=nothing)
    assert {m.kind for m in after} <= {"head"}


def test_a_move_says_by_how_many_changes_it_was_scaled() -> None:
    found = higher_on_the_record()
    moves = next_moves(SHIPPED, SNARE, SETUP, found, learned={"turn": Share(0.8, 0.1, 2)})
    turns = [m for m in moves if m.kind == "turn"]
    assert turns
    assert all(m.tried == 2 for m in turns)
    assert all(m.tried == 0 for m in moves if m.kind != "turn")
