"""Parts of one's own are a studio's: every page of it knows them, and no other studio's does."""

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from emblar.app import create_app
from emblar.platform.database import engine
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions.tuning import type_readings
from emblar.steps.kit.actions.drums import kit
from emblar.steps.plan.actions import planning as plan
from emblar.steps.shelf import actions as shelf
from tests.steps.test_studio import address, app_routes

NUMBERS = {"radius": 0.8, "resistance": 2.0, "mass_kg": 0.005, "minutes": 1.0}


@pytest.fixture
def owned(planned: int) -> int:
    """A session with a head and a damper of the studio's own in its plan and on its drum."""
    drum = next(d for d in kit(HERE, planned) if d.owned.kind == "tom")
    head = shelf.add_construction(
        HERE, "House film", ["tom"], ["batter", "reso"], "7 + 7", ["coated"]
    )
    felt = shelf.add_damper(HERE, "House felt", "tom", "batter", NUMBERS)
    asked = {"batter": head.row["id"], "dampers": [felt.row["id"]]}
    plan.replan_drum(HERE, planned, drum.id, asked)
    type_readings(HERE, planned, drum.id, "batter", [180.0] * drum.owned.rods)
    return planned


def test_every_page_knows_the_studios_own_parts(owned: int) -> None:
    client = TestClient(create_app(), base_url="http://127.0.0.1")
    drum = next(d for d in kit(HERE, owned) if d.owned.kind == "tom")
    shown = 0
    for method, path in app_routes(create_app()):
        if method != "GET" or path == "/healthz":
            continue
        href = address(path, owned).replace("/bench/1/", f"/bench/{drum.id}/")
        query = f"?sel=d{drum.id}&side=batter&budget=20"
        answer = client.get(href + query, headers={"accept": "text/html"})
        assert answer.status_code < 500, f"{href}: {answer.text[:200]}"
        assert "There is no head" not in answer.text, href
        assert "There is no damper" not in answer.text, href
        shown += "House f" in answer.text
    assert shown >= 4


def test_another_studio_does_not_see_them(owned: int) -> None:
    with engine().begin() as connection:
        connection.execute(text("insert into studio (id, name) values (2, 'Other')"))
    seen = [
        [row.name for row in studio.catalogue().dampers.values() if row.name == "House felt"]
        for studio in (HERE, Studio(2))
    ]
    assert seen == [["House felt"], []]
    assert "House film" not in [row.name for row in Studio(2).catalogue().constructions.values()]
