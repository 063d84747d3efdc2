"""The kept scores side by side: ``python -m bench.results``.

``python -m bench.real --keep bench/results/real-VERSION.json`` keeps the scores of a version of the
analysis. Printed: a table over versions, each mean with the interval in which 95 % of means of as
many recordings drawn again lie (bootstrap). What lies inside one another's interval is no change.
"""

import json
from pathlib import Path
from typing import Any

import numpy as np

FOLDER = Path(__file__).parent / "results"
DRAWN = 2000


def interval(values: list[float]) -> tuple[float, float, float]:
    """Return the mean, and the interval of 95 % of means drawn again."""
    rng = np.random.default_rng(0)
    rows = np.array(values)
    means = rows[rng.integers(len(rows), size=(DRAWN, len(rows)))].mean(axis=1)
    low, high = np.quantile(means, [0.025, 0.975])
    return float(rows.mean()), float(low), float(high)


def table(files: list[dict[str, Any]]) -> list[str]:
    """Return the lines of a table of kept files, versions in columns."""
    versions = [f"version {file['analysis_version']}" for file in files]
    out = [f"| | {' | '.join(versions)} |", "|" + " --- |" * (len(files) + 1)]
    names = {(c, n): None for file in files for c, of in file["scores"].items() for n in of}
    for condition, name in names:
        cells = []
        for file in files:
            values = file["scores"].get(condition, {}).get(name, [])
            mean, low, high = interval(values) if values else (np.nan,) * 3
            cells.append(f"{mean:.3f} ({low:.3f}–{high:.3f})" if values else "")
        out.append(f"| {condition}: {name} | {' | '.join(cells)} |")
    return out


def main() -> None:
    """Print the table."""
    files = [json.loads(p.read_text(encoding="utf-8")) for p in FOLDER.glob("*.json")]
    files.sort(key=lambda file: (file["analysis_version"], file["seed"]))
    if not files:
        print("Nothing is kept yet: python -m bench.real --keep bench/results/real-VERSION.json")
        return
    print("\n".join(table(files)))


if __name__ == "__main__":
    main()
