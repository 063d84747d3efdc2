"""Cymbals and pads: advice goes the way that brings the take to the record."""

import pytest

from emblar.core.matching.differences import compare
from emblar.core.matching.pads import pad_advice, what_to_bring
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured


def cymbal(click_hz: float, length_s: float, attack_db: float = -4.0) -> Target:
    return Target(
        "cymbal",
        {
            "click": Measured(click_hz, 100.0, "Hz"),
            "length": Measured(length_s, 0.02, "s"),
            "attack": Measured(attack_db, 0.3, "dB"),
        },
        {},
    )


def test_a_cymbal_like_the_records_needs_nothing() -> None:
    assert pad_advice(compare(cymbal(8000.0, 0.5), cymbal(8100.0, 0.51))) == ()


def test_the_largest_difference_comes_first() -> None:
    found = pad_advice(compare(cymbal(6000.0, 0.5), cymbal(8000.0, 2.0)))
    assert [a.quantity for a in found] == ["length", "click"]
    assert "longer" in found[0].says
    assert "brighter" in found[1].says


@pytest.mark.parametrize(
    ("take", "says", "tries"),
    [(cymbal(4000.0, 0.5), "darker", "brighter"), (cymbal(8000.0, 0.2), "sooner", "larger")],
)
def test_what_is_tried_last_is_another_cymbal(take: Target, says: str, tries: str) -> None:
    (found,) = pad_advice(compare(cymbal(8000.0, 0.5), take))
    assert says in found.says
    assert tries in found.tries[-1]


def test_there_is_a_word_for_every_part() -> None:
    assert len({what_to_bring(part) for part in ("hat", "cymbal", "snare", None)}) == 3
