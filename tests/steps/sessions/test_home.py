"""The list of sessions, a page at a time."""

import re

from fastapi.testclient import TestClient

from emblar.platform.studio import HERE
from emblar.steps.sessions.actions.editing import SessionBrief, delete_session, start_session
from emblar.steps.sessions.page import AT_ONCE


def songs(page: str) -> int:
    """How many of these sessions a page lists: others may have been there before."""
    return len(re.findall(r">Song \d+<", page))


def test_many_sessions_are_listed_a_page_at_a_time(client: TestClient) -> None:
    made = [start_session(HERE, SessionBrief(name=f"Song {n}")).id for n in range(AT_ONCE + 5)]
    first = client.get("/").text
    assert first.count('class="session-link"') == songs(first) == AT_ONCE
    assert f">Song {AT_ONCE + 4}<" in first
    assert "Newest sessions" not in first
    last = made[5]
    assert f'href="/?before={last}"' in first
    second = client.get(f"/?before={last}").text
    assert songs(second) == 5
    assert 'href="/"' in second
    # One that was deleted meanwhile keeps its place.
    delete_session(HERE, last)
    assert songs(client.get(f"/?before={last}").text) == 5
    assert songs(client.get(f"/?before={made[0]}").text) == 0
