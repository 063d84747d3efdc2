"""The neural separator against a small stand-in for the packages it needs."""

import sys
from pathlib import Path
from types import ModuleType, SimpleNamespace

import numpy as np
import pytest

from emblar.core.errors import ServiceError
from emblar.platform.sound.neural import neural_separator


class StandIn:
    """Takes a third of everything for drums."""

    samplerate, audio_channels = 44100, 2

    def __init__(self, sources: tuple[str, ...] = ("bass", "drums", "other")) -> None:
        self.sources = sources
        self.rested = False

    def eval(self) -> None:
        self.rested = True


@pytest.fixture
def weights(tmp_path: Path) -> Path:
    (tmp_path / "small.yaml").write_text("models: []")
    return tmp_path


@pytest.fixture
def packages(monkeypatch: pytest.MonkeyPatch) -> SimpleNamespace:
    state = SimpleNamespace(model=StandIn(), asked=None)
    torch, package = ModuleType("torch"), ModuleType("demucs")
    pretrained, apply = ModuleType("demucs.pretrained"), ModuleType("demucs.apply")
    torch.from_numpy = lambda a: a  # type: ignore[attr-defined]

    def get_model(name: str, repo: Path) -> StandIn:
        state.asked = (name, repo)
        if isinstance(state.model, Exception):
            raise state.model
        return state.model

    def apply_model(model: StandIn, mix: np.ndarray, **_: object) -> np.ndarray:
        assert mix.dtype == np.float32
        assert mix.shape[:2] == (1, model.audio_channels)
        return np.stack([mix[0] / 3.0 for _ in model.sources])[None]

    pretrained.get_model = get_model  # type: ignore[attr-defined]
    apply.apply_model = apply_model  # type: ignore[attr-defined]
    for module in (torch, package, pretrained, apply):
        monkeypatch.setitem(sys.modules, module.__name__, module)
    return state


@pytest.mark.parametrize(("rate", "channels"), [(44100, 2), (44100, 1), (48000, 2)])
def test_parts_add_up_whatever_the_rate_and_the_channels(
    packages: SimpleNamespace, weights: Path, rate: int, channels: int
) -> None:
    samples = 0.1 * np.random.default_rng(1).standard_normal((rate, channels))
    parts = neural_separator(weights).separate(samples, rate)
    assert parts.drums.shape == samples.shape
    assert np.allclose(parts.drums + parts.rest, samples, atol=1e-12)
    if rate == 44100:
        assert np.allclose(parts.drums, samples / 3.0, atol=1e-3)
    assert packages.asked == ("small", weights)
    assert packages.model.rested


def test_without_the_extra_it_says_how_to_get_it(
    monkeypatch: pytest.MonkeyPatch, weights: Path
) -> None:
    monkeypatch.setitem(sys.modules, "torch", None)
    with pytest.raises(ServiceError, match=r"pip install emblar\[neural\]"):
        neural_separator(weights)


def test_without_weights_it_says_what_is_expected_where(
    packages: SimpleNamespace, tmp_path: Path
) -> None:
    with pytest.raises(ServiceError, match="holds no weights"):
        neural_separator(tmp_path / "nowhere")


def test_broken_weights_and_other_models_are_told(packages: SimpleNamespace, weights: Path) -> None:
    packages.model = StandIn(("vocals", "rest"))
    with pytest.raises(ServiceError, match="does not separate drums"):
        neural_separator(weights)
    packages.model = RuntimeError("bad magic number")
    with pytest.raises(ServiceError, match="bad magic number"):
        neural_separator(weights)
