"""The networks of ``embedding``, fitted with torch on made-up fills and written as plain arrays.

Conventions
-----------
``embedding``: strokes of one tom are to be alike, of two different; ``pitch``: where each is tuned.
Both are layers along frequency, as ``model.along`` reads them; scenes are coloured and
scattered at random whenever they are seen.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from sklearn.metrics import roc_auc_score
from torch import nn
from torch.nn import functional

from emblar.core.analysis.voices.embedding import CHANNELS, SIZE, at_hz, shown_of
from training.fills import Fills, gathered
from training.network import stepped
from training.rows import HELD_OUT
from training.stored import packed

KITS = 400
SCENES_AT_ONCE = 8
COLOUR_DB = 4.0
SCATTER_DB = 1.05
KNOTS = 8
FASTEST = 4e-3
SHARE_OF_FASTEST = 0.5
DECAY = 1e-3
SHARPNESS = 6.0
LIKELY = -2.0
"""Of being the same, as a slope and an offset in log odds; where they start."""
NEAR_SEMITONES = 0.7


@dataclass(frozen=True, slots=True)
class Layers:
    """How wide the layers of a network are, how far they reach, and how long it is fitted."""

    widths: tuple[int, int, int]
    reaches: tuple[int, int, int]
    epochs: int


FITS = {
    "embedding": Layers((64, 64, 12), (9, 9, 9), 20),
    "pitch": Layers((32, 32, 1), (9, 9, 25), 6),
}
Loss = Callable[["Along", torch.Tensor, Sequence[Fills]], torch.Tensor]


class Along(nn.Module):
    """A network of ``model.along``; ``slope`` and ``offset`` turn likeness into log odds."""

    def __init__(self, layers: Layers) -> None:
        super().__init__()
        inside = (CHANNELS, *layers.widths)
        self.conv = nn.ModuleList(
            nn.Conv1d(inside[i], inside[i + 1], reach, padding=reach // 2)
            for i, reach in enumerate(layers.reaches)
        )
        self.slope = nn.Parameter(torch.tensor(SHARPNESS))
        self.offset = nn.Parameter(torch.tensor(LIKELY))

    def forward(self, shown: torch.Tensor) -> torch.Tensor:
        """Return what is made of rows (count, SIZE, CHANNELS), shape (count, SIZE, channels)."""
        seen = shown.transpose(1, 2)
        for conv in self.conv[:-1]:
            seen = functional.relu(conv(seen))
        return self.conv[-1](seen).transpose(1, 2)


def networks(kits: int, cache: Path | None) -> dict[str, np.ndarray]:
    """Fit both networks, print how they do on other kits, return their weights."""
    scenes = gathered(kits, cache)
    fit = [scene for scene in scenes if scene.kit % HELD_OUT]
    held = [scene for scene in scenes if scene.kit % HELD_OUT == 0]
    print(f"fills: {sum(len(s.tom) for s in scenes)} strokes in {len(scenes)} scenes", flush=True)
    embedding = fitted(fit, FITS["embedding"], _unlike)
    pitch = fitted(fit, FITS["pitch"], _mistuned)
    print(
        f"  embedding: two of one tom more alike in {np.mean([alike(embedding, s) for s in held]):.3f}"
    )
    near = np.concatenate([np.abs(off_semitones(pitch, s)) < 1.0 for s in held])
    print(f"  pitch: within a semitone {near.mean():.3f}", flush=True)
    return weights_of("colour0", embedding) | weights_of("pitch0", pitch)


def fitted(scenes: Sequence[Fills], layers: Layers, loss: Loss) -> Along:
    """Return a network fitted on scenes."""
    torch.manual_seed(0)
    rng, network = np.random.default_rng(0), Along(layers)
    best = torch.optim.AdamW(network.parameters(), SHARE_OF_FASTEST * FASTEST, weight_decay=DECAY)
    parts = -(-len(scenes) // SCENES_AT_ONCE)
    pace = torch.optim.lr_scheduler.OneCycleLR(
        best, FASTEST, total_steps=max(layers.epochs * parts, 1)
    )
    for epoch in range(layers.epochs):
        total = 0.0
        for part in np.array_split(rng.permutation(len(scenes)), parts):
            members = [scenes[i] for i in part]
            shown = np.concatenate([shown_of(_blurred(rng, scene.levels)) for scene in members])
            off = loss(network, torch.from_numpy(shown), members)
            total += stepped(off, best, pace)
        print(f"    epoch {epoch}: loss {total / parts:.4f}", flush=True)
    return network.eval()


def _unlike(network: Along, shown: torch.Tensor, fills: Sequence[Fills]) -> torch.Tensor:
    """Return the cross entropy of which strokes of a scene are of one tom."""
    embedding = _colours(network, shown)
    total, first = torch.zeros(()), 0
    for scene in fills:
        part = embedding[first : first + len(scene.tom)]
        first += len(part)
        a, b = torch.triu_indices(len(part), len(part), 1)
        odds = network.slope * (part @ part.T)[a, b] + network.offset
        same = torch.from_numpy(scene.tom[:, None] == scene.tom[None, :])[a, b]
        total = total + functional.binary_cross_entropy_with_logits(odds, same.float())
    return total / len(fills)


def _mistuned(network: Along, shown: torch.Tensor, fills: Sequence[Fills]) -> torch.Tensor:
    """Return the cross entropy of where toms are tuned, a little to either side being as good."""
    hz = np.concatenate([scene.tuned_hz for scene in fills])
    away = 12.0 * np.log2(hz[:, None] / at_hz())
    near = np.exp(-0.5 * (away / NEAR_SEMITONES) ** 2)
    near = torch.from_numpy((near / near.sum(axis=1, keepdims=True)).astype(np.float32))
    chance = functional.log_softmax(network(shown)[:, :, 0], dim=1)
    return -(near * chance).sum(dim=1).mean()


def _colours(network: Along, shown: torch.Tensor) -> torch.Tensor:
    return functional.normalize(functional.relu(network(shown)).flatten(1) + 1e-6, dim=1)


def _blurred(rng: np.random.Generator, levels: np.ndarray) -> np.ndarray:
    """Return levels as another equaliser would give them, scattered; what is usual is not."""
    curve = np.interp(
        np.linspace(0, KNOTS - 1, SIZE), np.arange(KNOTS), rng.normal(0, COLOUR_DB, KNOTS)
    )
    out = levels.astype(np.float32) + curve.astype(np.float32)
    out[:, :-1] += rng.normal(0, SCATTER_DB, out[:, :-1].shape)
    return out


def alike(network: Along, scene: Fills) -> float:
    """Return how often two strokes of one tom are more alike than two of different ones."""
    with torch.no_grad():
        embedding = _colours(network, torch.from_numpy(shown_of(scene.levels.astype(np.float32))))
    a, b = np.triu_indices(len(scene.tom), 1)
    like = (embedding @ embedding.T).numpy()[a, b]
    return float(roc_auc_score(scene.tom[a] == scene.tom[b], like))


def off_semitones(network: Along, scene: Fills) -> np.ndarray:
    """Return by how much each stroke's drum is taken to be tuned too high."""
    with torch.no_grad():
        chance = network(torch.from_numpy(shown_of(scene.levels.astype(np.float32))))[:, :, 0]
    return 12.0 * np.log2(at_hz()[chance.argmax(dim=1).numpy()] / scene.tuned_hz)


def weights_of(name: str, network: Along) -> dict[str, np.ndarray]:
    """Return a network as ``model.along`` reads it."""
    stored = {}
    for index, conv in enumerate(network.conv):
        weight = conv.weight.detach().permute(2, 1, 0)[None]
        stored[f"{name}_weight{index}"] = packed(weight.numpy())
        stored[f"{name}_bias{index}"] = conv.bias.detach().numpy().astype(np.float32)
    return stored
