"""A kick whose first moment is its own note has no click to compare."""

import numpy as np
import pytest

from emblar.core.analysis.card.clean import AnalysedHit, clean_strokes, mark_clean
from emblar.core.analysis.card.measure import UNDER_HATS, measure_voice
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.analysis.signal.low_band import low_band
from emblar.core.quantities import Measured, Unknown

RATE = 44100


def kick(click_level: float) -> np.ndarray:
    """Return four strokes of a 60 Hz kick, with a burst of treble of some level at their start."""
    time = np.arange(RATE) / RATE
    rng = np.random.default_rng(4)
    rise = 1.0 - np.exp(-time / 0.004)
    note = rise * np.sin(2.0 * np.pi * 60.0 * time) * 10.0 ** (-3.0 * time / 0.5)
    burst = np.diff(rng.standard_normal(len(time) + 1)) * np.exp(-time / 0.002)
    one = note + click_level * burst
    lead = np.zeros(RATE // 2)
    return np.concatenate([lead, *(gain * one for gain in (0.5, 0.45, 0.48, 0.5))])[:, None]


@pytest.mark.parametrize(("click_level", "measured"), [(0.0, False), (3.0, True)])
def test_a_click_is_measured_only_where_one_stands_out(click_level: float, measured: bool) -> None:
    card = analyse(Audio(kick(click_level), RATE), kind="hit", voice="kick").voices[0]
    click = card["click"]
    if measured:
        assert isinstance(click, Measured) and click.value > 1000.0
    else:
        assert isinstance(click, Unknown) and "no click stands out" in click.reason


@pytest.mark.parametrize(("with_hats", "measured"), [(4, False), (2, True)])
def test_a_click_under_a_hat_is_not_taken_for_the_drums(with_hats: int, measured: bool) -> None:
    sound = kick(3.0)
    times = [0.5 + i for i in range(4)]
    hat = np.diff(np.random.default_rng(1).standard_normal(4001), n=1) * np.linspace(1.0, 0.0, 4000)
    for time in times[:with_hats]:
        start = round(time * RATE)
        sound[start : start + len(hat), 0] += 0.3 * hat
    hits = [AnalysedHit(time, "kick", -6.0, 1.0, False) for time in times]
    hits += [AnalysedHit(time, "hat", -12.0, 1.0, False) for time in times[:with_hats]]
    marked = mark_clean(sorted(hits, key=lambda hit: hit.time_s), 4.5)
    strokes = clean_strokes(marked, "kick", 4.5)
    card = measure_voice(
        "kick", sound[:, 0], [low_band(sound[:, 0])], strokes, levels_db=[-6.0] * 4
    )
    click = card["click"]
    alone = analyse(Audio(kick(3.0), RATE), kind="hit", voice="kick").voices[0]["click"]
    assert isinstance(alone, Measured)
    if measured:
        assert isinstance(click, Measured)
        assert click.value == pytest.approx(alone.value, rel=0.1)
    else:
        assert click == Unknown(UNDER_HATS)
