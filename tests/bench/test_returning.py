"""The way back, with turns that do 15 % more or less than they say."""

from bench.returning import CLOSE_CENTS, CLOSE_STEPS, come_back


def test_tapped_round_after_the_turns_a_drum_is_where_it_was() -> None:
    found = [one for one in map(come_back, range(12)) if one is not None]
    assert len(found) >= 8
    assert max(one.taps.steps for one in found) <= CLOSE_STEPS
    close = [one.taps.head_cents <= CLOSE_CENTS for one in found]
    assert sum(close) >= len(close) - 1
    assert sum(o.turns.rod_cents for o in found) > 2.0 * sum(o.taps.rod_cents for o in found)
