"""How numbers and times left are written."""

from datetime import UTC, datetime, timedelta

from emblar.frame.words import changed_by, inches, number, pitch, semitones, uncertainty
from emblar.steps.workspace.page import time_left


def test_numbers_are_written_with_unit_sign_and_uncertainty() -> None:
    assert number(2600.0, "Hz") == "2.6 kHz"
    assert number(-16.04, "dB") == "−16.0 dB"
    assert number(-0.01, "ct") == "0 ct"
    assert uncertainty(300.0, 2600.0, "Hz") == "± 0.3"
    assert pitch(146.83) == "146.8 Hz · D3 −0 ct" or pitch(146.83) == "146.8 Hz · D3 +0 ct"
    assert semitones(-1.0) == "reso 1 semitone below batter"
    assert semitones(0.0) == "same lug pitch on both heads"
    assert inches(12.0) == "12 in (305 mm)"


def test_the_time_left_is_told_in_words() -> None:
    now = datetime(2026, 5, 4, 10, 0, tzinfo=UTC)
    assert time_left(None, now) == ""
    assert time_left(now + timedelta(hours=14, minutes=20), now) == "downbeat in 14 h 20 m"
    assert time_left(now + timedelta(days=3, hours=1), now) == "downbeat in 3 d 1 h"
    assert time_left(now - timedelta(minutes=1), now) == "downbeat has passed"


def test_a_change_is_said_without_its_name_twice() -> None:
    assert changed_by("pitch", 3.04) == "pitch 3.0 higher"
    assert changed_by("ring", -0.6) == "0.6 less ring"
    assert changed_by("wires", 0.5) == "0.5 more wires"
    assert changed_by("ring", 0.6, amount=False) == "more ring"
    assert changed_by("length", -1.0, amount=False) == "length shorter"


def test_a_number_is_as_exact_as_it_is_sure() -> None:
    assert number(221.9, "Hz", 3.0) == "222 Hz"
    assert number(221.9, "Hz", 0.3) == "221.9 Hz"
    assert number(1.184, "s", 0.2) == "1.2 s"
    assert number(0.344, "s", 0.02) == "0.34 s"
    assert uncertainty(0.97, 221.9, "Hz") == "± 1"
    # Two figures stand, however unsure they are.
    assert number(1.51, "s", 3.0) == "1.5 s"
    assert pitch(57.1, 59.0) == "57 Hz · near A#1"
    assert pitch(147.5, 3.0) == "147.5 Hz · D3 +8 ct"
