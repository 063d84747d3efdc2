"""Toms that ring: how long they ring is not taken for a room, and a room not for them."""

import numpy as np
import pytest

from emblar.core.analysis.card.room_tail import room_tail
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ as RATE
from emblar.core.analysis.signal.audio import Audio
from emblar.core.analysis.signal.low_band import StrokeSpan
from emblar.core.quantities import Measured

RESTS = ((1.59, 0.35), (2.14, 0.25), (2.3, 0.2), (2.65, 0.18))


def tom(hz: float, t60_s: float, fast: tuple[float, float, float] | None, seed: int) -> np.ndarray:
    """Return one stroke: a note, perhaps a second, faster slope beside it (dB, T60, ratio)."""
    rng = np.random.default_rng(seed)
    time = np.arange(int(3.0 * RATE)) / RATE
    phase = 2.0 * np.pi * np.cumsum(hz * 2.0 ** (0.05 * np.exp(-time / 0.09))) / RATE
    sound = 10.0 ** (-3.0 * time / t60_s) * np.sin(phase)
    if fast:
        db, t60, ratio = fast
        sound += 10.0 ** (db / 20.0 - 3.0 * time / t60) * np.sin(phase * ratio)
    for ratio, t60 in RESTS:
        sound += 0.35 * 10.0 ** (-3.0 * time / t60) * np.sin(phase * ratio + ratio)
    stick = 0.5 * rng.standard_normal(len(time)) * np.exp(-time / 0.004)
    return np.asarray((sound + stick) * np.minimum(time / 0.001, 1.0))


def recorded(stroke: np.ndarray) -> np.ndarray:
    lead = np.zeros(RATE // 2)
    sound = np.concatenate([lead, *(gain * stroke for gain in (0.32, 0.28, 0.24))])
    return np.asarray(sound + 1e-4 * np.random.default_rng(1).standard_normal(len(sound)))


@pytest.mark.parametrize("hz", [85.0, 120.0, 160.0])
@pytest.mark.parametrize(
    ("t60_s", "fast"),
    [(3.0, None), (2.5, (2.0, 0.4, 1.0)), (2.5, (6.0, 0.35, 1.003)), (2.2, (-6.0, 1.8, 1.015))],
)
def test_a_ringing_tom_is_told_as_long_as_it_rings(
    hz: float, t60_s: float, fast: tuple[float, float, float] | None
) -> None:
    sound = recorded(tom(hz, t60_s, fast, 2))
    card = analyse(Audio(sound[:, None], RATE), kind="drums", voice="tom-1").voices[0]
    assert isinstance(card["sustain"], Measured)
    assert card["sustain"].value == pytest.approx(t60_s, rel=0.2)


@pytest.mark.parametrize(("wet_db", "room"), [(None, False), (-14.0, True), (-20.0, True)])
def test_a_room_is_heard_above_the_drum(wet_db: float | None, room: bool) -> None:
    stroke = tom(120.0, 0.4, None, 3)
    if wet_db is not None:
        rng = np.random.default_rng(5)
        time = np.arange(RATE) / RATE
        tail = rng.standard_normal(RATE) * 10.0 ** (-3.0 * time / 1.2)
        wet = np.convolve(stroke, tail, "full")[: len(stroke)]
        stroke = stroke + 10.0 ** (wet_db / 20.0) * wet * np.std(stroke) / np.std(wet)
    spans = [StrokeSpan(0.5 + 3.0 * i, 2.9) for i in range(3)]
    found = room_tail(recorded(stroke), spans)
    assert found.present is room
    assert found.t60_s is None if wet_db is None else 0.6 < (found.t60_s or 0.0) < 2.0


def test_where_no_stroke_leaves_the_time_nobody_can_tell() -> None:
    found = room_tail(np.zeros(RATE), [StrokeSpan(0.1, 0.2)])
    assert found.present and found.t60_s is None
