"""A convolutional network of ``model``, fitted with torch and written as plain arrays.

Conventions
-----------
Patches are (count, BANDS, FRAMES, CHANNELS) here as there. A network is fitted with batch
normalisation, which is worked into the weights when they are written.
"""

import itertools
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
import torch
from torch import nn
from torch.nn import functional

from emblar.core.analysis.classify.model import KINDS, STRIDES
from emblar.core.analysis.classify.patches import AROUND, CHANNELS, FRAMES
from emblar.core.analysis.signal.band_spectrogram import BANDS
from training.rows import SCENE_COLOUR_DB, Gathered, blurred, colour, louds, plain
from training.stored import packed

KERNELS = ((3, 5), (3, 3), (3, 3), (3, 3))
SOMETIMES_OFF = 0.2


@dataclass(frozen=True, slots=True)
class Fit:
    """How large a network is and how long it is fitted."""

    widths: tuple[int, ...] = (16, 32, 48, 64)
    hidden: tuple[int, int] = (128, 64)
    epochs: int = 7
    batch: int = 384
    fastest: float = 2e-3
    decay: float = 1e-2
    seed: int = 5


class Network(nn.Module):
    """The network of ``model``."""

    def __init__(self, fit: Fit) -> None:
        super().__init__()
        inside = (CHANNELS, *fit.widths)
        self.conv = nn.ModuleList(
            nn.Conv2d(
                inside[i],
                inside[i + 1],
                KERNELS[i],
                STRIDES[i],
                (KERNELS[i][0] // 2, KERNELS[i][1] // 2),
            )
            for i in range(len(KERNELS))
        )
        self.norm = nn.ModuleList(nn.BatchNorm2d(width) for width in fit.widths)
        with torch.no_grad():
            self.shape = self.pooled(torch.zeros(1, BANDS, FRAMES, CHANNELS)).shape[1:]
        sizes = (int(np.prod(self.shape)) + AROUND, *fit.hidden, len(KINDS))
        self.dense = nn.ModuleList(nn.Linear(a, b) for a, b in itertools.pairwise(sizes))
        self.off = nn.Dropout(SOMETIMES_OFF)

    def pooled(self, near: torch.Tensor) -> torch.Tensor:
        """Return what the convolutions see, shape (count, widths[-1], bands, frames)."""
        seen = near.permute(0, 3, 1, 2)
        for conv, norm in zip(self.conv, self.norm, strict=True):
            seen = functional.relu(norm(conv(seen)))
        return functional.max_pool2d(seen, (1, 2))

    def forward(self, near: torch.Tensor, around: torch.Tensor) -> torch.Tensor:
        """Return log odds of the kinds."""
        hidden = torch.cat([self.pooled(near).flatten(1), around], dim=1)
        for dense in self.dense[:-1]:
            hidden = functional.relu(dense(self.off(hidden)))
        return self.dense[-1](hidden)


def fitted(rows: Gathered, matching: np.ndarray, fit: Fit) -> Network:
    """Return a network fitted on some candidates."""
    torch.manual_seed(fit.seed)
    network = Network(fit)
    steps, loud = len(matching) // fit.batch, louds(rows)
    best = torch.optim.AdamW(network.parameters(), lr=fit.fastest, weight_decay=fit.decay)
    pace = torch.optim.lr_scheduler.OneCycleLR(
        best, fit.fastest, total_steps=max(steps * fit.epochs, 1), pct_start=0.15
    )
    for epoch in range(fit.epochs):
        network.train()
        total = 0.0
        for near, around, truth in _batches(rows, matching, loud, fit, epoch):
            odds = network(torch.from_numpy(near), torch.from_numpy(around))
            loss = functional.binary_cross_entropy_with_logits(odds, torch.from_numpy(truth))
            total += stepped(loss, best, pace)
        print(f"    epoch {epoch}: loss {total / max(steps, 1):.4f}", flush=True)
    return network.eval()


def stepped(
    loss: torch.Tensor, best: torch.optim.Optimizer, pace: torch.optim.lr_scheduler.LRScheduler
) -> float:
    """Make one step down and return the loss."""
    best.zero_grad()
    loss.backward()
    best.step()
    pace.step()
    return loss.item()


def _batches(
    rows: Gathered, matching: np.ndarray, loud: np.ndarray, fit: Fit, epoch: int
) -> Iterator[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    """Yield batches, the next one made while one is used."""
    rng = np.random.default_rng([fit.seed, epoch])
    colours = colour(rng, len(rows.kit), SCENE_COLOUR_DB)
    order = rng.permutation(matching)

    def made(number: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        chosen = np.sort(order[number * fit.batch : (number + 1) * fit.batch])
        blur = np.random.default_rng([fit.seed, epoch, number])
        return *blurred(blur, rows, chosen, loud, colours), rows.labels[chosen].astype(np.float32)

    count = len(matching) // fit.batch
    with ThreadPoolExecutor(1) as executor:
        coming: Future[Any] | None = executor.submit(made, 0) if count else None
        for number in range(count):
            ready = coming.result() if coming is not None else made(number)
            coming = executor.submit(made, number + 1) if number + 1 < count else None
            yield ready


def chances(network: Network, rows: Gathered, matching: np.ndarray) -> np.ndarray:
    """Return what a network says of candidates as they are, shape (candidates, KINDS)."""
    loud, result = louds(rows), []
    with torch.no_grad():
        for part in np.array_split(matching, max(len(matching) // 512, 1)):
            near, around = plain(rows, part, loud)
            result.append(torch.sigmoid(network(torch.from_numpy(near), torch.from_numpy(around))))
    return torch.cat(result).numpy()


def weights_of(name: str, network: Network) -> dict[str, np.ndarray]:
    """Return a network as ``model`` reads it."""
    layers = []
    for conv, norm in zip(network.conv, network.norm, strict=True):
        gain = norm.weight / torch.sqrt(norm.running_var + norm.eps)
        weight = (conv.weight * gain[:, None, None, None]).permute(2, 3, 1, 0)
        layers.append((weight, norm.bias + (conv.bias - norm.running_mean) * gain))
    for index, dense in enumerate(network.dense):
        weight = dense.weight
        if index == 0:
            # From (out, channels, bands, frames) to (bands, frames, channels), and the rest.
            size = int(np.prod(network.shape))
            seen = weight[:, :size].reshape(-1, *network.shape).permute(0, 2, 3, 1)
            weight = torch.cat([seen.reshape(len(weight), -1), weight[:, size:]], dim=1)
        layers.append((weight.T, dense.bias))
    stored = {}
    for index, (weight, bias) in enumerate(layers):
        stored[f"{name}_weight{index}"] = packed(weight.detach().numpy())
        stored[f"{name}_bias{index}"] = bias.detach().numpy().astype(np.float32)
    return stored
