"""Cures on the screen and from the shell: offered in order, planned by hand, nothing stale."""

import json
from pathlib import Path

from fastapi.testclient import TestClient
from typer.testing import CliRunner

from emblar.main import app
from emblar.platform.studio import HERE
from emblar.steps.bench.actions.cures import cures_of
from emblar.steps.plan.actions.planning import replan_drum
from tests.steps.bench.test_actions import at, drum_of


def test_a_cure_is_planned_and_the_bench_goes_for_it(client: TestClient, planned: int) -> None:
    snare = drum_of(planned, "snare")
    replan_drum(HERE, planned, snare.id, {"wires": "tight", "semitones": 9.0})
    address = f"/sessions/{planned}/bench/{snare.id}/cures"
    page = client.get(address).text
    assert page.index("Back the wires off") < page.index("Loosen the snare side")
    before = at(planned, snare).heads
    place = next(
        i for i, c in enumerate(cures_of(HERE, planned, snare.id).cures) if c.id == "reso-lower"
    )
    done = client.post(address, data={"cure": "reso-lower", "place": place})
    assert "Planned: Loosen the snare side" in done.text
    after = at(planned, snare).heads
    assert after["reso"].planned_hz < before["reso"].planned_hz
    assert after["batter"].planned_hz > before["batter"].planned_hz
    assert drum_of(planned, "snare").wish["wires"] == "tight", "the rest stays as asked"


def test_a_trick_goes_on_the_drum_and_a_stroke_is_asked_for(
    client: TestClient, planned: int
) -> None:
    snare = drum_of(planned, "snare")
    place, cure = next(
        (i, c) for i, c in enumerate(cures_of(HERE, planned, snare.id).cures) if c.id == "paper"
    )
    before = at(planned, snare).plan_version
    page = client.post(
        f"/sessions/{planned}/bench/{snare.id}/cures", data={"cure": cure.id, "place": place}
    ).text
    assert "Strike once" in page
    assert "paper" in page
    assert at(planned, snare).plan_version == before, "the plan stays"


def test_what_is_not_offered_any_more_is_told(client: TestClient, planned: int) -> None:
    tom = drum_of(planned, "tom")
    address = f"/sessions/{planned}/bench/{tom.id}/cures"
    done = client.post(address, data={"cure": "wires-looser", "place": 0})
    assert done.status_code == 422
    assert "not offered any more" in done.text
    kick = drum_of(planned, "kick")
    shown = client.get(f"/sessions/{planned}/bench/{kick.id}/cures").text
    assert "If it rings too long" in shown
    assert "A small pad that touches the batter" in shown


def test_the_shell_prints_the_same_list(tmp_path: Path) -> None:
    drum = {
        "name": "Snare",
        "kind": "snare",
        "diameter_in": 14,
        "depth_in": 6.5,
        "rods": 10,
        "hoop": "flanged",
        "shell": "steel",
        "batter": "single-coated",
        "reso": "snare-side",
    }
    file = tmp_path / "setup.json"
    file.write_text(
        json.dumps(
            {
                "schema": "emblar.moves/1",
                "voice": "snare",
                "drum": drum,
                "batter_hz": 210,
                "reso_hz": 353,
                "striker": "stick-medium",
                "wires": "tight",
                "target": {},
            }
        ),
        encoding="utf-8",
    )
    told = json.loads(CliRunner().invoke(app, ["cures", str(file)]).stdout)
    assert told["schema"] == "emblar.cures/1"
    assert [c["id"] for c in told["cures"]][:2] == ["wires-looser", "reso-lower"]
