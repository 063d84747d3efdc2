"""``emblar setlist``: songs on one kit, without the database."""

import json
from pathlib import Path

import pytest

from emblar.core.errors import CatalogueError
from tests.briefs import brief
from tests.steps.bench.test_commands import run


def songs(tmp_path: Path, **more: object) -> Path:
    plain = {"batter": "single-clear", "batter_hz": 150.0, "reso": "single-clear", "reso_hz": 160.0}
    file = tmp_path / "songs.json"
    file.write_text(
        json.dumps(
            {
                "schema": "emblar.setlist/1",
                "drums": {"Rack 12": {"kind": "tom", "rods": 6}},
                "songs": [
                    {"name": "a", "drums": {"Rack 12": [plain]}},
                    {"name": "b", "drums": {"Rack 12": [{**plain, "batter_hz": 190.0}]}},
                    {"name": "c", "drums": {"Rack 12": [{**plain, "dampers": ["gel-pad"]}]}},
                ],
                **more,
            }
        ),
        encoding="utf-8",
    )
    return file


def test_songs_are_put_in_order_and_changes_told(tmp_path: Path) -> None:
    asked = json.loads(run("setlist", songs(tmp_path)))
    free = json.loads(run("setlist", songs(tmp_path, free_order=True)))
    assert [s["name"] for s in asked["songs"]] == ["a", "b", "c"]
    assert free["minutes"] < asked["minutes"], "the two that are tuned alike stand together"
    assert {s["name"] for s in free["songs"]} == {"a", "b", "c"}
    told = asked["songs"][1]["changes"]["Rack 12"]
    assert told["tuned"]["batter"] == pytest.approx(409.2, abs=0.1)


def test_a_damper_nobody_knows_is_named(tmp_path: Path) -> None:
    file = songs(tmp_path)
    file.write_text(file.read_text(encoding="utf-8").replace("gel-pad", "brick"), encoding="utf-8")
    with pytest.raises(CatalogueError, match="brick"):
        run("setlist", file)


def test_a_small_budget_is_spent_where_it_brings_most(tmp_path: Path) -> None:
    file = tmp_path / "brief.json"
    file.write_text(json.dumps(brief()), encoding="utf-8")
    found = json.loads(run("rescue", file, "--budget", "80", "--head", "20"))
    assert found["schema"] == "emblar.rescue/1"
    assert found["price"] <= 80.0
    assert set(found["before"]) <= {"Kick 22", "Snare 14", "Rack 10", "Rack 12", "Floor 16"}
