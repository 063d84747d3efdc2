"""A snare's wires by a soft tap: what they are set to is heard; what cannot be told is said."""

import itertools

import numpy as np
import pytest

from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import BadAudioError
from emblar.core.planning.kit import model
from emblar.core.synthesis.stroke import drum_voice, render_stroke
from emblar.core.tuning.wires import WiresHeard, read_wires
from emblar.formats.wires import wires_say
from tests.drums import OWNED_SNARE

RATE = 44100


def tap(wires: str, lug_hz: float = 270.0, *, noise: float = 1e-5, seed: int = 1) -> np.ndarray:
    """A soft tap on a snare after a little quiet."""
    found = predict(model(SHIPPED, OWNED_SNARE, wires_setting=wires), lug_hz, 380.0)
    rng = np.random.default_rng(seed)
    sound = render_stroke(
        drum_voice(found, "snare"), sample_rate_hz=RATE, force=0.3, rng=rng, length_s=1.3
    )
    out = np.concatenate([np.zeros(RATE // 5), sound])
    return out + noise * rng.standard_normal(len(out))


@pytest.mark.parametrize("wires", ["tight", "medium", "loose"])
def test_the_setting_is_heard_on_most_taps(wires: str) -> None:
    found = [
        read_wires(SHIPPED, tap(wires, hz, seed=seed), RATE).setting
        for hz, seed in itertools.product((230.0, 270.0, 310.0, 350.0), range(5))
    ]
    assert sum(f == wires for f in found) >= 18


def test_wires_that_are_off_do_not_answer() -> None:
    for hz, seed in itertools.product((230.0, 300.0, 360.0), range(5)):
        assert read_wires(SHIPPED, tap("off", hz, seed=seed), RATE).verdict == "silent"


def test_loose_wires_outlast_a_short_drum() -> None:
    heard = read_wires(SHIPPED, tap("loose", 310.0), RATE)
    assert heard.verdict == "long"
    assert heard.rustle_s is not None
    assert heard.head_s is not None
    assert heard.rustle_s > heard.head_s
    assert "tighter" in wires_say(SHIPPED, heard, "medium")


def test_wires_that_come_late_are_told_by_how_much() -> None:
    off, on = tap("off"), tap("loose")
    size = min(len(off), len(on))
    late = np.concatenate([np.zeros(round(0.018 * RATE)), on[:size] - off[:size]])[:size]
    heard = read_wires(SHIPPED, off[:size] + 1.5 * late, RATE)
    assert heard.verdict == "late"
    assert heard.late_ms == pytest.approx(22.0, abs=9.0)


@pytest.mark.parametrize("gain", [1e-3, 0.5])
def test_how_loud_it_is_recorded_does_not_matter(gain: float) -> None:
    sound = tap("medium", noise=0.0)
    assert (
        read_wires(SHIPPED, gain * sound, RATE).setting
        == read_wires(SHIPPED, sound, RATE).setting
        == "medium"
    )


def test_in_a_loud_room_it_cannot_be_told() -> None:
    assert read_wires(SHIPPED, tap("medium", noise=0.05), RATE).verdict == "cannot tell"


@pytest.mark.parametrize("samples", [np.zeros(0), np.zeros(RATE), np.ones(40)])
def test_no_tap_is_said(samples: np.ndarray) -> None:
    with pytest.raises(BadAudioError, match="no tap"):
        read_wires(SHIPPED, samples, RATE)


def test_a_tap_cut_off_is_said() -> None:
    with pytest.raises(BadAudioError, match="too soon"):
        read_wires(SHIPPED, tap("medium")[: RATE // 3], RATE)


@pytest.mark.parametrize(
    ("setting", "planned", "says"),
    [
        ("medium", "medium", "As planned"),
        ("loose", "medium", "tighter"),
        ("tight", "medium", "looser"),
        ("medium", "", "leave them"),
        ("tight", "off", "leave them"),
    ],
)
def test_what_to_do_follows_from_what_is_planned(setting: str, planned: str, says: str) -> None:
    assert says in wires_say(SHIPPED, WiresHeard("speaks", 0.2, 0.1, None, -5.0, setting), planned)
