"""The list of sessions, a page at a time."""

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from emblar.platform.studio import HERE
from emblar.steps.kit.actions.saved import bring_kit, kit_choices
from emblar.steps.sessions.actions.editing import SessionBrief, all_sessions, start_session
from emblar.steps.sessions.page import AT_ONCE

pytestmark = pytest.mark.usefixtures("database")


def songs(page: str) -> int:
    """How many of these sessions a page lists: others may have been there before."""
    return len(re.findall(r">Song \d+<", page))


def test_many_sessions_are_listed_a_page_at_a_time(client: TestClient) -> None:
    made = [start_session(HERE, SessionBrief(name=f"Song {n}")).id for n in range(AT_ONCE + 5)]
    first = client.get("/?find=song").text
    assert first.count('class="session-link"') == songs(first) == AT_ONCE
    assert f">Song {AT_ONCE + 4}<" in first
    assert "Sessions before" not in first
    assert f'href="/?find=song&amp;skip={AT_ONCE}"' in first
    second = client.get(f"/?find=song&skip={AT_ONCE}").text
    assert songs(second) == 5
    assert 'href="/?find=song"' in second
    assert songs(client.get("/?find=song&skip=90").text) == 0
    assert len(made) == AT_ONCE + 5


def test_sessions_are_found_by_song_or_artist_and_sorted(client: TestClient) -> None:
    time = datetime.now(UTC)
    for name, artist, hours in (("Brine", "Gull 100%", 48), ("anchor", "Gull 100%", None)):
        downbeat = time + timedelta(hours=hours) if hours else None
        start_session(HERE, SessionBrief(name=name, artist=artist, downbeat_at=downbeat))
    soon = SessionBrief(name="Cordage", artist="Gull 100%", downbeat_at=time + timedelta(hours=2))
    past = replace(soon, name="Davit", downbeat_at=time - timedelta(hours=2))
    for brief in (soon, past):
        start_session(HERE, brief)

    def names(order: str) -> list[str]:
        page = client.get("/", params={"find": "gull 100%", "order": order}).text
        return re.findall(r'session-name"><strong>(\w+)<', page)

    assert names("newest") == ["Davit", "Cordage", "anchor", "Brine"]
    assert names("name") == ["anchor", "Brine", "Cordage", "Davit"]
    assert names("downbeat") == ["Cordage", "Brine", "Davit", "anchor"]
    assert "No session matches" in client.get("/?find=100%25 x").text


def test_a_recording_starts_a_session_of_its_name_with_the_last_kit(
    client: TestClient, groove: bytes
) -> None:
    last = start_session(HERE, SessionBrief(name="Last"))
    bring_kit(HERE, last.id, kit_choices(HERE)[-1].source)
    sent = {"file": ("Salt Road.flac", groove)}
    answer = client.post("/sessions", files=sent, data={"kit": "usual"}, follow_redirects=False)
    session = all_sessions(HERE)[0]
    assert answer.headers["location"] == f"/sessions/{session.id}/listen"
    assert session.name == "Salt Road"
    assert session.drums > 0


def test_the_example_is_asked_for_and_waited_for(client: TestClient) -> None:
    answer = client.post("/example", follow_redirects=False)
    assert answer.headers["location"] == "/?example=true"
    client.post("/example")
    with HERE.work() as db:
        jobs = text("select task_name from procrastinate_jobs where status = 'todo'")
        assert db.execute(jobs).scalars().all() == ["make_example"], "once"
    assert "The example is being made" in client.get("/?example=true").text
    assert "The example is being made" not in client.get("/").text
    with HERE.work() as db:
        db.execute(text("update procrastinate_jobs set status = 'failed'"))
    assert "The example is being made" not in client.get("/?example=true").text


def test_an_unreadable_recording_starts_no_session(client: TestClient) -> None:
    before = all_sessions(HERE)
    answer = client.post("/sessions", files={"file": ("Salt Road.flac", b"no sound")})
    assert answer.status_code == 422
    assert "not a sound file" in answer.text
    assert all_sessions(HERE) == before
