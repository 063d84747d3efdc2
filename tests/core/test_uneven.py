"""Uneven rods, turns of the key, and the practice drum that has both."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.inverse import tension_per_turn, turns_for
from emblar.core.acoustics.one_head import tapped_modes
from emblar.core.acoustics.uneven import (
    rod_pitches_hz,
    split,
    split_share,
    spread_from_lugs,
)
from emblar.core.analysis.pitch.esprit import fit_damped_sinusoids
from emblar.core.errors import DrumError
from emblar.core.notes import cents
from emblar.core.synthesis.practice import PracticeDrum, practice_drum
from tests.drums import kick, tom

RATE = 44100


@pytest.mark.parametrize("m", [1, 2, 3])
def test_the_share_that_splits_a_mode_is_one_over_two_m_plus_one(m: int) -> None:
    # ∫ r^2m (k²J'² − m²J²/r²) r dr over ∫ (k²J'² + m²J²/r²) r dr.
    assert split_share(m) == pytest.approx(1.0 / (2 * m + 1), rel=1e-6)


@given(st.lists(st.floats(300.0, 3000.0), min_size=1, max_size=1), st.integers(4, 12))
def test_even_rods_split_nothing(tension: list[float], rods: int) -> None:
    pair = split(tension * rods, 1, 150.0)
    assert pair.warble_hz == pytest.approx(0.0, abs=1e-6)
    assert rod_pitches_hz(tension * rods, 150.0) == pytest.approx(np.full(rods, 150.0))


def test_a_tighter_rod_raises_its_own_lug_and_the_one_across_alike() -> None:
    pitches = rod_pitches_hz([1000, 1000, 1300, 1000, 1000, 1000], 150.0)
    assert pitches[2] == pytest.approx(pitches[5])
    assert pitches[2] > pitches[0]
    assert spread_from_lugs(pitches.tolist()) == pytest.approx(
        split([1000, 1000, 1300, 1000, 1000, 1000], 1, 150.0).warble_hz, rel=0.02
    )


def test_unevenness_turned_round_the_drum_splits_the_same() -> None:
    rods = [900.0, 1100.0, 1300.0, 1000.0, 950.0, 1050.0]
    first = split(rods, 1, 150.0)
    for by in range(1, 6):
        turned = split(rods[by:] + rods[:by], 1, 150.0)
        assert turned.warble_hz == pytest.approx(first.warble_hz)


def test_turns_of_the_key_bring_a_head_there_and_back() -> None:
    up = turns_for(tom(), "batter", 120.0, 180.0)
    down = turns_for(tom(), "batter", 180.0, 120.0)
    assert up.value == pytest.approx(-down.value)
    assert 0.1 < up.value < 1.5
    row = prior_coefficients().rows["turn_efficiency"]
    assert up.sd == pytest.approx(row.sd / row.value * up.value)
    with pytest.raises(ValueError, match="no reso"):
        tension_per_turn(kick(reso=None), "reso")


def test_a_tap_beside_a_rod_sounds_the_lug_pitch_loudest_of_the_low_modes() -> None:
    modes = tapped_modes(tom(), "batter", [1200.0] * 6, 0, prior_coefficients())
    first = max((m for m in modes if m.m == 1), key=lambda m: m.level_db)
    low = [m for m in modes if m.frequency_hz < 1.2 * first.frequency_hz]
    assert first in low
    assert first.level_db > -20.0


@pytest.fixture
def hidden() -> PracticeDrum:
    return practice_drum(tom(), 180.0, 200.0, uneven=0.1, seed=3)


def test_turning_a_rod_up_raises_its_lug_most_and_its_neighbours_some(hidden: PracticeDrum) -> None:
    before = hidden.rod_pitches_hz("batter")
    hidden.turn("batter", 2, 0.125)
    moved = hidden.rod_pitches_hz("batter") - before
    assert moved.min() > 0.0
    assert moved.argmax() in (2, 5)


def test_the_sound_of_a_tap_tells_the_lug_pitch(hidden: PracticeDrum) -> None:
    for rod in (0, 2, 4):
        sound = hidden.tap("batter", rod)[round(0.06 * RATE) :]
        low = sound[: round(0.5 * RATE)][::40]
        found = fit_damped_sinusoids(low, RATE / 40)
        near = [f.frequency_hz for f in found if abs(cents(f.frequency_hz, 180.0)) < 200.0]
        truth = hidden.rod_pitches_hz("batter")
        assert near, rod
        assert min(abs(cents(hz, truth[rod])) for hz in near) < 25.0


def test_one_seed_gives_one_drum_and_each_stroke_is_a_new_one() -> None:
    one, other = (practice_drum(tom(), 180.0, 200.0, uneven=0.1, seed=5) for _ in range(2))
    first = one.strike()
    assert np.array_equal(first, other.strike())
    assert not np.array_equal(first, one.strike())


def test_what_a_practice_drum_does_not_have_is_said(hidden: PracticeDrum) -> None:
    with pytest.raises(DrumError, match="rod: 6 is outside 0 to 5"):
        hidden.turn("batter", 6, 0.1)
    with pytest.raises(DrumError, match="force: 9 is outside"):
        hidden.strike(force=9.0)
    open_kick = practice_drum(kick(reso=None), 70.0, None, uneven=0.0, seed=1)
    with pytest.raises(DrumError, match="no reso head"):
        open_kick.tap("reso", 0)


@settings(max_examples=15, deadline=None)
@given(st.floats(-1.5, 1.5))
def test_however_far_a_rod_is_let_down_the_head_still_sounds(turns: float) -> None:
    drum = practice_drum(tom(), 180.0, 200.0, uneven=0.05, seed=2)
    drum.turn("reso", 1, turns)
    assert np.isfinite(drum.strike(seconds=0.5)).all()
