"""Rules that can be taken out of the analysis: they are there, and without one it still works."""

import pytest

from bench.rules import RULES, without
from emblar.core.analysis.pipeline import Analysis, analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.synthesis.low_ferry import render_low_ferry


def analysed() -> Analysis:
    song = render_low_ferry()
    return analyse(
        Audio(song.samples[: 5 * song.sample_rate_hz].astype("f4"), song.sample_rate_hz), kind="mix"
    )


@pytest.mark.parametrize("name", RULES)
def test_every_rule_is_where_it_is_said_to_be(name: str) -> None:
    rule = RULES[name]
    there = getattr(rule.where, rule.name)
    assert callable(there) == callable(rule.instead)
    assert there is not rule.instead


def test_without_a_rule_the_analysis_goes_on_and_says_something_else(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    whole = analysed()
    for name in RULES:
        # Taken out by monkeypatch first, so that it comes back after the test.
        monkeypatch.setattr(RULES[name].where, RULES[name].name, RULES[name].instead)
        without(name)
    bare = analysed()
    assert {hit.voice for hit in bare.hits} & {"kick", "snare"}
    assert bare.hits != whole.hits


def test_an_unknown_rule_is_an_error() -> None:
    with pytest.raises(KeyError):
        without("nothing-such")
