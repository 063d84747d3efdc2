"""``emblar evening``: JSON in, JSON and iCalendar out."""

import json
from datetime import datetime
from pathlib import Path

import pytest
from icalendar import Calendar
from typer.testing import CliRunner

from emblar.core.errors import InputError, NoSolutionError
from emblar.main import app

EVENING = {
    "schema": "emblar.evening/1",
    "start": "2030-05-03T16:00",
    "downbeat": "2030-05-03T20:00",
    "resources": {"hands": 2, "key": 1},
    "jobs": [
        {"id": "fit rack 12", "minutes": 20, "needs": ["hands"], "settle_minutes": 30},
        {"id": "reso rack 12", "minutes": 12, "after": ["fit rack 12"], "needs": ["hands", "key"]},
        {
            "id": "damp rack 12",
            "minutes": 2,
            "after": ["reso rack 12"],
            "needs": ["hands"],
            "may_drop": True,
            "steps_lost": 1.5,
        },
    ],
}


def written(folder: Path, **changes: object) -> Path:
    path = folder / "evening.json"
    path.write_text(json.dumps({**EVENING, **changes}))
    return path


def test_an_evening_is_planned_backwards_from_the_downbeat(tmp_path: Path) -> None:
    ics = tmp_path / "evening.ics"
    ran = CliRunner().invoke(app, ["evening", str(written(tmp_path)), "--ics", str(ics)])
    assert ran.exit_code == 0, ran.output
    told = json.loads(ran.output)
    assert told["begin"] == told["starts"]["fit rack 12"] == "2030-05-03T18:56"
    assert told["starts"]["damp rack 12"] == "2030-05-03T19:58"
    assert (told["dropped"], told["steps_lost"]) == ([], 0.0)
    events = {str(e["summary"]): e for e in Calendar.from_ical(ics.read_bytes()).walk("VEVENT")}
    assert set(events) == {"fit rack 12", "reso rack 12", "damp rack 12", "Downbeat"}
    assert events["reso rack 12"].decoded("dtstart") == datetime(2030, 5, 3, 19, 46)
    assert events["reso rack 12"].decoded("dtend") == datetime(2030, 5, 3, 19, 58)


def test_a_short_evening_drops_what_it_may_and_says_what_does_not_fit(tmp_path: Path) -> None:
    short = written(tmp_path, downbeat="2030-05-03T17:03")
    told = json.loads(CliRunner().invoke(app, ["evening", str(short)]).output)
    assert (told["dropped"], told["steps_lost"]) == (["damp rack 12"], 1.5)
    ran = CliRunner().invoke(app, ["evening", str(written(tmp_path, downbeat="2030-05-03T17:00"))])
    assert isinstance(ran.exception, NoSolutionError)
    assert "2 min more than there are" in str(ran.exception)


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"downbeat": "2030-05-03T15:00"}, "must lie after the start"),
        ({"downbeat": "2030-05-03T20:00Z"}, "time zone for both times"),
        ({"resources": {"hands": -1}}, "hands is -1"),
        ({"jobs": [{"id": "x", "minutes": 2.5}]}, "minutes"),
        ({"jobs": [{"id": "x", "minutes": 5, "steps_lost": -1}]}, "steps_lost"),
    ],
)
def test_a_wrong_evening_is_told_at_its_field(
    tmp_path: Path, changes: dict[str, object], says: str
) -> None:
    ran = CliRunner().invoke(app, ["evening", str(written(tmp_path, **changes))])
    assert isinstance(ran.exception, InputError)
    assert says in str(ran.exception)
