"""What candidates that sound alike, or come again a period later, say of each other."""

import numpy as np
import pytest
from scipy.special import expit

from emblar.core.analysis.classify import neighbours as likeness
from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.classify.neighbours import (
    BESIDE,
    COMMON,
    SIZE,
    SKINS,
    _among,
    _odds_at,
    _period,
    log_odds,
    reconsidered,
    rows_of,
)
from emblar.core.analysis.signal.band_spectrogram import BANDS

SEGMENTS = 6
KIND_COUNT = len(KINDS)


def prints(rng: np.random.Generator, of: np.ndarray) -> np.ndarray:
    """Return prints of sounds that are alike where ``of`` is."""
    sounds = rng.gamma(0.5, 1.0, (int(of.max()) + 1, SEGMENTS * BANDS))
    scatter = rng.lognormal(0.0, 0.2, (len(of), SEGMENTS * BANDS))
    return np.asarray(sounds[of] * scatter)


def test_rows_have_the_size_that_is_told_and_do_not_depend_on_gain() -> None:
    rng = np.random.default_rng(1)
    of, times = rng.integers(3, size=40), np.sort(rng.uniform(0.0, 12.0, 40))
    chances, own = rng.random((40, KIND_COUNT)), prints(rng, of)
    rows = rows_of(own, chances, times)
    assert rows.shape == (40, SIZE)
    assert rows_of(1e4 * own, chances, times) == pytest.approx(rows, abs=1e-4)
    again = reconsidered(chances, own, times, mix=True)
    assert again.shape == chances.shape
    assert ((again > 0.0) & (again < 1.0)).all()


@pytest.mark.parametrize("count", [1, 2, 3])
def test_few_candidates_are_no_trouble(count: int) -> None:
    rng = np.random.default_rng(2)
    times, chances = np.linspace(0.0, 0.4 * (count - 1), count), rng.random((count, KIND_COUNT))
    own = prints(rng, np.zeros(count, np.int64))
    assert rows_of(own, chances, times).shape == (count, SIZE)
    assert np.isfinite(reconsidered(chances, own, times, mix=True)).all()


def test_the_surely_told_speak_for_those_that_sound_like_them() -> None:
    rng = np.random.default_rng(3)
    of = np.repeat([0, 1], 12)
    chances = np.full((24, KIND_COUNT), 0.02)
    chances[:12, 1] = 0.95
    # One stroke of each sound of which the classifier cannot tell.
    chances[[5, 17], 1] = 0.4
    rows = rows_of(prints(rng, of), chances, np.linspace(0.0, 10.0, 24))
    whole = COMMON - (2 * KIND_COUNT + 2)
    neighbours = rows[:, whole : whole + KIND_COUNT]
    assert neighbours[5, 1] > float(log_odds(np.array([0.8]))[0])
    assert neighbours[17, 1] < float(log_odds(np.array([0.1]))[0])


@pytest.mark.parametrize("mix", [False, True])
def test_an_unsure_stroke_takes_after_those_it_sounds_like(mix: bool) -> None:
    rng = np.random.default_rng(6)
    of, snare = np.repeat([0, 1], 12), KINDS.index("snare")
    chances = np.full((24, KIND_COUNT), 0.02)
    chances[:12, snare] = 0.95
    chances[[5, 17], snare] = 0.4
    again = reconsidered(chances, prints(rng, of), np.linspace(0.0, 10.0, 24), mix=mix)
    assert again[5, snare] > 2.0 * again[17, snare]


def test_alone_kick_and_toms_keep_the_chances_that_pitch_and_print_are_weighed_with() -> None:
    rng = np.random.default_rng(7)
    chances, times = rng.random((20, KIND_COUNT)), np.linspace(0.0, 8.0, 20)
    own, placed = prints(rng, rng.integers(2, size=20)), [KINDS.index("kick"), KINDS.index("tom")]
    alone = reconsidered(chances, own, times, mix=False)
    assert np.array_equal(alone[:, placed], chances[:, placed])
    mixed = reconsidered(chances, own, times, mix=True)
    assert (np.abs(mixed[:, placed] - chances[:, placed]) > 0.01).any(axis=0).all()


def test_a_candidate_stands_among_all_as_it_does_however_sure_the_classifier_is() -> None:
    rng = np.random.default_rng(8)
    odds = rng.normal(0.0, 1.5, (40, KIND_COUNT))
    own, shy = (1.0 / (1.0 + np.exp(-(odds - less))) for less in (0.0, 1.0))
    stands = SKINS * (1 + len(BESIDE))
    rows = [_among(chances, log_odds(chances))[:, :stands] for chances in (own, shy)]
    assert rows[0] == pytest.approx(rows[1])
    first = int(np.argmax(odds[:, 0]))
    assert rows[0][first, 0] == 1.0
    assert rows[0][first, SKINS] > 0.0


def test_in_a_mix_the_same_chance_says_more_where_it_stands_out() -> None:
    rng = np.random.default_rng(0)
    of = np.tile([0, 2, 1, 2], 12)
    kick, kind = of == 0, np.array([KINDS.index(k) for k in ("kick", "snare", "hat")])[of]
    odds = rng.normal(-4.0, 0.6, (48, KIND_COUNT))
    odds[np.arange(48), kind] = np.where(kick, -0.8, 1.4) + rng.normal(0.0, 0.5, 48)
    times, own = np.linspace(0.0, 0.25 * 47, 48), prints(rng, of)
    apart = reconsidered(expit(odds), own, times, mix=True)[:, 0]
    assert apart[kick].min() > apart[~kick].max()
    # A bass that plays on every other step, and is as likely a kick.
    odds[~kick, 0] = -0.8 + rng.normal(0.0, 0.5, 36)
    among_as_likely = reconsidered(expit(odds), own, times, mix=True)[:, 0]
    assert apart[kick].mean() > 1.5 * among_as_likely[kick].mean()


def test_what_comes_again_is_seen_one_period_away() -> None:
    times = np.linspace(0.0, 0.5 * 23, 24)
    chance = np.where(np.arange(24) % 4 == 2, 0.9, 0.02)
    period, share = _period(chance, times, 1.0, 5.0)
    assert period == pytest.approx(2.0, abs=0.02)
    assert share > 0.7
    rng = np.random.default_rng(4)
    never = np.sort(rng.uniform(0.0, 12.0, 24))
    assert _period(rng.random(24), never, 1.0, 5.0)[1] < share


def test_where_there_is_no_candidate_the_odds_are_least_and_outside_unknown() -> None:
    times, odds = np.array([0.0, 1.0, 1.02, 2.0]), np.array([0.1, 0.2, 0.9, 0.3])
    least = float(log_odds(np.zeros(1))[0])
    found = _odds_at(odds, times, np.array([-1.0, 0.01, 0.5, 1.01, 2.5]))
    assert found == pytest.approx([0.0, 0.1, least, 0.9, 0.0])


def test_a_long_recording_is_compared_part_by_part(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(5)
    of, times = rng.integers(3, size=30), np.linspace(0.0, 9.0, 30)
    chances, own = rng.random((30, KIND_COUNT)), prints(rng, of)
    monkeypatch.setattr(likeness, "MOST_TOGETHER", 15)
    halves = rows_of(own, chances, times)
    assert halves[:15] == pytest.approx(rows_of(own[:15], chances[:15], times[:15]))
    assert len(halves) == 30
