"""A paired phone: the bench of one session and nothing else, until the link is ended."""

import pytest
from fastapi.testclient import TestClient

from emblar.app import create_app
from emblar.phone_app import create_phone_app
from emblar.platform.studio import HERE
from emblar.share_app import create_share_app
from emblar.steps.kit.actions.drums import kit
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.share import actions as share
from tests.steps.test_studio import address, app_routes


@pytest.fixture
def phone(database: None) -> TestClient:
    return TestClient(create_phone_app(), base_url="https://192.168.1.20:8011")


def paired(phone: TestClient, session: int) -> str:
    token = share.pair_phone(HERE, session)
    answer = phone.get(f"/p/{token}", follow_redirects=False)
    assert answer.status_code == 303
    assert answer.headers["location"] == f"/sessions/{session}/bench"
    told = answer.headers["set-cookie"].lower()
    assert all(word in told for word in ("httponly", "secure", "samesite=strict"))
    return token


def test_a_paired_phone_works_at_its_bench(planned: int, phone: TestClient) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.kind == "tom")
    paired(phone, planned)
    page = phone.get(f"/sessions/{planned}/bench?sel=d{drum.id}")
    assert page.status_code == 200
    assert 'aria-label="Steps"' not in page.text, "no way out of the bench is shown"
    assert "Pair a phone" not in page.text
    typed = {"side": "batter"} | {f"rod-{i + 1}": "180" for i in range(drum.owned.rods)}
    own = {"Origin": "https://192.168.1.20:8011"}
    answer = phone.post(
        f"/sessions/{planned}/bench/{drum.id}/typed",
        data=typed,
        headers=own,
        follow_redirects=False,
    )
    assert answer.status_code == 303
    shown = phone.get(f"/sessions/{planned}/bench?sel=d{drum.id}&head=batter")
    assert "180.0" in shown.text


def test_a_phone_reaches_no_other_route(planned: int, phone: TestClient) -> None:
    other = start_session(HERE, SessionBrief("Secret song")).id
    bench = f"/sessions/{planned}/bench"
    asked = [(method, address(path, planned)) for method, path in app_routes(create_app())]
    asked += [(method, address(path, other)) for method, path in app_routes(create_app())]
    for when in ("before it is paired", "after"):
        for method, path in asked:
            if when == "after" and (path == bench or path.startswith(f"{bench}/")):
                continue
            answer = phone.request(method, path, data={"a": "b"} if method == "POST" else None)
            assert answer.status_code in (404, 405), f"{when}: {method} {path}"
        if when == "before it is paired":
            paired(phone, planned)


def test_an_ended_link_ends_the_phones_access(planned: int, phone: TestClient) -> None:
    paired(phone, planned)
    share.end_share(HERE, planned, share.shares(HERE, planned)[0].id)
    answer = phone.get(f"/sessions/{planned}/bench")
    assert answer.status_code == 404
    assert "ended" in answer.text


def test_links_to_look_and_links_to_work_are_not_taken_for_one_another(
    planned: int, phone: TestClient
) -> None:
    look, work = (
        share.make_share(HERE, planned, "Wren", ("sheet",), 7),
        share.pair_phone(HERE, planned),
    )
    assert phone.get(f"/p/{look}", follow_redirects=False).status_code == 404
    stranger = TestClient(create_share_app(), base_url="http://192.168.1.20:8010")
    assert stranger.get(f"/s/{work}").status_code == 404
    phone.cookies.set("emblar-phone", look)
    assert phone.get(f"/sessions/{planned}/bench").status_code == 404


def test_words_of_another_site_change_nothing(planned: int, phone: TestClient) -> None:
    drum = kit(HERE, planned)[0]
    paired(phone, planned)
    asked = {"word": "evil"}
    where = f"/sessions/{planned}/bench/{drum.id}/word"
    answer = phone.post(where, data=asked, headers={"Origin": "https://elsewhere.example"})
    assert answer.status_code == 403
