"""Every route with ids of another studio and another session: what is not one's is not found."""

import re
from collections.abc import Iterator

import pytest
from fastapi import FastAPI
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from sqlalchemy import text

from emblar.app import create_app
from emblar.frame.here import studio_of
from emblar.platform.database import transaction
from emblar.platform.studio import HERE, Studio
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.actions import saved as kits
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.log.actions import evidence
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.shelf import actions as shelf
from tests.drums import TOM_FORM

FORM = {
    **TOM_FORM,
    "name": "X",
    "damper": "gel-pad",
    "cure": "reso-lower",
    "place": "0",
    "other": "1",
    "voice": "kick",
    "drum": "1",
    "sel": "kick",
    "time_s": "0.3",
    "chosen": "0.3@kick",
    "start": "0",
    "counted": "badge",
    "stop": "5",
    "kit": "preset-four-piece",
    "kit_name": "K",
    "by": "1",
    "was": "1.kick_",
    "to": "snare",
    "school": "record",
    "way": "best",
    "hz": "60",
    "relation": "equal",
    "quantity": "pitch",
    "value": "60",
    "trust": "likely",
    "source": "",
    "words": "22 in",
    "recording": "1",
    "downbeat_at": "",
    "measure": "on",
    "region": "a",
    "what": "split",
    "side": "batter",
    "rod": "0",
    "rod-1": "200",
    "job": "inspect",
    "setup": "1",
}
FILES = ("recipes", "recording", "tap", "clip", "stroke", "/take", "/wires", "/picture")


def app_routes(app: FastAPI) -> Iterator[tuple[str, str]]:
    """Return every method and path of the product's own routes."""
    for route in app.routes:
        included = getattr(route, "original_router", None)
        for inner in included.routes if included is not None else [route]:
            if isinstance(inner, APIRoute):
                for method in sorted(inner.methods or ()):
                    yield method, inner.path


def address(path: str, session: int) -> str:
    filled = path.replace("{session_id}", str(session)).replace("{what}.wav", "stroke.wav")
    filled = filled.replace("/toms/{what}", "/toms/split").replace("{part}", "part")
    filled = re.sub(r"\{\w*file\w*\}", "strokes.csv", filled) if "{file" in filled else filled
    return re.sub(r"\{\w+\}", "1", filled)


def sent(client: TestClient, method: str, url: str) -> int:
    if method == "GET":
        asked = {"recording": "1", "start": "0", "stop": "5", "side": "batter"}
        asked |= {"voice": "kick", "hz": "57"}
        return client.get(url, params=asked).status_code
    files = {"file": ("x.json", b"{}")} if url.endswith(FILES) else None
    form = FORM | ({"what": "done"} if url.endswith("/job") else {})
    return client.post(url, data=form, files=files, headers={"HX-Request": "true"}).status_code


@pytest.fixture
def filled(planned: int) -> int:
    """A session with everything in it that has an id."""
    evidence.give_value(HERE, planned, "kick", "pitch", 60.0, 5.0, "likely", "by ear")
    shelf.add_head(HERE, "double-coated", 12, 2, "fresh")
    kits.save_kit(HERE, planned, "Room A")
    return planned


def test_another_studio_finds_no_session_by_any_route(filled: int) -> None:
    with transaction() as db:
        db.execute(text("insert into studio (id, name) overriding system value values (2, 'B')"))
    app = create_app()
    app.dependency_overrides[studio_of] = lambda: Studio(2)
    walked = 0
    with TestClient(app, base_url="http://127.0.0.1", follow_redirects=False) as client:
        for method, path in app_routes(app):
            if "{session_id}" not in path or path.endswith("/restore"):
                continue
            url = address(path, filled)
            assert sent(client, method, url) == 404, f"{method} {url}"
            walked += 1
        assert client.post(f"/sessions/{filled}/restore").status_code == 404
        assert client.post("/shelf/head/1/take").status_code == 404
    assert walked > 40


def test_ids_of_another_session_are_not_found_by_any_route(filled: int) -> None:
    other = start_session(HERE, SessionBrief("Other")).id
    before = [(d.owned, d.voice, d.wish) for d in kit.kit(HERE, filled)]
    app = create_app()
    with TestClient(app, base_url="http://127.0.0.1", follow_redirects=False) as client:
        for method, path in app_routes(app):
            if not re.search(r"\{session_id\}.*\{(drum|recording|evidence|audio)_id\}", path):
                continue
            url = address(path, other)
            assert sent(client, method, url) == 404, f"{method} {url}"
    assert [(d.owned, d.voice, d.wish) for d in kit.kit(HERE, filled)] == before
    found = listen.analysed_record(HERE, filled)
    assert found is not None
    assert (len(found.files), len(found.evidence)) == (1, 1)
