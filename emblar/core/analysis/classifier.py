"""Which kinds of drum sound at a candidate: small networks trained on our own synthesis.

Conventions
-----------
Inputs are rows of ``evidence``; outputs are probabilities of ``KINDS``, several of which can hold
at once; a candidate with none of them is no stroke. There are networks for drums alone and others
for drums in a mix. Further ones weigh what candidates that sound alike say
of each other (``likeness``). The weights (``data/voices.npz``) are written by
``python -m training.train``; nothing but made-up sounds went into them.
"""

from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.evidence import Rows

KINDS = ("kick", "snare", "tom", "hat", "cymbal")
Probabilities = NDArray[np.float32]


Network = tuple[tuple[Rows, Rows], ...]
"""Weight and bias of each layer."""


@lru_cache(maxsize=6)
def _networks(family: str) -> tuple[Network, ...]:
    source = files("emblar.core.analysis").joinpath("data/voices.npz")
    found: dict[str, list[tuple[Rows, Rows]]] = {}
    with source.open("rb") as file, np.load(file) as stored:
        for name in sorted(n for n in stored.files if _family(n) == family and "weight" in n):
            weight = stored[name].astype(np.float32)
            bias = stored[name.replace("weight", "bias")].astype(np.float32)
            found.setdefault(name.split("_")[0], []).append((weight, bias))
    return tuple(tuple(layers) for _, layers in sorted(found.items()))


def _family(name: str) -> str:
    return name.split("_", maxsplit=1)[0].rstrip("0123456789")


def _odds(rows: Rows, network: Network) -> Rows:
    hidden = rows
    for weight, bias in network[:-1]:
        hidden = np.maximum(hidden @ weight + bias, 0.0)
    weight, bias = network[-1]
    return hidden @ weight + bias


def probabilities(rows: Rows, *, mix: bool) -> Probabilities:
    """Return the probability of each kind, shape (candidates, len(KINDS)).

    The networks see the evidence differently; their log odds are averaged.
    """
    return told("mix" if mix else "drums", rows)


def told(family: str, rows: Rows) -> Probabilities:
    """Return what a family of networks says, as ``training.train`` names them."""
    odds = np.mean([_odds(rows, network) for network in _networks(family)], axis=0)
    return np.asarray(1.0 / (1.0 + np.exp(-odds)), np.float32)
