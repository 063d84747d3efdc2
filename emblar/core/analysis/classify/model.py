"""Which kinds of drum sound at a candidate: small networks trained on our own synthesis.

Conventions
-----------
Inputs are ``patches``; outputs are probabilities of ``KINDS``, several of which can hold at once;
a candidate with none of them is no stroke. There is a convolutional network for drums alone and
two, whose log odds are averaged, for drums in a mix. Further, dense ones weigh what candidates that
sound alike say of each other (``neighbours``), and what middle and side of a stereo mix say
(``mid_side``); others, of layers along frequency, tell toms apart (``embedding``). The weights
(``models/voices.npz``) are written by ``python -m training.train``; nothing but made-up sounds went
into them.

Layers are ``conv`` (weight (height, width, in, out), each with its stride in ``STRIDES``, zeros
around it) and ``dense`` (weight (in, out)), all but the last followed by a rectifier; after the
last ``conv`` the greater of every two frames is kept.
"""

from dataclasses import dataclass
from functools import cache
from importlib.resources import files

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from emblar.core.analysis.classify.patches import patches
from emblar.core.analysis.signal.band_spans import Rows
from emblar.core.analysis.signal.band_spectrogram import Frames

KINDS = ("kick", "snare", "tom", "hat", "cymbal")
STRIDES = ((1, 2), (2, 2), (2, 2), (1, 1))
"""Of each convolution, over bands and over frames; the networks were fitted so."""
Probabilities = NDArray[np.float32]
Layer = tuple[Rows, Rows]
"""Weight and bias."""


@dataclass(frozen=True, slots=True)
class Network:
    """The layers of one network, in order."""

    conv: tuple[Layer, ...]
    dense: tuple[Layer, ...]


@cache
def _networks(family: str) -> tuple[Network, ...]:
    source = files("emblar.core.analysis").joinpath("models/voices.npz")
    result: dict[str, dict[str, list[Layer]]] = {}
    with source.open("rb") as file, np.load(file) as stored:
        for name in sorted(n for n in stored.files if _family(n) == family and "weight" in n):
            weight = stored[name].astype(np.float32)
            bias = stored[name.replace("weight", "bias")].astype(np.float32)
            kind = "conv" if weight.ndim == 4 else "dense"
            layers = result.setdefault(name.split("_")[0], {"conv": [], "dense": []})
            layers[kind].append((weight, bias))
    return tuple(
        Network(tuple(layers["conv"]), tuple(layers["dense"]))
        for _, layers in sorted(result.items())
    )


def _family(name: str) -> str:
    return name.split("_", maxsplit=1)[0].rstrip("0123456789")


def convolved(near: Rows, layer: Layer, stride: tuple[int, int]) -> Rows:
    """Return patches (count, height, width, in) after a layer, before the rectifier.

    Parameters
    ----------
    near
        Patches, shape (count, height, width, channels).
    layer
        Weights (height, width, in, out) and what is added to each, shape (out,).
    stride
        How far the window moves, (height, width).
    """
    weight, bias = layer
    high, wide = weight.shape[:2]
    padded = np.pad(near, ((0, 0), (high // 2,) * 2, (wide // 2,) * 2, (0, 0)))
    views = sliding_window_view(padded, (high, wide), axis=(1, 2))[:, :: stride[0], :: stride[1]]
    # (count, height, width, in, high, wide) as rows of what each place sees.
    seen = views.transpose(0, 1, 2, 4, 5, 3).reshape(*views.shape[:3], -1)
    return np.asarray(seen @ weight.reshape(-1, weight.shape[3]) + bias)


def _odds(rows: Rows, layers: tuple[Layer, ...]) -> Rows:
    hidden = rows
    for weight, bias in layers[:-1]:
        hidden = np.maximum(hidden @ weight + bias, 0.0)
    weight, bias = layers[-1]
    return hidden @ weight + bias


def _seen(near: Rows, around: Rows, network: Network) -> Rows:
    for layer, stride in zip(network.conv, STRIDES, strict=True):
        near = np.maximum(convolved(near, layer, stride), 0.0)
    even = near[:, :, : near.shape[2] // 2 * 2]
    pooled = np.maximum(even[:, :, ::2], even[:, :, 1::2])
    return _odds(np.concatenate([pooled.reshape(len(near), -1), around], axis=1), network.dense)


def probabilities(frames: Frames, times_s: NDArray[np.float64], *, mix: bool) -> Probabilities:
    """Return the probability of each kind at each time, shape (candidates, len(KINDS)).

    Parameters
    ----------
    frames
        Band powers of the recording.
    times_s
        Candidates, ascending, shape (candidates,), s.
    mix
        Whether other instruments play on between strokes.
    """
    family = "mix" if mix else "drums"
    result = [seen(family, *part) for part in patches(frames, times_s)]
    return np.concatenate([np.empty((0, len(KINDS)), np.float32), *result])


def seen(family: str, near: Rows, around: Rows) -> Probabilities:
    """Return what a family of convolutional networks says of patches and plain numbers.

    Parameters
    ----------
    family
        ``"drums"`` or ``"mix"``.
    near
        Patches, shape (count, height, width, channels).
    around
        Plain numbers, shape (count, AROUND).
    """
    return _chances(np.mean([_seen(near, around, n) for n in _networks(family)], axis=0))


def along(name: str, rows: Rows) -> Rows:
    """Return what layers along one axis make of rows, shape (count, size, channels)."""
    (network,) = _networks(name)
    seen = rows[:, None]
    for layer in network.conv[:-1]:
        seen = np.maximum(convolved(seen, layer, (1, 1)), 0.0)
    return convolved(seen, network.conv[-1], (1, 1))[:, 0]


def predict_proba(family: str, rows: Rows) -> Probabilities:
    """Return what a family of dense networks says of rows, as ``training.train`` names them."""
    return _chances(np.mean([_odds(rows, n.dense) for n in _networks(family)], axis=0))


def _chances(odds: Rows) -> Probabilities:
    return np.asarray(1.0 / (1.0 + np.exp(-odds)), np.float32)
