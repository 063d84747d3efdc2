"""Small rules that readings hang on: where a stroke begins, ghosts of a fit, who plays at once."""

import numpy as np
import pytest

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import edge_loss
from emblar.core.analysis.card.envelope import stroke_shape
from emblar.core.analysis.card.overtones import strongest_of_each
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.analysis.voices.decide import THRESHOLD, rarely_together

RATE = ANALYSIS_RATE_HZ


def kick(lead_s: float) -> np.ndarray:
    t = np.arange(RATE) / RATE
    wave = np.sin(2 * np.pi * 57.0 * t) * np.exp(-12.0 * t)
    wave += 0.4 * np.sin(2 * np.pi * 900.0 * t) * np.exp(-300.0 * t)
    return np.concatenate([np.zeros(round(lead_s * RATE)), wave])


@pytest.mark.parametrize("off_s", [-0.0012, -0.0005, 0.0008, 0.0015])
def test_a_click_does_not_hang_on_where_within_two_milliseconds_the_stroke_was_put(
    off_s: float,
) -> None:
    right = stroke_shape(kick(0.3), 0.3, 57.0, 0.9)
    near = stroke_shape(kick(0.3), 0.3 + off_s, 57.0, 0.9)
    assert near.click_hz == pytest.approx(right.click_hz, rel=0.01)
    assert near.attack_db == pytest.approx(right.attack_db, abs=0.05)


def test_over_a_louder_tail_a_stroke_stays_where_it_was_put() -> None:
    t = np.arange(2 * RATE) / RATE
    tail = np.sin(2 * np.pi * 80.0 * t)
    sound = tail.copy()
    sound[RATE:] += kick(0.0)[:RATE]
    early = stroke_shape(sound, 1.0 - 0.0015, 57.0, 0.9)
    late = stroke_shape(sound, 1.0 + 0.0015, 57.0, 0.9)
    assert early.click_hz != pytest.approx(late.click_hz, rel=1e-6)


def test_of_a_partial_and_its_ghosts_the_partial_of_each_stroke_stays() -> None:
    rows = np.array(
        [
            [2.0, -33.0, 0.1, 0.5],
            [2.0, 1.2, 0.3, 0.5],
            [2.05, -4.0, 0.2, 1.5],
            [2.0, -50.0, 0.1, 1.5],
        ]
    )
    assert strongest_of_each(rows)[:, 1].tolist() == [1.2, -4.0]


def test_of_a_snare_and_a_tom_at_once_the_surer_stays_and_others_are_left() -> None:
    voices = ["kick", "snare", "tom-1", "hat", "cymbal"]
    score = np.array(
        [[0.1, 0.9, 0.6, 0.7, 0.0], [0.8, 0.5, 0.95, 0.0, 0.0], [0.0, 0.9, 0.2, 0.0, 0.0]]
    )
    out = rarely_together(score, voices)
    assert out[0, 1] == 0.9 and out[0, 2] < THRESHOLD["tom"]
    assert out[1, 2] == 0.95 and out[1, 1] < THRESHOLD["snare"]
    assert np.array_equal(out[2], score[2])
    assert np.array_equal(out[:, [0, 3, 4]], score[:, [0, 3, 4]])
    without = [0, 1, 3, 4]
    kept = rarely_together(score[:, without], [voices[i] for i in without])
    assert np.array_equal(kept, score[:, without])


def test_a_kick_loses_more_at_its_edge_and_stand_than_other_drums() -> None:
    k = prior_coefficients()
    assert edge_loss("kick", "reso", k) > 3.0 * edge_loss("tom", "reso", k)
    assert edge_loss("kick", "batter", k) > 2.0 * edge_loss("kick", "reso", k)
    assert edge_loss("snare", "batter", k) == edge_loss("tom", "reso", k)
