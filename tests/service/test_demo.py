"""The demo: a session in progress, a finished one, a setlist of both, months of log."""

from datetime import datetime, timedelta

import pytest
from fastapi.testclient import TestClient

from emblar.platform.settings import current_time
from emblar.platform.studio import HERE
from emblar.service.demo import ensure_demo
from emblar.steps.kit.actions.drums import kit
from emblar.steps.match.actions.comparison import match
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.sessions.actions.home import home
from emblar.steps.setlist.actions import planned_songs, setlist

pytestmark = pytest.mark.usefixtures("database")


def test_the_demo_shows_the_whole_job(client: TestClient) -> None:
    said: list[str] = []
    mine = start_session(HERE, SessionBrief(name="Mine"))
    in_progress = ensure_demo(said.append)
    assert ensure_demo(said.append) == in_progress, "once"
    states = {state.session.name: state for state in home(HERE)}
    assert states.pop("Mine").session.created_at == mine.created_at
    assert set(states) == {"Low Ferry", "Paper Lanterns", "Rehearsals"}

    downbeat = states["Low Ferry"].session.downbeat_at
    assert isinstance(downbeat, datetime)
    assert downbeat.astimezone().hour == 19
    assert timedelta(0) < downbeat - current_time() < timedelta(days=2)
    assert {drum.how for drum in states["Low Ferry"].drums} == {"planned"}

    finished = states["Paper Lanterns"]
    assert {drum.how for drum in finished.drums} == {"tuned"}
    tom = next(d for d in kit(HERE, finished.session.id) if d.owned.name == "Rack 12")
    takes = match(HERE, finished.session.id, tom.id).takes
    assert len(takes) == 3
    assert all(take.comparison is not None for take in takes)

    songs = [song.id for song in planned_songs(HERE)]
    assert len(setlist(HERE, songs, free_order=True).result.order) == 2
    log = client.get("/log").text
    assert "Rack 12" in log
    assert "readings" in log
    for page in ("brief", "listen", "kit", "plan", "bench", "match", "sheet", "evening", "share"):
        for session in (in_progress, finished.session.id):
            assert client.get(f"/sessions/{session}/{page}").status_code == 200
