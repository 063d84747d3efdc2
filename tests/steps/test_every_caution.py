"""A caution that applies is in every output: screen, sheet, its files, command line and JSON."""

import csv
import html
import io
import json
import random
import re
from dataclasses import replace
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from typer.testing import CliRunner

from emblar.core.planning.findings import findings
from emblar.core.planning.kit import OwnedDrum
from emblar.main import app
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.plan.actions import planning as plan
from tests.briefs import brief

HAND = {
    "kick": ({"dampers": ["sand-can"]}, {"port": "cut"}, {"pitch_hz": 95.0}, {"pitch_hz": 35.0}),
    "snare": ({"pitch_hz": 330.0}, {"pitch_hz": 350.0}, {"dampers": ["gel-pad"]}),
    "tom": (
        {"dampers": ["leg-one"]},
        {"pitch_hz": 250.0},
        {"pitch_hz": 60.0},
        {"batter": "single-thin-clear"},
    ),
}
EXPECTED = {
    "sand-can": "heavy can",
    "cut": "wear gloves and eye protection",
    "leg-one": "legs turned over",
}


def words(text: str) -> str:
    """Return what a reader sees of a page, in one line."""
    return " ".join(html.unescape(re.sub(r"<[^>]+>", " ", text)).split())


def inspected(owned: OwnedDrum, rng: random.Random) -> OwnedDrum:
    rows = [name for name, row in findings().items() if owned.kind in row.kinds and not row.by_log]
    return replace(owned, findings=tuple(rng.sample(rows, 2)))


@pytest.mark.parametrize("seed", range(4))
def test_every_caution_of_a_planned_kit_is_on_every_page_and_in_every_file(
    planned: int, client: TestClient, seed: int
) -> None:
    rng = random.Random(seed)
    for drum in kit.kit(HERE, planned):
        kit.change_drum(HERE, planned, drum.id, inspected(drum.owned, rng))
    plan.plan_kit(HERE, planned)
    for drum in kit.kit(HERE, planned):
        plan.replan_drum(HERE, planned, drum.id, rng.choice(HAND[drum.owned.kind]))
    kit_plan = plan.latest_plan(HERE, planned)
    assert kit_plan is not None
    base = f"/sessions/{planned}"
    sheet = words(client.get(f"{base}/sheet").text)
    document = client.get(f"{base}/sheet.json").text
    table = list(csv.reader(io.StringIO(client.get(f"{base}/sheet.csv").text)))
    cells = " ".join(cell for row in table for cell in row)
    for drum in kit.kit(HERE, planned):
        one = kit_plan.drums[drum.id]
        page = words(client.get(f"{base}/plan?sel=d{drum.id}").text)
        for text in one.cautions:
            assert text in page and text in cells, text
            assert text in sheet, text
            assert json.dumps(text, ensure_ascii=False)[1:-1] in document, text
        applies = [
            findings()[name].name
            for name in drum.owned.findings
            if findings()[name].changes is None
        ]
        applies += [EXPECTED[name] for name in one.dampers if name in EXPECTED]
        applies += [EXPECTED["cut"]] * one.cut
        applies += ["hearing protection"]
        for words_of_it in applies:
            assert words_of_it in page and words_of_it in sheet and words_of_it in cells
    for text in kit_plan.warnings:
        assert text in sheet and text in words(client.get(f"{base}/plan").text)


@pytest.mark.parametrize("seed", range(4))
def test_every_caution_of_the_command_lines_plan_is_in_its_text_and_json(
    tmp_path: Path, seed: int
) -> None:
    rng = random.Random(seed)
    document = brief()
    for drum in document["shelf"]["drums"]:
        rows = [n for n, row in findings().items() if drum["kind"] in row.kinds and not row.by_log]
        drum["findings"] = rng.sample(rows, 1)
    document["ask"] |= {"tempo_bpm": rng.choice((70.0, 190.0)), "only_owned": rng.random() < 0.5}
    document["record"]["tom-1"]["pitch"]["value"] = rng.choice((95.0, 140.0, 260.0))
    document["record"]["kick"]["pitch"]["value"] = rng.choice((40.0, 60.0, 90.0))
    path = tmp_path / "brief.json"
    path.write_text(json.dumps(document))
    whole = tmp_path / "plan.json"
    shown = CliRunner().invoke(app, ["plan", str(path), "--json", str(whole)])
    assert shown.exit_code == 0, shown.output
    first = json.loads(whole.read_text())["alternatives"][0]
    by_name = {drum["name"]: drum for drum in document["shelf"]["drums"]}
    for one in first["voices"].values():
        for text in one["cautions"]:
            assert text in shown.stdout, text
        known = [findings()[name] for name in by_name[one["drum"]]["findings"]]
        for row in known:
            if row.changes is None:
                assert any(row.name in text for text in one["cautions"])
        assert any("hearing protection" in text for text in one["cautions"])
    for warning in first["warnings"]:
        assert warning["text"] in shown.stdout
