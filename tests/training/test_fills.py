"""Made-up fills: the same for the same seed, toms tuned apart, kept as they were heard."""

from pathlib import Path

import numpy as np
import pytest

from emblar.core.analysis.voices.embedding import SIZE, SPANS_S
from emblar.core.analysis.voices.pitch_posterior import USUAL_HZ, USUAL_OCTAVES
from training.fills import APART_OCTAVES, Fills, _kept, _kit, strokes_of
from training.sounds import PITCH_HZ


@pytest.fixture(scope="module")
def scenes() -> list[Fills]:
    return strokes_of(2)


def test_a_kit_is_heard_in_several_scenes_stroke_by_stroke(scenes: list[Fills]) -> None:
    assert len(scenes) > 1
    for scene in scenes:
        assert scene.levels.shape == (len(scene.tom), len(SPANS_S) + 2, SIZE)
        assert np.isfinite(scene.levels).all()
        assert len(set(scene.tom.tolist())) > 1
        # Each tom is tuned to one pitch, in every scene the same.
        assert len(
            {(int(t), float(hz)) for t, hz in zip(scene.tom, scene.tuned_hz, strict=True)}
        ) == len(set(scene.tom.tolist()))


def test_toms_of_a_kit_are_tuned_apart() -> None:
    for seed in range(8):
        _, tuned = _kit(np.random.default_rng(seed))
        assert np.diff(np.sort(np.log2(tuned))).min() > APART_OCTAVES


def test_what_is_taken_off_a_tuning_is_what_was_drawn() -> None:
    assert PITCH_HZ["tom"][:2] == (USUAL_HZ, USUAL_OCTAVES)


def test_what_is_kept_is_what_was_heard(tmp_path: Path, scenes: list[Fills]) -> None:
    for _ in range(2):
        again = _kept(2, tmp_path)
        assert len(again) == len(scenes)
        for one, other in zip(again, scenes, strict=True):
            assert np.array_equal(one.levels, other.levels)
            assert np.array_equal(one.tom, other.tom)
            assert np.array_equal(one.tuned_hz, other.tuned_hz)
