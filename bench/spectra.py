"""Measure what the training's made-up strokes are brought to: ``python -m bench.spectra``.

Writes ``training/data/spectra.json``: medians and spreads over many, never one drum's own numbers.
The file there is of all kits ``--without 6 9 10 14``.
"""

import argparse
import json
from pathlib import Path

import numpy as np

from bench.material import RATE, Array, Kit, onset_sample
from bench.real import cached_kits
from emblar.core.voices import VoiceName
from training.spectra import WHERE, profile

LEAD_SAMPLES = 30
LASTING_S = 1.0
MAD_TO_SD = 1.4826


def profiles(kits: list[Kit]) -> dict[str, list[list[Array]]]:
    """Return profiles of all strokes, drum by drum, of each kind."""
    result: dict[str, list[list[Array]]] = {}
    for kit in kits:
        for voice, drum in kit.drums.items():
            matching: list[Array] = []
            for layer in drum.layers:
                mono = layer[:, int(np.argmax((layer**2).sum(axis=0)))]
                start = max(onset_sample(layer) - LEAD_SAMPLES, 0)
                shape = profile(mono[start : start + int(LASTING_S * RATE)])
                matching.append(np.asarray(shape, np.float64))
            result.setdefault(VoiceName(voice).kind, []).append(matching)
    return result


def summed_up(drums: list[list[Array]]) -> dict[str, list[list[float]]]:
    """Return the median over drums, each counting as much as another, and the spread of strokes."""
    rows = np.array([np.median(members, axis=0) for members in drums])
    strokes = np.array([p for members in drums for p in members])
    median = np.median(rows, axis=0)
    spread = MAD_TO_SD * np.median(np.abs(strokes - median), axis=0)
    return {
        "median_db": np.round(median, 1).tolist(),
        "spread_db": np.round(spread, 1).tolist(),
    }


def main() -> None:
    """Measure and write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--without", type=int, nargs="*", default=[])
    parser.add_argument("--cache", type=Path)
    arguments = parser.parse_args()
    every = cached_kits(arguments.cache)
    result = profiles([kit for i, kit in enumerate(every) if i not in arguments.without])
    table = {
        "unit": "dB re the loudest band and segment",
        "source": "python -m bench.spectra, sampled kits; median over drums, 1.48 MAD of strokes",
        "kinds": {kind: summed_up(drums) for kind, drums in sorted(result.items())},
    }
    WHERE.parent.mkdir(exist_ok=True)
    WHERE.write_text(json.dumps(table, indent=1) + "\n")
    for kind, drums in sorted(result.items()):
        print(f"{kind}: {len(drums)} drums, {sum(map(len, drums))} strokes")


if __name__ == "__main__":
    main()
