"""What a studio keeps, from the shell: on the database of an Emblar that may be running."""

from pathlib import Path
from typing import Any

import pytest

from emblar.core.errors import InputError, NotFoundError
from emblar.platform.studio import HERE
from emblar.steps.plan.actions.planning import replan_drum
from emblar.steps.share.actions import open_share


def test_sessions_are_listed_with_how_far_they_are(planned: int, told: Any) -> None:
    row = told("sessions")["sessions"][0]
    assert (row["id"], row["drums"], row["plan_version"]) == (planned, 3, 1)


def test_a_recording_starts_a_session_that_is_found(
    planned: int, told: Any, groove: bytes, tmp_path: Path
) -> None:
    file = tmp_path / "Salt Road.flac"
    file.write_bytes(groove)
    made = told("start", file, "--artist", "The Tin Orchard")["sessions"][0]
    assert (made["name"], made["artist"]) == ("Salt Road", "The Tin Orchard")
    (row,) = told("sessions", "--find", "salt")["sessions"]
    assert (row["id"], row["drums"]) == (made["id"], 3), "the last session's kit"
    assert [r["id"] for r in told("sessions", "--order", "name")["sessions"]] == [
        planned,
        made["id"],
    ]
    with pytest.raises(InputError, match="not an order"):
        told("sessions", "--order", "age")


def test_a_kit_is_kept_by_name_and_brought_into_a_session(planned: int, told: Any) -> None:
    kept = told("kits", planned, "--keep", "Room A")
    source = next(k["source"] for k in kept["kits"] if k["name"] == "Room A")
    assert source.startswith("saved-")
    told("kits", planned, "--use", "preset-four-piece")
    # Two of the preset's drums are the ones that the studio has by that name and size.
    assert told("sessions")["sessions"][0]["drums"] == 5
    with pytest.raises(InputError, match="Choose a kit from the list"):
        told("kits", planned, "--use", "attic")
    with pytest.raises(InputError, match="which session"):
        told("kits", "--use", source)


def test_a_plan_is_taken_back_and_brought_again(planned: int, told: Any) -> None:
    replan_drum(HERE, planned, 1, {"semitones": 1.0})
    assert [v["version"] for v in told("plans", planned)["versions"]] == [2, 1]
    assert told("plans", planned, "--undo")["versions"][0]["restores"] == 1
    assert told("plans", planned, "--use", 2)["versions"][0]["restores"] == 2
    with pytest.raises(InputError, match="Give one"):
        told("plans", planned, "--use", 1, "--undo")
    with pytest.raises(NotFoundError):
        told("plans", planned + 1)


def test_a_link_is_made_and_ended(planned: int, told: Any) -> None:
    made = told("share", planned, "--for", "The engineer", "--part", "sheet", "--days", 2)
    token = made["address"].rsplit("/", maxsplit=1)[1]
    assert open_share(token).share.name == "The engineer"
    again = told("share", planned)
    assert again["address"] is None, "it is told once"
    assert told("share", planned, "--end", again["links"][0]["id"])["links"] == []
    with pytest.raises(NotFoundError):
        open_share(token)


def test_something_is_said_taken_up_and_set_aside(planned: int, told: Any) -> None:
    by = ("said", planned, "--drum", 1, "--who", "Wren")
    (first,) = told(*by, "--more", "sustain:less", "--words", "Let it stop.")["said"]
    assert (first["who"], first["link"], first["state"]) == ("Wren", None, "new")
    assert first["steps"] < 0.0
    assert told("said", planned, "--take-up", first["id"])["said"][0]["state"] == "accepted"
    second = told(*by, "--words", "Nice.")["said"][0]
    found = told("said", planned, "--aside", second["id"])
    assert [row["state"] for row in found["said"]] == ["set aside", "accepted"]
    with pytest.raises(InputError, match="of which drum"):
        told("said", planned, "--words", "x")
