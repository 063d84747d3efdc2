"""A plain room on a take, for listening."""

import numpy as np
import pytest

from emblar.core.errors import InputError
from emblar.core.matching.room import in_a_room, rooms

RATE = 44100


def click(length_s: float = 3.0) -> np.ndarray:
    samples = np.zeros(round(length_s * RATE))
    samples[0] = 1.0
    return samples


def t60_s(tail: np.ndarray) -> float:
    """The time in which the energy left (Schroeder) falls by 60 dB, from its first 5 to 25 dB."""
    left = 10.0 * np.log10(np.cumsum(tail[::-1] ** 2)[::-1] / np.sum(tail**2) + 1e-12)
    first, last = int(np.argmax(left < -5.0)), int(np.argmax(left < -25.0))
    return 60.0 * (last - first) / RATE / 20.0


@pytest.mark.parametrize("name", rooms())
def test_a_room_lasts_and_weighs_what_its_row_says(name: str) -> None:
    room, heard = rooms()[name], in_a_room(click(), name, RATE)
    tail = heard - click()
    assert 10.0 * np.log10(np.sum(tail**2)) == pytest.approx(room.wet_db, abs=0.3)
    first = round(room.first_ms / 1000.0 * RATE)
    assert np.abs(tail[: first - 1]).max() < 1e-9, "nothing before the first wall"
    assert 0.45 * room.t60_s < t60_s(tail[first:]) < 1.1 * room.t60_s, "dull parts last longest"


def test_rooms_grow_and_the_dry_sound_stays_in_them() -> None:
    lasting = [t60_s(in_a_room(click(), name, RATE)[1:]) for name in rooms()]
    assert lasting == sorted(lasting)
    assert in_a_room(click(), "small", RATE)[0] == pytest.approx(1.0, abs=1e-6)
    again = in_a_room(click(), "small", RATE)
    assert np.array_equal(again, in_a_room(click(), "small", RATE)), "the same room each time"


def test_no_such_room_is_told() -> None:
    with pytest.raises(InputError, match="small, medium, large"):
        in_a_room(click(), "cave", RATE)
