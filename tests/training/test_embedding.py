"""Networks along frequency: what is written is what was fitted, and fitting teaches something."""

import numpy as np
import pytest

from emblar.core.analysis.classify import model as classifier
from emblar.core.analysis.voices.embedding import embeddings_of, shown_of
from training.fills import Fills, strokes_of

torch = pytest.importorskip("torch", reason="torch is for fitting only: pip install .[train]")

from training.embedding import (  # noqa: E402
    Layers,
    _colours,
    _mistuned,
    _unlike,
    alike,
    fitted,
    off_semitones,
    weights_of,
)

SMALL = Layers((8, 8, 3), (5, 5, 5), 12)


@pytest.fixture(scope="module")
def scenes() -> list[Fills]:
    return strokes_of(2) + strokes_of(5)


def test_what_is_written_says_what_was_fitted(
    scenes: list[Fills], monkeypatch: pytest.MonkeyPatch
) -> None:
    network = fitted(scenes, SMALL, _unlike)
    stored = weights_of("colour0", network)
    layers = tuple(
        (stored[f"colour0_weight{i}"].astype(np.float32), stored[f"colour0_bias{i}"])
        for i in range(3)
    )
    monkeypatch.setattr(classifier, "_networks", lambda _: (classifier.Network(layers, ()),))
    shown = shown_of(scenes[0].levels.astype(np.float64))
    with torch.no_grad():
        own = _colours(network, torch.from_numpy(shown)).numpy()
    assert embeddings_of(shown) == pytest.approx(own, abs=0.01)


def test_it_learns_which_strokes_are_of_one_tom_and_where_it_is_tuned(scenes: list[Fills]) -> None:
    none, some = (Layers(SMALL.widths, SMALL.reaches, epochs) for epochs in (0, 40))
    before, after = (
        np.mean([alike(fitted(scenes, size, _unlike), s) for s in scenes]) for size in (none, some)
    )
    assert after > before + 0.02
    tuned = fitted(scenes, Layers((8, 8, 1), (5, 5, 25), 60), _mistuned)
    near = np.concatenate([np.abs(off_semitones(tuned, s)) < 1.0 for s in scenes])
    assert near.mean() > 0.5
