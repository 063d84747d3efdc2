"""Dense networks as they are fitted and stored, and how well they do."""

import warnings

import numpy as np
from sklearn.exceptions import ConvergenceWarning
from sklearn.metrics import f1_score
from sklearn.neural_network import MLPClassifier

COUNT = 2
HIDDEN = (48,)


def dense(
    rows: np.ndarray,
    labels: np.ndarray,
    alpha: float,
    epochs: int,
    hidden: tuple[int, ...] = HIDDEN,
) -> list[MLPClassifier]:
    """Return dense networks fitted on rows, stopped before they have converged."""
    networks = [
        MLPClassifier(hidden, alpha=alpha, batch_size=256, max_iter=epochs, random_state=seed)
        for seed in range(COUNT)
    ]
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ConvergenceWarning)
        return [network.fit(rows, labels) for network in networks]


def chances(networks: list[MLPClassifier], rows: np.ndarray) -> np.ndarray:
    """Return what dense networks say of rows together."""
    return np.mean([network.predict_proba(rows) for network in networks], axis=0)


def packed(weight: np.ndarray) -> np.ndarray:
    """Return weights to 9 of the 11 significant bits of float16: the file packs to less."""
    bits = weight.astype(np.float16).view(np.uint16).astype(np.uint32)
    return ((bits + 2) & 0xFFFC).astype(np.uint16).view(np.float16)


def weights_of(name: str, networks: list[MLPClassifier]) -> dict[str, np.ndarray]:
    """Return dense networks as they are stored."""
    stored = {}
    for number, network in enumerate(networks):
        layers = zip(network.coefs_, network.intercepts_, strict=True)
        for index, (weight, bias) in enumerate(layers):
            stored[f"{name}{number}_weight{index}"] = packed(weight)
            stored[f"{name}{number}_bias{index}"] = bias.astype(np.float32)
    return stored


def report(name: str, kinds: tuple[str, ...], labels: np.ndarray, chances: np.ndarray) -> None:
    """Print how well held-out candidates are told."""
    each = [
        f"{kind} {f1_score(labels[:, index], chances[:, index] > 0.5):.3f}"
        for index, kind in enumerate(kinds)
    ]
    print(f"  {name}: F1 on held-out scenes " + "  ".join(each), flush=True)
