"""Where a drum is tuned under a backing: all strokes together, with what the partial says."""

import numpy as np
import pytest

from emblar.core.analysis.card.measure import OVER_BED, measure_voice
from emblar.core.analysis.signal.low_band import DECIMATION, StrokeSpan
from emblar.core.analysis.voices.embedding import Heard, at_hz, heard_of
from emblar.core.analysis.voices.pitch_posterior import (
    EARLY_SHARP_CENTS,
    WORTH_STROKES,
    Tuned,
    high_to_low,
    tuned,
    weighed,
)
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Unknown
from tests.core.analysis.test_joint_clustering import GAP_S, song

PITCHES = [150.0, 106.0, 75.0]


def told(*hz: float, semitones: float = 1.0) -> Heard:
    """Return what is heard of strokes that are each about one of these frequencies."""
    away = 12.0 * np.log2(at_hz() / np.array(hz)[:, None]) / semitones
    chance = np.exp(-0.5 * away**2) + 1e-6
    return Heard(np.zeros((len(hz), 1)), np.log(chance / chance.sum(axis=1, keepdims=True)))


@pytest.mark.parametrize("hz", [58.0, 98.0, 190.0])
def test_strokes_that_agree_tell_where_their_drum_is_tuned(hz: float) -> None:
    found = tuned([told(*[hz] * 5)])
    assert found is not None
    assert abs(cents(found.hz, hz) + EARLY_SHARP_CENTS) < 12.0
    assert 30.0 < found.sd_cents < 100.0


def test_more_strokes_are_surer_but_no_more_than_a_few() -> None:
    one, some, many = (
        tuned([told(*[98.0] * count, semitones=1.2)]) for count in (2, WORTH_STROKES, 40)
    )
    assert one is not None and some is not None and many is not None
    assert one.sd_cents > some.sd_cents
    assert some.sd_cents == pytest.approx(many.sd_cents)


def test_one_stroke_or_strokes_that_disagree_tell_nothing() -> None:
    assert tuned([told(98.0)]) is None
    assert tuned([told(98.0, 98.0, 160.0, 160.0)]) is None
    # A side that knows better is listened to.
    found = tuned([told(98.0, 98.0, 160.0, 160.0), told(*[98.0] * 4)])
    assert found is not None
    assert abs(cents(found.hz, 98.0)) < 50.0


@pytest.mark.parametrize("count", [0, 1, 2, 4])
def test_toms_are_put_in_order_from_high_to_low(count: int) -> None:
    pitches = [82.0, 140.0, 61.0, 105.0][:count]
    order = high_to_low([[told(*[hz] * 3).pitch] for hz in pitches])
    assert [pitches[i] for i in order] == sorted(pitches, reverse=True)


def test_a_tom_that_another_note_hides_in_the_middle_is_placed_by_the_side() -> None:
    # In the middle its strokes say something low, not surely; in the side where it is.
    hidden = [told(*[72.0] * 4, semitones=14.0).pitch, told(*[165.0] * 4).pitch]
    others = [[told(*[hz] * 4).pitch] * 2 for hz in (110.0, 80.0)]
    assert high_to_low([*others, hidden]) == (2, 0, 1)
    assert high_to_low([*others, hidden[:1] * 2]) == (0, 1, 2)


def test_a_partial_near_by_is_weighed_in_and_one_far_off_is_anothers() -> None:
    own = Tuned(100.0, 50.0)
    both = weighed(own, Tuned(103.0, 15.0))
    assert both is not None
    assert 100.0 < both.hz < 103.0
    assert both.sd_cents < own.sd_cents
    assert weighed(own, Tuned(125.0, 15.0)) is None
    same = weighed(own, Tuned(100.0, 15.0))
    assert same is not None
    assert same.hz == pytest.approx(100.0)


def _mono(low: np.ndarray) -> np.ndarray:
    return np.repeat(low, DECIMATION)


@pytest.mark.parametrize("bass_db", [-14.0, -6.0, 0.0])
def test_a_tom_with_no_clean_stroke_is_told_within_its_uncertainty(bass_db: float) -> None:
    low, times = song(PITCHES * 6, bass_db)
    for first, hz in enumerate(PITCHES):
        every = [StrokeSpan(float(t), GAP_S) for t in times[first :: len(PITCHES)]]
        card = measure_voice(
            "tom-1", _mono(low), [low], [], levels_db=[-10.0] * 6, mix=True, every=every
        )
        assert isinstance(card["pitch"], Measured)
        assert card.pitch_sd_cents is not None
        off = abs(cents(card["pitch"].value, hz))
        assert off < 2.5 * card.pitch_sd_cents < 250.0
        # What needs an undisturbed stroke is not told.
        assert isinstance(card["sustain"], Unknown)
        assert isinstance(card["onset"], Unknown)


def test_strokes_on_different_drums_are_no_one_drums_tuning() -> None:
    low, times = song([60.0, 85.0, 120.0, 170.0, 235.0] * 3, -99.0)
    every = [StrokeSpan(float(t), GAP_S) for t in times]
    assert tuned([heard_of(low, every)]) is None
    card = measure_voice("tom-1", _mono(low), [low], [], levels_db=[-10.0], mix=True, every=every)
    assert card["pitch"] == Unknown(OVER_BED)
