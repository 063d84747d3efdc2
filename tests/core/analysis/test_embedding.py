"""Embeddings of toms under other instruments: alike for one drum, and telling where it is tuned."""

import numpy as np
import pytest

from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan
from emblar.core.analysis.voices.embedding import (
    CHANNELS,
    SIZE,
    at_hz,
    heard_of,
    levels_db,
    shown_of,
)
from tests.core.analysis.test_joint_clustering import GAP_S, song

ORDER = [150.0, 106.0, 75.0] * 6


def spans(times: np.ndarray) -> list[StrokeSpan]:
    return [StrokeSpan(float(t), GAP_S) for t in times]


@pytest.mark.parametrize("bass_db", [-99.0, -6.0, 0.0])
def test_strokes_of_one_tom_are_alike_and_their_tuning_is_told(bass_db: float) -> None:
    low, times = song(ORDER, bass_db)
    found = heard_of(low, spans(times))
    assert np.linalg.norm(found.embeddings, axis=1) == pytest.approx(1.0)
    like = found.embeddings @ found.embeddings.T
    hz = np.array(ORDER)
    same = hz[:, None] == hz[None, :]
    own = ~np.eye(len(hz), dtype=bool)
    assert like[same & own].mean() > like[~same].mean() + 0.25
    assert np.exp(found.pitch).sum(axis=1) == pytest.approx(1.0, abs=1e-5)
    for drum in set(ORDER):
        told = at_hz()[np.argmax(found.pitch[hz == drum].sum(axis=0))]
        assert abs(12.0 * np.log2(told / drum)) < 1.0


def test_how_loud_a_recording_is_says_nothing() -> None:
    low, times = song(ORDER, -6.0)
    one, other = (shown_of(levels_db(gain * low, spans(times))) for gain in (1.0, -0.125))
    assert one.shape == (len(ORDER), SIZE, CHANNELS)
    assert one == pytest.approx(other, abs=1e-3)


def test_a_stroke_soon_followed_by_another_is_read_until_then_but_for_long_enough() -> None:
    low, times = song([110.0], -99.0)
    long, short, shortest = (
        levels_db(low, [StrokeSpan(float(times[0]), room_s)])[0] for room_s in (1.0, 0.10, 0.01)
    )
    # The first span ends no later than any other drum is struck, the longest much later.
    assert short[0] == pytest.approx(long[0], abs=0.01)
    assert np.abs(short[2] - long[2]).max() > 1.0
    assert shortest[1] == pytest.approx(shortest[0])
    assert np.abs(shortest[1] - long[1]).max() > 1.0


def test_what_sounds_all_the_time_is_usual_and_what_is_struck_is_not() -> None:
    low, times = song([110.0] * 6, -99.0)
    time = np.arange(len(low)) / LOW_RATE_HZ
    usual = levels_db(low + 0.2 * np.sin(2.0 * np.pi * 65.0 * time), spans(times))[0, -1]
    assert abs(12.0 * np.log2(at_hz()[np.argmax(usual)] / 65.0)) < 0.6


def test_nothing_struck_has_no_colour() -> None:
    low, _ = song([110.0], -99.0)
    found = heard_of(low, [])
    assert len(found.embeddings) == len(found.pitch) == 0
