"""Drums played: strokes, ramps, grooves, and toms that hum along."""

import itertools

import numpy as np
import pytest

from emblar.core.acoustics.forward import predict
from emblar.core.errors import InputError
from emblar.core.synthesis.played import RAMP_FORCES, RAMP_STEP_S, hum, kit_played, played
from emblar.core.synthesis.stroke import Partial, Voice, drum_voice
from tests.drums import kick, tom

RATE = 44100
TOM = drum_voice(predict(tom(), 180.0, 200.0), "tom")
KICK = drum_voice(predict(kick(), 70.0, 80.0), "kick")


def test_a_ramp_grows_stroke_by_stroke() -> None:
    sound = played(TOM, "tom", "ramp", sample_rate_hz=RATE)
    step = round(RAMP_STEP_S * RATE)
    peaks = [np.abs(sound[i * step : (i + 1) * step]).max() for i in range(len(RAMP_FORCES))]
    assert all(b > a for a, b in itertools.pairwise(peaks))


def test_a_stroke_is_two_seconds_and_the_same_every_time() -> None:
    one, other = (played(TOM, "tom", "stroke", sample_rate_hz=RATE) for _ in range(2))
    assert len(one) <= 2 * RATE
    assert np.array_equal(one, other)


def test_no_stroke_of_a_groove_clicks_when_the_next_cuts_it_off() -> None:
    calm = Voice((Partial(100.0, 5.0, 0.5),), (), 0.0)
    sound = played(calm, "tom", "groove", sample_rate_hz=RATE)
    # A jump in a 100 Hz wave would show as a step far above its own slope.
    slope = 2.0 * np.pi * 100.0 / RATE * 0.5 * 1.3
    assert np.abs(np.diff(sound)).max() < 2.5 * slope


@pytest.mark.parametrize("semitones", [0.0, 5.0, 12.0])
def test_a_tom_hums_the_more_the_nearer_the_other_drum_lies(semitones: float) -> None:
    near = Voice((Partial(TOM.partials[0].frequency_hz, 1.0, 0.5),), (), 0.0)
    away = Voice(
        (Partial(near.partials[0].frequency_hz * 2 ** ((semitones + 2) / 12), 1.0, 0.5),), (), 0.0
    )
    levels = [
        np.sum(hum(played(v, "kick", "stroke", sample_rate_hz=RATE), TOM, RATE) ** 2)
        for v in (near, away)
    ]
    assert levels[0] > 4.0 * levels[1]


def test_a_kit_with_a_tom_hums_after_the_kick_and_without_does_not() -> None:
    alone = kit_played({"kick": KICK}, sample_rate_hz=RATE)
    with_tom = kit_played({"kick": KICK, "tom-4": TOM}, sample_rate_hz=RATE)
    extra = with_tom[: len(alone)] - alone[: len(with_tom)]
    assert np.abs(extra).max() > 1e-4
    assert np.abs(extra).max() < 0.2 * np.abs(alone).max()


def test_what_cannot_be_played_is_said() -> None:
    with pytest.raises(InputError, match="Choose stroke, ramp or groove"):
        played(TOM, "tom", "solo", sample_rate_hz=RATE)  # type: ignore[arg-type]
    with pytest.raises(InputError, match="Plan the kit first"):
        kit_played({}, sample_rate_hz=RATE)
