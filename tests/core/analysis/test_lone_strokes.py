"""A lone stroke is weighed by what its print shows plainly: how fast it falls, how much treble."""

import numpy as np
import pytest

from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.signal.band_spectrogram import BANDS, band_centres_hz
from emblar.core.analysis.voices.decide import by_print

UNSURE = np.full(len(KINDS), 0.5)
TREBLE = band_centres_hz() > 3000.0


def print_of(treble_db: float, fall: float) -> np.ndarray:
    """Return a print with so much treble over its bass, losing so much each segment."""
    shape = np.where(TREBLE, 0.0, 1e-9)
    shape[(band_centres_hz() > 80.0) & (band_centres_hz() < 400.0)] = 1.0
    shape[TREBLE] = shape.sum() * 10.0 ** (treble_db / 10.0) / TREBLE.sum()
    return (shape[None, :] * fall ** np.arange(6)[:, None]).reshape(1, 6 * BANDS)


def told(treble_db: float, fall: float = 0.6) -> dict[str, float]:
    return dict(zip(KINDS, by_print(UNSURE, print_of(treble_db, fall)).tolist(), strict=True))


@pytest.mark.parametrize("treble_db", [3.0, 20.0])
def test_mostly_treble_is_a_hat_or_cymbal(treble_db: float) -> None:
    found = told(treble_db)
    assert min(found["hat"], found["cymbal"]) > 5.0 * max(
        found[k] for k in ("kick", "snare", "tom")
    )


@pytest.mark.parametrize("treble_db", [-11.0, -3.0])
def test_much_treble_over_a_body_is_a_snare_rather_than_kick_or_tom(treble_db: float) -> None:
    found = told(treble_db)
    assert found["snare"] > 4.0 * max(found["kick"], found["tom"])


@pytest.mark.parametrize("treble_db", [-19.0, -50.0])
def test_hardly_any_treble_is_a_kick_or_tom(treble_db: float) -> None:
    found = told(treble_db)
    assert min(found["kick"], found["tom"]) >= 5.0 * max(
        found[k] for k in ("snare", "hat", "cymbal")
    )


@pytest.mark.parametrize(("fall", "kind"), [(0.2, "kick"), (0.8, "tom")])
def test_what_falls_fast_is_the_kick(fall: float, kind: str) -> None:
    leaning = {"kick": 0.55, "tom": 0.45} if kind == "tom" else {"kick": 0.45, "tom": 0.55}
    chances = np.array([leaning.get(k, 0.1) for k in KINDS])
    found = by_print(chances, print_of(-40.0, fall))
    assert KINDS[int(np.argmax(found))] == kind


def test_in_between_nothing_but_the_fall_is_held_against_it() -> None:
    found = told(-15.0)
    assert found["snare"] == found["hat"] == found["cymbal"] == 0.5
