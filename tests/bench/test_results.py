"""Kept scores: every version a column, each mean with an interval that holds it."""

import json

from bench.results import FOLDER, interval, table


def test_every_kept_version_is_a_column_and_no_kit_is_named() -> None:
    files = [json.loads(p.read_text(encoding="utf-8")) for p in sorted(FOLDER.glob("*.json"))]
    assert len(files) >= 2
    lines = table(files)
    assert lines[0].count("version") == len(files)
    assert any(line.startswith("| drums: F1 kick |") for line in lines)
    assert all(isinstance(kit, int) for file in files for kit in file["kits"])


def test_an_interval_holds_its_mean_and_narrows_with_more() -> None:
    few, many = interval([0.0, 1.0] * 3), interval([0.0, 1.0] * 60)
    for mean, low, high in (few, many):
        assert low <= mean <= high
    assert many[2] - many[1] < few[2] - few[1]
