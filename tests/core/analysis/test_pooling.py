import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.analysis.pipeline import Analysis
from emblar.core.errors import InputError
from emblar.core.planning.pooled import (
    Evidence,
    Pooled,
    Source,
    check_evidence,
    pooled_card,
    with_evidence,
)
from emblar.core.quantities import Measured, Unknown
from emblar.core.quantities.card import Card


def said(value: float, *, sd: float | None = None, sure: float = 0.5) -> Evidence:
    return Evidence("sustain", value, sd, sure, "the engineer")


@pytest.fixture
def tom(song_analysis: Analysis) -> Card:
    return next(v for v in song_analysis.voices if v.voice == "tom-1")


@pytest.fixture
def kick(song_analysis: Analysis) -> Card:
    return next(v for v in song_analysis.voices if v.voice == "kick")


@given(st.floats(0.2, 4.0), st.floats(0.02, 0.5), st.floats(0.9, 1.1), st.floats(0.1, 1.0))
def test_evidence_that_agrees_is_weighed_in_and_makes_surer(
    value: float, sd: float, off: float, sure: float
) -> None:
    before = Measured(value, sd, "s")
    after = with_evidence(Pooled(before, "x.wav"), [said(value * off, sd=sd, sure=sure)])
    assert isinstance(after.quantity, Measured)
    if abs(value * off - value) < 2.0 * sd:
        assert after.quantity.sd < before.sd
        low, high = sorted((value, value * off))
        # Between both, to the last digit of a float.
        assert low * (1 - 1e-12) <= after.quantity.value <= high * (1 + 1e-12)
        assert "the engineer" in after.origin


def test_evidence_that_contradicts_the_measurement_is_told_and_left_out() -> None:
    before = Measured(1.0, 0.05, "s")
    after = with_evidence(Pooled(before, "x.wav"), [said(3.0, sd=0.1)])
    assert after.quantity == before
    assert "says 3 s, left out" in after.origin


def test_evidence_alone_is_better_than_nothing_and_less_sure_if_doubted() -> None:
    nothing = Pooled(Unknown("cut off"), "")
    sure, doubted = (with_evidence(nothing, [said(2.0, sure=s)]).quantity for s in (0.9, 0.25))
    assert isinstance(sure, Measured)
    assert isinstance(doubted, Measured)
    assert sure.value == doubted.value == 2.0
    assert doubted.sd == pytest.approx(sure.sd * math.sqrt(0.9 / 0.25))


def test_single_strokes_count_before_a_mix(tom: Card, kick: Card) -> None:
    sources = [Source("mix.wav", "mix", tom), Source("tom.wav", "hit", kick)]
    card, origins = pooled_card(sources, [])
    assert card["pitch"] == kick["pitch"]
    # What the stroke does not tell comes from the mix, and is said so.
    assert all("mix.wav" in text for text in origins.values())


def test_one_file_and_nothing_said_changes_nothing(tom: Card) -> None:
    card, origins = pooled_card([Source("drums.wav", "drums", tom)], [])
    assert card == tom
    assert origins == {}


def test_a_pitch_by_hand_moves_the_pitch_and_its_uncertainty(tom: Card) -> None:
    assert isinstance(tom["pitch"], Measured)
    near = tom["pitch"].value * 1.002
    evidence = Evidence("pitch", near, 0.3, 0.9, "tuning note")
    card, origins = pooled_card([Source("drums.wav", "drums", tom)], [evidence])
    assert isinstance(card["pitch"], Measured)
    assert tom["pitch"].value < card["pitch"].value < near
    assert card.pitch_sd_cents is not None
    assert tom.pitch_sd_cents is not None
    assert card.pitch_sd_cents < tom.pitch_sd_cents
    assert "tuning note" in origins["pitch"]


@pytest.mark.parametrize(
    ("evidence", "says"),
    [
        (Evidence("loudness", 1.0, None, 0.5, ""), "is not measured"),
        (Evidence("pitch", -3.0, None, 0.5, ""), "above 0 Hz"),
        (Evidence("pitch", math.nan, None, 0.5, ""), "not a number"),
        (Evidence("pitch", 90.0, None, 0.0, ""), "confidence"),
        (Evidence("pitch", 90.0, -1.0, 0.5, ""), "uncertainty"),
    ],
)
def test_evidence_that_cannot_be_is_refused(evidence: Evidence, says: str) -> None:
    with pytest.raises(InputError, match=says):
        check_evidence(evidence)
