"""A neural separator as an optional extra: ``pip install emblar[neural]`` and a folder of weights.

Conventions
-----------
Nothing is fetched: the weights are a folder that the user brings (``EMBLAR_SEPARATOR_WEIGHTS``), in
the form the ``demucs`` package keeps them in, ``NAME.yaml`` next to its ``.th`` files. Parts add up
to what was given: the rest is the recording less the drums.

Source: Défossez 2021, Rouard et al. 2023 (hybrid spectrogram and waveform separation).
"""

import importlib
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from emblar.core.analysis.separation.wiener import Parts
from emblar.core.errors import ServiceError

Array = NDArray[np.floating]
DRUMS = "drums"
OVERLAP = 0.25
QUIETEST = 1e-8


@dataclass(frozen=True, slots=True)
class NeuralSeparator:
    """Separates with a trained network."""

    model: Any
    torch: ModuleType
    apply: ModuleType

    def separate(self, samples: Array, sample_rate_hz: int) -> Parts:
        """Return drums and rest of samples of shape (n, channels); they add up to the samples."""
        rate, channels = int(self.model.samplerate), int(self.model.audio_channels)
        given = _channels(np.asarray(samples, np.float32), channels)
        if rate != sample_rate_hz:
            given = soxr.resample(given, sample_rate_hz, rate)
        # Networks of this kind expect a recording of unit spread.
        middle, spread = float(given.mean()), float(given.std()) + QUIETEST
        mix = self.torch.from_numpy(np.ascontiguousarray((given - middle).T / spread))
        result = self.apply.apply_model(
            self.model, mix[None], device="cpu", split=True, overlap=OVERLAP, progress=False
        )
        drums: Array = (
            np.asarray(result[0, list(self.model.sources).index(DRUMS)], np.float64).T * spread
        )
        if rate != sample_rate_hz:
            drums = soxr.resample(drums, rate, sample_rate_hz)
        drums = _channels(_fitted(drums, len(samples)), samples.shape[1])
        return Parts(drums, samples - drums)


def neural_separator(weights: Path) -> NeuralSeparator:
    """Load the separator from a folder of weights.

    Raises
    ------
    ServiceError
        The extra is not installed, or the folder holds no weights; the message says what to do.
    """
    try:
        torch, pretrained, apply = (
            importlib.import_module(name) for name in ("torch", "demucs.pretrained", "demucs.apply")
        )
    except ImportError as error:
        raise ServiceError(
            f"The neural separator is not installed ({error.name} is missing). Install it with "
            "pip install emblar[neural], or leave EMBLAR_SEPARATOR_WEIGHTS empty."
        ) from error
    names = sorted(p.stem for p in weights.glob("*.yaml")) if weights.is_dir() else []
    if not names:
        raise ServiceError(
            f"{weights} holds no weights: a NAME.yaml with its .th files is expected there. "
            "Bring them, or leave EMBLAR_SEPARATOR_WEIGHTS empty to separate by templates."
        )
    try:
        model = pretrained.get_model(names[0], repo=weights)
    except Exception as error:
        raise ServiceError(
            f"The weights “{names[0]}” in {weights} cannot be loaded: {error}. "
            "Copy them again, or leave EMBLAR_SEPARATOR_WEIGHTS empty."
        ) from error
    if DRUMS not in model.sources:
        raise ServiceError(f"The model “{names[0]}” in {weights} does not separate drums.")
    model.eval()
    return NeuralSeparator(model, torch, apply)


def _channels(samples: Array, count: int) -> Array:
    """Return samples of shape (n, channels) with another number of channels."""
    if samples.shape[1] == count:
        return samples
    mono = samples.mean(axis=1, keepdims=True)
    return np.repeat(mono, count, axis=1)


def _fitted(samples: Array, length: int) -> Array:
    short = max(length - len(samples), 0)
    return np.pad(samples[:length], ((0, short), (0, 0)))
