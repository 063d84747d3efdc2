"""The convolutional network as it is fitted is the one that is read from what was written."""

from pathlib import Path

import numpy as np
import pytest

from emblar.core.analysis.classify import model as classifier
from training.rows import joined, louds, plain
from training.scenes import labelled

torch = pytest.importorskip("torch", reason="torch is for fitting only: pip install .[train]")

from training.network import Fit, chances, fitted, weights_of  # noqa: E402

SMALL = Fit(widths=(4, 5, 6, 7), hidden=(9, 8), epochs=2, batch=32)


def test_what_is_written_says_what_was_fitted(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rows = joined([labelled(seed) for seed in (3, 4)])
    own = np.arange(len(rows.labels))
    network = fitted(rows, own, SMALL)
    told = chances(network, rows, own)
    stored = weights_of("drums0", network)
    # Half precision is for the file.
    assert stored["drums0_weight0"].dtype == np.float16
    layers = [
        (stored[f"drums0_weight{i}"].astype(np.float32), stored[f"drums0_bias{i}"])
        for i in range(len(stored) // 2)
    ]
    conv = tuple(layer for layer in layers if layer[0].ndim == 4)
    dense = tuple(layer for layer in layers if layer[0].ndim == 2)
    monkeypatch.setattr(classifier, "_networks", lambda _: (classifier.Network(conv, dense),))
    seen = classifier.seen("drums", *plain(rows, own, louds(rows)))
    assert seen == pytest.approx(told, abs=0.01)


def test_a_network_learns_what_it_is_fitted_on_and_the_same_from_the_same_seed() -> None:
    rows = joined([labelled(seed) for seed in (3, 4)])
    own = np.arange(len(rows.labels))
    one, other = (fitted(rows, own, Fit((8, 8, 12, 12), (16, 16), 25, 32, 5e-3)) for _ in range(2))
    told = chances(one, rows, own)
    assert told == pytest.approx(chances(other, rows, own), abs=1e-4)
    right = rows.labels
    assert told[right].mean() > told[~right].mean() + 0.2
