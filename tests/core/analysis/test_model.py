"""The stored networks: tied to the analysis' version, and still saying what they said."""

import hashlib
import json
import tomllib
from importlib.resources import files
from pathlib import Path

import numpy as np
import pytest

from emblar.core.analysis.classify.model import KINDS, probabilities
from emblar.core.analysis.classify.patches import patches
from emblar.core.analysis.onsets.detection import find_candidates
from emblar.core.analysis.pipeline import ANALYSIS_VERSION
from emblar.core.analysis.signal.audio import Audio, one_channel
from emblar.core.synthesis.low_ferry import render_low_ferry

KEPT = Path(__file__).parent / "data" / "model.json"
"""Patches and chances of the demo song's first candidates, as the networks of this version give
them; written by ``python -m tests.core.analysis.test_model``."""
SECONDS = 6
SHOWN = 24


def of_the_demo_song() -> dict[str, list[list[float]]]:
    """Return what the first candidates look like, and what the networks say of them."""
    song = render_low_ferry()
    piece = song.samples[: SECONDS * song.sample_rate_hz].astype(np.float32)
    frames, times = find_candidates(one_channel(Audio(piece, song.sample_rate_hz)))
    near, around = next(patches(frames, times[:SHOWN]))
    found = {
        "patches": np.stack([near.mean(axis=(1, 2, 3)), near.std(axis=(1, 2, 3))], axis=1),
        "around": np.stack([around.mean(axis=1), around.std(axis=1)], axis=1),
        "drums": probabilities(frames, times[:SHOWN], mix=False),
        "mix": probabilities(frames, times[:SHOWN], mix=True),
    }
    return {name: np.round(values.astype(float), 5).tolist() for name, values in found.items()}


def test_patches_and_chances_are_those_of_the_version() -> None:
    kept, now = json.loads(KEPT.read_text(encoding="utf-8")), of_the_demo_song()
    assert kept["analysis_version"] == ANALYSIS_VERSION
    assert np.array(kept["drums"]).shape[1] == len(KINDS)
    assert len(kept["drums"]) >= 20
    for name, values in now.items():
        assert np.array(values) == pytest.approx(np.array(kept[name]), abs=2e-4), name


def test_weights_belong_to_the_version_of_the_analysis() -> None:
    folder = files("emblar.core.analysis") / "models"
    told = tomllib.loads((folder / "voices.toml").read_text(encoding="utf-8"))
    data = (folder / "voices.npz").read_bytes()
    assert hashlib.sha256(data).hexdigest() == told["sha256"]
    assert told["analysis_version"] == ANALYSIS_VERSION
    card = (folder / "MODEL_CARD.md").read_text(encoding="utf-8")
    assert str(told["fitted_on"]) in card


if __name__ == "__main__":
    rows = {"analysis_version": ANALYSIS_VERSION, **of_the_demo_song()}
    KEPT.write_text(json.dumps(rows) + "\n", encoding="utf-8")
