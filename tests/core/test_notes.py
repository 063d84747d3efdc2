import pytest
from hypothesis import given
from hypothesis import strategies as st

from emblar.core.notes import cents, nearest_note, note_frequency_hz, note_text, shifted, spread_hz
from emblar.core.quantities import Measured, Unknown, reason_or_none, value_or_none

pitches = st.floats(20.0, 2000.0)


@pytest.mark.parametrize(
    ("hz", "text"),
    [(440.0, "A4 +0 ct"), (146.8, "D3 +0 ct"), (126.5, "B2 +42 ct"), (261.63, "C4 +0 ct")],
)
def test_a_pitch_is_written_as_note_and_cents(hz: float, text: str) -> None:
    assert note_text(hz) == text


@given(pitches, st.floats(-1200, 1200))
def test_shifting_by_cents_and_measuring_them_are_inverse(hz: float, up: float) -> None:
    assert cents(shifted(hz, up), hz) == pytest.approx(up, abs=1e-6)


def test_a_spread_in_cents_is_one_in_hz_that_reaches_that_far_up() -> None:
    assert spread_hz(110.0, 1200.0) == pytest.approx(110.0)
    assert spread_hz(110.0, 0.0) == 0.0
    assert cents(110.0 + spread_hz(110.0, 35.0), 110.0) == pytest.approx(35.0)


@given(pitches)
def test_the_nearest_note_is_within_half_a_semitone(hz: float) -> None:
    _, deviation = nearest_note(hz)
    assert -50 <= deviation <= 50


def test_midi_69_is_a4() -> None:
    assert note_frequency_hz(69) == 440.0


@pytest.mark.parametrize("bad", [float("nan"), float("inf")])
def test_a_measured_quantity_is_never_nan_or_infinite(bad: float) -> None:
    with pytest.raises(ValueError, match="not a measured quantity"):
        Measured(bad, 1.0, "Hz")


def test_what_cannot_be_told_has_a_reason_and_no_value() -> None:
    unknown = Unknown("cut off")
    assert value_or_none(unknown) is None
    assert reason_or_none(unknown) == "cut off"
    assert reason_or_none(Measured(1.0, 0.1, "s")) is None
