import json
import re
import zlib
from dataclasses import replace
from typing import Any

import pytest
from fastapi.testclient import TestClient

from emblar.formats.recipes import DrumRecipeFile
from emblar.platform.database import transaction
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.queries import slots as store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions import planning as plan
from emblar.steps.plan.actions import ways
from emblar.steps.plan.actions.recipes import matched
from emblar.steps.plan.drawing.two_ways import two_ways
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.drums import OWNED_TOM

pytestmark = pytest.mark.usefixtures("database")
HTMX = {"HX-Request": "true"}


def drums_of(session: int) -> dict[str, KitDrum]:
    with transaction() as db:
        return {d.owned.kind: d for d in store.listing(db, session)}


def test_two_ways_of_the_kit_are_shown_side_by_side(client: TestClient, planned: int) -> None:
    text = client.get(f"/sessions/{planned}/plan/ways?left=least+work&right=closest").text
    assert "least work" in text and "fewest minutes" in text
    assert "least work ▼ and closest △" in text
    assert "Kick 22" in text and "both ways against the record" in text
    weighed = {a.name: a for a in ways.ways_of(HERE, planned).alternatives}
    assert weighed["least work"].minutes <= min(a.minutes for a in weighed.values())
    assert weighed["closest"].distance <= min(a.distance for a in weighed.values())
    assert f"{weighed['closest'].minutes:.0f} min" in text


def test_a_way_that_is_taken_is_what_is_planned(client: TestClient, planned: int) -> None:
    chosen = ways.ways_of(HERE, planned).named("least work").chosen["kick"].setup
    answer = client.post(f"/sessions/{planned}/plan/ways", data={"way": "least work"})
    assert answer.status_code == 200
    kick = drums_of(planned)["kick"]
    kit_plan = plan.latest_plan(HERE, planned)
    assert kit_plan is not None
    file = kit_plan.drums[kick.id]
    assert file.batter == chosen.batter and file.reso == chosen.reso
    assert file.dampers == list(chosen.dampers) and file.semitones == chosen.semitones


def test_a_wished_pitch_is_kept_when_ways_are_weighed_and_taken(
    client: TestClient, planned: int
) -> None:
    tom = drums_of(planned)["tom"]
    client.post(f"/sessions/{planned}/plan/{tom.id}", data={"pitch_hz": "121"})
    row = ways.ways_of(HERE, planned).named("best").chosen["tom-1"]
    assert row.card["pitch"] == pytest.approx(121.0, rel=0.01)
    client.post(f"/sessions/{planned}/plan/ways", data={"way": "best"})
    assert drums_of(planned)["tom"].wish["pitch_hz"] == 121.0


def test_ways_of_nothing_say_what_is_needed(client: TestClient, database: None) -> None:
    empty = start_session(HERE, SessionBrief("Empty")).id
    answer = client.get(f"/sessions/{empty}/plan/ways")
    assert answer.status_code == 422
    assert "Add a record in Listen and drums in Kit first" in answer.text


def test_recipes_are_taken_along_and_brought_to_another_kit(
    client: TestClient, planned: int
) -> None:
    tom = drums_of(planned)["tom"]
    asked = {"batter": "single-coated", "reso": "single-coated", "damper": "gel-pad"}
    client.post(f"/sessions/{planned}/plan/{tom.id}", data={**asked, "pitch_hz": "118"})
    answer = client.get(f"/sessions/{planned}/plan/recipes.json")
    assert answer.json()["schema"] == "emblar.recipes/1"
    other = start_session(HERE, SessionBrief("Other room")).id
    kit.add_drum(HERE, other, replace(OWNED_TOM, name="Rack 13"))
    brought = client.post(
        f"/sessions/{other}/plan/recipes", files={"file": ("recipes.json", answer.content)}
    )
    assert "Planned by the imported recipes: Rack 13 as Rack 12." in brought.text
    assert "No drum here for: Kick 22, Snare 14." in brought.text
    found = plan.latest_plan(HERE, other)
    assert found is not None
    (file,) = found.drums.values()
    assert (file.batter, file.reso, file.dampers) == ("single-coated", "single-coated", ["gel-pad"])
    assert file.card["pitch"].value == pytest.approx(118.0, rel=0.01)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda f: f.update(schema="emblar.plan/2"), "schema"),
        (
            lambda f: f["drums"][0]["recipe"].update(batter="gold leaf"),
            "Rack 12: “gold leaf”",
        ),
        (
            lambda f: f["drums"][0]["recipe"].update(dampers=["a hat"]),
            "Rack 12: “a hat”",
        ),
        (lambda f: f["drums"][0].pop("drum_pitch_hz"), "drum_pitch_hz: is missing"),
    ],
)
def test_a_file_that_is_no_recipes_is_told_and_changes_nothing(
    client: TestClient, planned: int, change: Any, says: str
) -> None:
    file = client.get(f"/sessions/{planned}/plan/recipes.json").json()
    before = {k: d.wish for k, d in drums_of(planned).items()}
    change(file)
    answer = client.post(
        f"/sessions/{planned}/plan/recipes",
        files={"file": ("recipes.json", json.dumps(file).encode())},
        headers=HTMX,
    )
    assert says in answer.text and "Nothing was changed" in answer.text
    assert {k: d.wish for k, d in drums_of(planned).items()} == before


def test_recipes_for_no_drum_of_this_kit_are_refused(client: TestClient, planned: int) -> None:
    data = client.get(f"/sessions/{planned}/plan/recipes.json").content
    empty = start_session(HERE, SessionBrief("Empty")).id
    answer = client.post(
        f"/sessions/{empty}/plan/recipes", files={"file": ("r.json", data)}, headers=HTMX
    )
    assert "this kit has no such drum" in answer.text
    assert "there are no recipes" in client.get(f"/sessions/{empty}/plan/recipes.json").text


def test_recipes_go_by_name_then_by_size(planned: int) -> None:
    tom = drums_of(planned)["tom"]
    recipe: dict[str, object] = {
        "batter": "double-clear",
        "reso": "single-clear",
        "port_in": None,
        "dampers": [],
        "striker": "stick-medium",
        "wires": "medium",
        "semitones": 0.0,
        "batter_hz": 150.0,
        "reso_hz": 150.0,
    }

    def row(name: str, diameter: float, kind: str = "tom") -> DrumRecipeFile:
        return DrumRecipeFile.model_validate(
            {
                "name": name,
                "kind": kind,
                "diameter_in": diameter,
                "depth_in": 8.0,
                "voice": "tom-1",
                "drum_pitch_hz": 110.0,
                "recipe": recipe,
            }
        )

    rows = [row("High", 10.0), row(tom.owned.name, 16.0), row("Snare", 14.0, "snare")]
    pairs, left = matched(rows, [tom])
    assert [(r.name, d.id) for r, d in pairs] == [(tom.owned.name, tom.id)]
    assert [r.name for r in left] == ["High", "Snare"]


def test_the_sheet_downloads_as_one_page_of_paper(client: TestClient, planned: int) -> None:
    answer = client.get(f"/sessions/{planned}/sheet.pdf")
    assert answer.headers["Content-Type"] == "application/pdf"
    assert 'filename="low-ferry-sheet.pdf"' in answer.headers["Content-Disposition"]
    assert answer.content.startswith(b"%PDF-")
    assert len(answer.content) > 5_000
    boxes = {}
    for paper in ("A4", "letter"):
        pdf = client.get(f"/sessions/{planned}/sheet.pdf?paper={paper}").content
        told = b"".join(
            zlib.decompressobj().decompress(m[1]) if m[1][:1] == b"x" else m[1]
            for m in re.finditer(rb"stream\r?\n(.*?)\r?\nendstream", pdf, re.DOTALL)
            if m[1][:1] == b"x"
        )
        assert len(re.findall(rb"/Type /Page\b(?!s)", told + pdf)) == 1
        boxes[paper] = re.findall(rb"/MediaBox \[0 0 (\d+)", told + pdf)[0]
    assert boxes == {"A4": b"595", "letter": b"612"}
    assert client.get(f"/sessions/{planned}/sheet.pdf?paper=napkin").status_code == 422


def test_ways_are_drawn_where_they_lie_and_say_so() -> None:
    markup = str(two_ways("kick", {"pitch": 0.0, "click": -9.0}, {"pitch": 0.0, "click": 2.0}))
    assert "click: -9.0 and +2.0 steps" in markup
    # Beyond the ruler's end a mark is held there; alike ways have no line between them.
    assert markup.count("plan-whisker") == 1
    assert markup.count("plan-arrow") == markup.count("plan-diamond") == 2
    told = str(two_ways("snare", {"wires": 1.0}, {}))
    assert "wires: +1.0 and not told steps" in told and told.count("plan-diamond") == 0
