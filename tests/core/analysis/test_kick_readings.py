"""A kick with more than one note in it: which is planned for, and whose word counts."""

from dataclasses import replace

import pytest

from emblar.core.analysis.pipeline import Analysis
from emblar.core.planning.pooled import Evidence, Source, pooled_card
from emblar.core.planning.target import readings, target_from_card
from emblar.core.quantities import Measured
from emblar.core.quantities.card import Alternative, Card


@pytest.fixture
def kick(song_analysis: Analysis) -> Card:
    card = next(v for v in song_analysis.voices if v.voice == "kick")
    return replace(
        card.having({"pitch": Measured(131.0, 2.0, "Hz"), "sustain": Measured(0.25, 0.02, "s")}),
        alternatives=(Alternative(52.0, -5.0), Alternative(38.0, -8.9)),
    )


def test_the_lowest_strong_mode_of_a_damped_kick_is_planned_for(kick: Card) -> None:
    rows = readings(kick)
    assert [r.hz for r in rows] == [52.0, 131.0, 38.0]
    assert [r.planned for r in rows] == [True, False, False]
    target = target_from_card(kick)
    assert target.value("pitch") == 52.0
    assert "another pitch" in target.missing["sustain"], "it was read of the other mode"


def test_a_kick_that_rings_is_planned_as_it_was_read(kick: Card) -> None:
    open_kick = kick.having({"sustain": Measured(1.4, 0.1, "s")})
    assert target_from_card(open_kick).value("pitch") == 131.0
    tom = replace(kick, voice="tom-1")
    assert target_from_card(tom).value("pitch") == 131.0


def test_who_is_sure_wins_over_the_measurement_and_over_the_rule(kick: Card) -> None:
    def said(confidence: float) -> Card:
        piece = Evidence("pitch", 38.0, 0.5, confidence, "the tech")
        return pooled_card([Source("a.flac", "drums", kick)], [piece])[0]

    sure, likely = said(0.9), said(0.5)
    assert target_from_card(sure).value("pitch") == 38.0
    assert [r.hz for r in readings(sure)] == [38.0, 131.0, 52.0], "the others stay on offer"
    assert target_from_card(likely).value("pitch") == 52.0


def test_what_lies_within_the_spread_of_the_pitch_is_no_other_reading(
    song_analysis: Analysis,
) -> None:
    for card in song_analysis.voices:
        told = card["pitch"]
        if isinstance(told, Measured):
            for other in card.alternatives:
                assert abs(other.frequency_hz / told.value - 1.0) > 0.025
