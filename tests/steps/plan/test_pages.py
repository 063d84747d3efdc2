"""Plan as a page: wishes, pitches of the toms, sounds, and parts that are gone."""

from dataclasses import replace
from typing import Any

import pytest
from fastapi.testclient import TestClient

from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.plan.actions import planning as plan
from emblar.steps.shelf import actions as shelf
from tests.drums import OWNED_TOM

pytestmark = pytest.mark.usefixtures("database")
HTMX = {"HX-Request": "true"}


def test_a_wish_in_steps_moves_the_plan_and_not_the_record(
    client: TestClient, planned: int
) -> None:
    url = f"/sessions/{planned}/plan/1"
    before = plan.latest_plan(HERE, planned)
    assert before is not None
    client.post(url, data={"wish_sustain": "-6", "wish_length": "-6"})
    after = plan.latest_plan(HERE, planned)
    assert after is not None
    assert after.drums[1].target == before.drums[1].target
    assert after.drums[1].card["sustain"].value < before.drums[1].card["sustain"].value
    page = client.get(f"/sessions/{planned}/plan?sel=tom-1").text
    assert "Ask for something different from the record: length -6, sustain -6 steps" in page
    bad = client.post(url, data={"wish_length": "90"}, headers=HTMX)
    assert "length: +90 steps is outside" in bad.text
    assert plan.latest_plan(HERE, planned) == after


def test_toms_take_their_pitches_from_a_school_and_back(client: TestClient, planned: int) -> None:
    client.post(f"/sessions/{planned}/plan/toms", data={"school": "best"})
    best = plan.latest_plan(HERE, planned)
    assert best is not None
    client.post(f"/sessions/{planned}/plan/toms", data={"school": "record"})
    back = plan.latest_plan(HERE, planned)
    assert back is not None
    record = back.drums[1].target["pitch"].value
    assert back.drums[1].card["pitch"].value == pytest.approx(record, rel=2e-3)
    assert best.drums[1].card["pitch"].value != pytest.approx(record, rel=5e-3)
    lost = client.post(f"/sessions/{planned}/plan/toms", data={"school": "key"}, headers=HTMX)
    assert "is not a key" in lost.text


def test_the_kit_is_heard_together(client: TestClient, planned: int) -> None:
    for path in ("1/ramp.wav", "1/groove.wav", "kit.wav"):
        answer = client.get(f"/sessions/{planned}/plan/{path}")
        assert answer.headers["content-type"] == "audio/wav"
        assert answer.content[:4] == b"RIFF"
    assert client.get(f"/sessions/{planned}/plan/1/solo.wav").status_code in (404, 422)


def test_a_plan_with_a_damper_that_was_taken_off_the_shelf_says_so(
    client: TestClient, planned: int
) -> None:
    numbers = {"radius": 0.8, "resistance": 1.5, "mass_kg": 0.002, "minutes": 1.0}
    own = shelf.add_damper(HERE, "My wallet", "tom", "batter", numbers)
    client.post(f"/sessions/{planned}/plan/1", data={"damper": own.row["id"]})
    assert "My wallet" in client.get(f"/sessions/{planned}/plan?sel=tom-1").text
    shelf.take_off_shelf(HERE, "part", own.id)
    for step in ("plan?sel=tom-1", "sheet", "listen", "kit"):
        assert client.get(f"/sessions/{planned}/{step}").status_code == 200
    assert "no longer on the shelf" in client.get(f"/sessions/{planned}/plan?sel=tom-1").text
    shelf.put_back(HERE, "part", own.id)
    assert "no longer on the shelf" not in client.get(f"/sessions/{planned}/plan?sel=tom-1").text
    shelf.take_off_shelf(HERE, "part", own.id)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"tempo_bpm": "900"}, "900 will not do: it must be at most 400."),
        ({"tempo_bpm": "fast"}, "“fast” is not a number."),
        ({"hands": "0"}, "0 will not do: it must be at least 1."),
        ({"downbeat_at": "tomorrow"}, "is not a date and time"),
        ({"rebound": "bouncy"}, "“bouncy” is not one of the choices"),
        ({"stage": "moon"}, "“moon” is not one of the choices"),
        ({"kick_microphone": "on top"}, "“on top” is not one of the choices"),
        ({"minutes": "0"}, "0 will not do: it must be more than 0."),
    ],
)
def test_a_wrong_brief_is_told_and_nothing_is_changed(
    client: TestClient, planned: int, change: dict[str, Any], says: str
) -> None:
    url = f"/sessions/{planned}/brief"
    client.post(url, data={"name": "Low Ferry", "tempo_bpm": "108", "may_cut": "true"})
    answer = client.post(url, data={"name": "Other", **change}, headers=HTMX)
    assert says in answer.text
    assert answer.headers["Emblar-Field"] == next(iter(change))
    page = client.get(url).text
    assert 'value="108"' in page
    assert "A port may be cut where it is worth five steps" in page
    assert "Other" not in page


def test_the_shelf_refuses_what_is_no_number(client: TestClient, database: None) -> None:
    wrong = client.post(
        "/shelf/heads", data={"construction": "woven", "diameter_in": "big"}, headers=HTMX
    )
    assert "“big” is not a number. Nothing was added" in wrong.text
    assert client.get("/shelf").text.count(">Remove<") == 0


HEAD = {
    "name": "Twin haze",
    "plies": "7.5 + 5",
    "kinds": ["tom"],
    "sides": ["batter"],
    "made": ["coated", "dot", "hard_collar"],
}


def test_a_head_of_ones_own_is_planned_with_and_kept_while_it_is_on_a_drum(
    client: TestClient, planned: int
) -> None:
    text = client.post("/shelf/constructions", data=HEAD).text
    assert "Twin haze" in text and "7.5 + 5 mil, coated, centre dot" in text
    own = next(p for p in shelf.own_parts(HERE) if p.row["name"] == "Twin haze")
    assert own.row["may_crack_collar"] is False
    asked = client.post(f"/sessions/{planned}/plan/1", data={"batter": own.row["id"]})
    assert "Twin haze" in asked.text
    assert "7.5 + 5 mil" in client.get(f"/sessions/{planned}/sheet").text
    kit.change_drum(HERE, planned, 1, replace(OWNED_TOM, batter=own.row["id"]))
    answer = client.post(f"/shelf/part/{own.id}/take", headers=HTMX)
    assert f"“Twin haze” is on {OWNED_TOM.name}. Change that first" in answer.text
    assert client.get(f"/sessions/{planned}/kit").status_code == 200
    kit.change_drum(HERE, planned, 1, OWNED_TOM)
    client.post(f"/shelf/part/{own.id}/take")
    assert "no longer on the shelf" in client.get(f"/sessions/{planned}/plan?sel=tom-1").text


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"plies": "40"}, "40 is outside 1.5 to 20 mil"),
        ({"plies": "thick"}, "“thick” is not a number"),
        ({"plies": "2+2+3+4+5"}, "5 is outside 1 to 3"),
        ({"made": ["fluid"], "plies": "7"}, "Fluid lies between two plies"),
        ({"kinds": []}, "Say on which drums and which side"),
        ({"name": " "}, "a name of up to 80"),
    ],
)
def test_a_head_that_cannot_be_is_told_and_not_added(
    client: TestClient, planned: int, change: dict[str, Any], says: str
) -> None:
    before = shelf.own_parts(HERE)
    answer = client.post("/shelf/constructions", data={**HEAD, **change}, headers=HTMX)
    assert says in answer.text
    assert shelf.own_parts(HERE) == before


def test_a_reading_is_heard_as_a_tone_after_the_records_stroke(
    client: TestClient, planned: int
) -> None:
    answer = client.get(f"/sessions/{planned}/listen/reading.wav?voice=kick&hz=57.0")
    assert answer.status_code == 200
    assert answer.headers["content-type"] == "audio/wav"
    assert len(answer.content) > 100_000
    for wrong in ("voice=kick&hz=2", "voice=cowbell&hz=57", "voice=kick&hz=x", "voice=kick"):
        bad = client.get(f"/sessions/{planned}/listen/reading.wav?{wrong}")
        assert bad.status_code in (404, 422), wrong
        assert "Traceback" not in bad.text
