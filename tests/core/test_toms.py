"""The pitches of the toms by school: as asked, inside each drum's range, from high to low."""

from dataclasses import replace
from itertools import pairwise

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.errors import InputError
from emblar.core.notes import cents
from emblar.core.planning.toms import School, best_note_hz, tom_pitches_hz, tom_range_hz, triad
from tests.drums import OWNED_TOM

DRUMS = [
    replace(OWNED_TOM, name="Rack 10", diameter_in=10.0, depth_in=7.0),
    OWNED_TOM,
    replace(OWNED_TOM, name="Floor 16", diameter_in=16.0, depth_in=14.0),
]
RECORD = [150.0, 115.0, 82.0]


@pytest.mark.parametrize(("school", "semitones"), [("thirds", 4), ("fourths", 5), ("fifths", 7)])
def test_intervals_go_up_from_the_lowest(school: School, semitones: int) -> None:
    found = tom_pitches_hz(SHIPPED, school, RECORD, DRUMS, "")
    assert found[-1] == pytest.approx(82.0)
    for high, low in pairwise(found):
        assert cents(high, low) == pytest.approx(100.0 * semitones, abs=0.1)


def test_the_key_moves_each_tom_to_the_nearest_tone_of_its_triad() -> None:
    found = tom_pitches_hz(SHIPPED, "key", RECORD, DRUMS, "D major")
    # D3, A2 and F#2 or D2: never more than two tones away.
    for hz, record in zip(found, RECORD, strict=True):
        semitone = 69.0 + cents(hz, 440.0) / 100.0
        assert semitone == pytest.approx(round(semitone), abs=1e-6)
        assert round(semitone) % 12 in triad("D major")
        assert abs(cents(hz, record)) <= 250.0


def test_each_drums_best_note_is_its_longest_within_its_range() -> None:
    found = tom_pitches_hz(SHIPPED, "best", [None] * 3, DRUMS, "")
    for hz, drum in zip(found, DRUMS, strict=True):
        low, high = tom_range_hz(SHIPPED, drum)
        assert low < hz < high
        assert best_note_hz(SHIPPED, drum, (low, high)) >= hz


def test_a_pitch_outside_a_drums_range_is_held_at_its_end() -> None:
    found = tom_pitches_hz(SHIPPED, "record", [900.0, 115.0, 82.0], DRUMS, "")
    assert found[0] == pytest.approx(tom_range_hz(SHIPPED, DRUMS[0])[1])
    assert all(a >= b for a, b in pairwise(found))


@pytest.mark.parametrize(
    ("key", "tones"),
    [("C", (0, 4, 7)), ("F# minor", (6, 9, 1)), ("Bb major", (10, 2, 5)), ("e min", (4, 7, 11))],
)
def test_keys_are_read(key: str, tones: tuple[int, int, int]) -> None:
    assert triad(key) == tones


def test_what_cannot_be_read_is_said() -> None:
    with pytest.raises(InputError, match="“H dur” is not a key"):
        triad("H dur")
    with pytest.raises(InputError, match="Rack 12: the record does not tell its pitch"):
        tom_pitches_hz(SHIPPED, "record", [150.0, None, 82.0], DRUMS, "")
