"""Controls of the web's edge, each with a test that fails without it."""

import pytest
from fastapi.testclient import TestClient

from emblar.app import create_app
from emblar.platform.settings import settings


@pytest.fixture
def client(database: None) -> TestClient:
    return TestClient(create_app(), base_url="http://127.0.0.1:8000", follow_redirects=False)


@pytest.mark.parametrize(
    ("headers", "allowed"),
    [
        ({"Sec-Fetch-Site": "same-origin"}, True),
        ({"Sec-Fetch-Site": "none"}, True),
        ({"Sec-Fetch-Site": "same-site"}, False),
        ({"Sec-Fetch-Site": "cross-site"}, False),
        ({"Origin": "http://127.0.0.1:8000"}, True),
        ({"Origin": "http://127.0.0.1:8001"}, False),
        ({"Origin": "http://127.0.0.1"}, False),
    ],
)
def test_only_own_pages_change_anything(
    client: TestClient, headers: dict[str, str], allowed: bool
) -> None:
    answer = client.post("/sessions", data={"name": "Low Ferry"}, headers=headers)
    assert (answer.status_code == 303) is allowed
    assert allowed or answer.status_code == 403


def test_pages_run_no_script_and_style_but_their_own(client: TestClient) -> None:
    policy = client.get("/").headers["content-security-policy"]
    rules = dict(rule.strip().split(" ", 1) for rule in policy.split(";") if " " in rule.strip())
    assert rules["default-src"] == "'none'"
    assert rules["script-src"] == "'self'"
    assert "unsafe" not in policy
    assert "*" not in policy


@pytest.mark.parametrize(("accounts", "kept"), [(True, "no-store"), (False, "no-cache")])
def test_where_people_log_in_pages_are_not_kept_by_the_browser(
    database: None, monkeypatch: pytest.MonkeyPatch, accounts: bool, kept: str
) -> None:
    monkeypatch.setattr(settings(), "accounts", accounts)
    client = TestClient(create_app(), base_url="http://127.0.0.1")
    assert client.get("/health").headers["cache-control"] == kept
