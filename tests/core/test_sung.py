"""A wish sung: what differs between two mouth sounds is heard, and nothing else is claimed."""

import math

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from emblar.core.errors import BadAudioError
from emblar.core.planning.sung import MOST_STEPS, SungWish, read_sung
from emblar.core.quantities.registry import steps

RATE = 44100


def mouth(
    length_s: float, *, hz: float = 140.0, falls: float = 0.0, bright: float = 800.0, seed: int = 1
) -> np.ndarray:
    """A made-up “boom”: a voiced source, falling, through a mouth of some brightness."""
    time = np.arange(round(length_s * RATE)) / RATE
    pitch = hz * 2.0 ** (-falls / 1200.0 * time / length_s)
    phase = np.cumsum(pitch) / RATE
    source = 2.0 * (phase % 1.0) - 1.0
    source += 0.05 * np.random.default_rng(seed).standard_normal(len(time))
    sos = butter(2, bright, fs=RATE, output="sos")
    rise = np.minimum(time / 0.01, 1.0) * np.minimum((length_s - time) / 0.03, 1.0)
    return np.asarray(sosfilt(sos, source) * rise)


def two(first: np.ndarray, second: np.ndarray, noise: float = 3e-4) -> np.ndarray:
    quiet = np.zeros(RATE // 3)
    out = np.concatenate([quiet, first, quiet, second, quiet])
    return out + noise * np.random.default_rng(9).standard_normal(len(out))


def wish(first: np.ndarray, second: np.ndarray) -> SungWish:
    return read_sung(two(first, second), RATE)


@pytest.mark.parametrize("ratio", [0.5, 0.7, 1.5, 2.0])
def test_longer_and_shorter_are_heard_in_steps(ratio: float) -> None:
    told = wish(mouth(0.25), mouth(0.25 * ratio)).wished
    expected = math.log(ratio) / math.log(steps()["length"].step)
    assert told["length"] == pytest.approx(max(-MOST_STEPS, min(expected, MOST_STEPS)), abs=0.6)
    assert abs(told.get("click", 0.0)) <= 1.5


def test_brighter_and_darker_are_heard() -> None:
    up = wish(mouth(0.3, bright=500.0), mouth(0.3, bright=2000.0)).wished
    down = wish(mouth(0.3, bright=2000.0), mouth(0.3, bright=500.0)).wished
    assert up["click"] > 1.5
    assert down["click"] == pytest.approx(-up["click"], abs=0.4)
    assert "length" not in up


def test_two_alike_wish_nothing_however_loud_or_high() -> None:
    same = mouth(0.3)
    assert wish(same, 0.3 * same).wished == {}
    assert read_sung(0.01 * two(same, same, noise=0.0), RATE).wished == {}
    assert "length" not in wish(mouth(0.3, hz=120.0), mouth(0.3, hz=190.0)).wished


def test_a_falling_pitch_is_told_but_not_wished() -> None:
    told = wish(mouth(0.4), mouth(0.4, falls=700.0))
    assert told.falls_more_cents is not None
    assert told.falls_more_cents == pytest.approx(420.0, abs=120.0)
    assert set(told.wished) <= {"length", "click"}
    assert wish(mouth(0.4), mouth(0.4)).falls_more_cents == 0.0


def test_a_hiss_has_no_pitch_and_none_is_told() -> None:
    hiss = 0.3 * np.random.default_rng(3).standard_normal(RATE // 4)
    assert wish(hiss, hiss).falls_more_cents is None


@pytest.mark.parametrize(
    ("sound", "says"),
    [
        (np.zeros(RATE), "Nothing can be heard"),
        (np.zeros(0), "Nothing can be heard"),
        (np.concatenate([np.zeros(RATE // 2), mouth(0.3), np.zeros(RATE // 2)]), "One was heard"),
        (np.concatenate([two(mouth(0.2), mouth(0.2)), mouth(0.2), np.zeros(9000)]), "3 were heard"),
        (two(mouth(0.2), mouth(3.4)), "longer than any drum"),
    ],
)
def test_what_is_not_two_sounds_is_said(sound: np.ndarray, says: str) -> None:
    with pytest.raises(BadAudioError, match=says):
        read_sung(sound, RATE)
