"""What a stranger reaches: one session's shared parts by its link, and no other route at all."""

import re

import pytest
from fastapi.testclient import TestClient

from emblar.app import create_app
from emblar.platform.settings import Settings
from emblar.platform.studio import HERE
from emblar.share_app import create_share_app
from emblar.steps.kit.actions.drums import kit
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.share import actions as share
from emblar.steps.share.page.links import link_begins
from tests.steps.test_studio import address, app_routes


@pytest.fixture
def stranger(database: None) -> TestClient:
    return TestClient(create_share_app(), base_url="http://192.168.1.20:8010")


def link(session: int, *parts: str) -> str:
    return share.make_share(HERE, session, "Wren", parts or share.PARTS, 7)


def test_no_other_route_is_there_for_strangers(planned: int, stranger: TestClient) -> None:
    link(planned)
    asked = [(method, address(path, planned)) for method, path in app_routes(create_app())]
    assert len(asked) > 100
    for method, path in [*asked, *(("GET", p) for p in ("/docs", "/redoc", "/openapi.json"))]:
        data = {"who": "x", "said": "y"} if method == "POST" else None
        answer = stranger.request(method, path, data=data)
        assert answer.status_code in (404, 405), f"{method} {path}: {answer.status_code}"


def test_a_link_shows_what_was_shared_and_nothing_else(planned: int, stranger: TestClient) -> None:
    other = start_session(HERE, SessionBrief("Secret song", artist="Nobody")).id
    slot = kit(HERE, planned)[0].id
    token = link(planned, "sheet")
    text = stranger.get(f"/s/{token}").text
    assert "Setup sheet" in text
    assert "Low Ferry" in text
    assert "Secret song" not in text
    assert "<audio" not in text
    assert "No take yet" not in text
    assert stranger.get(f"/s/{token}/drums/{slot}/planned.wav").status_code == 404
    sounds = link(planned, "sounds")
    text = stranger.get(f"/s/{sounds}").text
    assert "Setup sheet" not in text
    wav = stranger.get(f"/s/{sounds}/drums/{slot}/planned.wav")
    assert wav.content[:4] == b"RIFF"
    elsewhere = link(other, "sounds")
    assert stranger.get(f"/s/{elsewhere}/drums/{slot}/planned.wav").status_code == 404
    assert stranger.get(f"/s/{sounds}/drums/999/planned.wav").status_code == 404


def test_an_ended_link_is_gone_page_sounds_and_words(planned: int, stranger: TestClient) -> None:
    slot, token = kit(HERE, planned)[0].id, link(planned)
    assert stranger.get(f"/s/{token}").status_code == 200
    share.end_share(HERE, planned, share.shares(HERE, planned)[0].id)
    for method, path in (
        ("GET", ""),
        ("GET", f"/drums/{slot}/planned.wav"),
        ("POST", f"/drums/{slot}/say"),
    ):
        answer = stranger.request(method, f"/s/{token}{path}", data={"who": "x", "said": "y"})
        assert answer.status_code == 404
        assert "ended" in answer.text
    assert share.comments_on(HERE, planned) == []


def test_words_come_from_the_page_itself_only(planned: int, stranger: TestClient) -> None:
    slot, token = kit(HERE, planned)[0].id, link(planned)
    asked = {"who": "Wren", "said": "<b>louder</b>", "more": "attack:more"}
    where = f"/s/{token}/drums/{slot}/say"
    evil = stranger.post(where, data=asked, headers={"Origin": "http://elsewhere.example"})
    assert evil.status_code == 403
    own = {"Origin": "http://192.168.1.20:8010"}
    assert stranger.post(where, data=asked, headers=own, follow_redirects=False).status_code == 303
    text = stranger.get(f"/s/{token}").text
    assert "&lt;b&gt;louder&lt;/b&gt;" in text
    assert "<script" not in text
    assert stranger.post(where, data={**asked, "said": "x" * 20_000}).status_code == 413


def test_links_begin_where_they_are_answered(monkeypatch: pytest.MonkeyPatch) -> None:
    def begins(**own: object) -> str:
        told = Settings(**own)  # type: ignore[arg-type]
        for module in ("emblar.steps.share.page.links", "emblar.platform.network"):
            monkeypatch.setattr(f"{module}.settings", lambda: told)
        return link_begins()

    assert begins(port=8003) == "http://127.0.0.1:8003"
    assert begins(share_host="10.0.0.7", share_port=8011) == "http://10.0.0.7:8011"
    assert begins(share_host="10.0.0.7", share_url="https://drums.example/") == (
        "https://drums.example"
    )
    assert re.fullmatch(r"http://\d+\.\d+\.\d+\.\d+:8010", begins(share_host="0.0.0.0"))
