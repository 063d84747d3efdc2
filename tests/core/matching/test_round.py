"""Round the kit: levels told of strokes that differ, and not of strokes that are alike."""

import numpy as np
import pytest
from numpy.typing import NDArray

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ as RATE
from emblar.core.errors import BadAudioError
from emblar.core.matching.round import (
    Loudness,
    beside_the_record,
    level_step_db,
    read_round,
    standings,
)

DRUMS = ["tom 1", "tom 2", "tom 3"]


def played(gains_db: list[float], *, strikes: int = 3, seed: int = 1) -> NDArray[np.float64]:
    """Return decaying notes, a drum after the other, a second apart."""
    rng = np.random.default_rng(seed)
    time = np.arange(RATE) / RATE
    parts = [np.zeros(RATE // 4)]
    for index, gain in enumerate(gains_db):
        for _ in range(strikes):
            hz = 90.0 * 1.3 ** (len(gains_db) - index)
            by_hand = 10.0 ** ((gain + rng.normal(0.0, 0.3)) / 20.0)
            tone = np.sin(2 * np.pi * hz * time) * np.exp(-time / 0.15)
            click = rng.normal(size=RATE) * np.exp(-time / 0.004)
            parts.append(0.2 * by_hand * (tone + 0.5 * click))
    sound = np.concatenate(parts)
    return sound + 1e-4 * rng.normal(size=len(sound))


@pytest.mark.parametrize("off", [-6.0, 5.0])
def test_a_tom_that_stands_out_is_told_and_by_how_much(off: float) -> None:
    even = read_round(played([0.0, 0.0, 0.0]), RATE, DRUMS, 3)
    found = read_round(played([0.0, off, 0.0]), RATE, DRUMS, 3)
    moved = (found["tom 2"].lufs - even["tom 2"].lufs) - (found["tom 1"].lufs - even["tom 1"].lufs)
    assert moved == pytest.approx(off, abs=0.7)
    rows = standings(found, DRUMS)
    assert [row.is_audible for row in rows] == [False, True, False]
    assert np.sign(rows[1].level_db) == np.sign(off)


def test_of_two_toms_the_quieter_is_told() -> None:
    pair = {"tom 1": Loudness(-20.0, 0.5, 3), "tom 2": Loudness(-26.0, 0.5, 3)}
    rows = standings(pair, DRUMS, {"tom 1": 1000.0, "tom 2": 2000.0})
    assert [row.is_audible for row in rows] == [False, True]
    assert [row.feel_told for row in rows] == [True, False]
    assert [row.level_db for row in rows] == pytest.approx([6.0, -6.0])


def test_strokes_alike_are_even() -> None:
    same = {name: Loudness(-20.0, 1.0, 3) for name in DRUMS}
    assert not any(row.is_audible for row in standings(same, DRUMS))
    assert all(row.level_db == pytest.approx(0.0) for row in standings(same, DRUMS))


def test_a_kick_is_never_called_uneven_with_toms() -> None:
    loud = {"kick": Loudness(-8.0, 0.5, 3), **{n: Loudness(-20.0, 1.0, 3) for n in DRUMS}}
    kick = standings(loud, DRUMS)[0]
    assert kick.level_db == pytest.approx(12.0)
    assert not kick.is_audible


def test_a_softer_batter_is_felt() -> None:
    same = {name: Loudness(-20.0, 1.0, 3) for name in DRUMS}
    rows = standings(same, DRUMS, {"tom 1": 2000.0, "tom 2": 2000.0, "tom 3": 1100.0})
    assert [row.feel_told for row in rows] == [False, False, True]
    assert rows[2].feel_share == pytest.approx(-0.45)
    assert standings(same, DRUMS, {"tom 1": 2000.0})[0].feel_share is None


def test_strokes_that_are_missing_are_counted() -> None:
    with pytest.raises(BadAudioError, match=r"12 strokes are needed.*9 were heard"):
        read_round(played([0.0, 0.0, 0.0]), RATE, [*DRUMS, "tom 4"], 3)
    with pytest.raises(BadAudioError, match="no sound"):
        read_round(np.zeros(RATE), RATE, DRUMS, 3)


def test_the_records_balance_is_held_against_ours_by_pattern() -> None:
    ours = {"kick": Loudness(-10.0, 1.0, 3), "snare": Loudness(-6.0, 1.0, 3)}
    assert beside_the_record(ours, {"kick": -20.0, "snare": -16.0}) == pytest.approx(
        {"kick": 0.0, "snare": 0.0}
    )
    over = beside_the_record(ours, {"kick": -20.0, "snare": -22.0})
    assert over["snare"] == pytest.approx(3.0)
    assert beside_the_record(ours, {"kick": -20.0}) == {}
    assert level_step_db() > 0.5
