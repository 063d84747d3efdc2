"""What a page says of what was just done: our own words only."""

from urllib.parse import parse_qs

import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st

from emblar.app import create_app
from emblar.frame.notice import checked_notice, notice_query
from emblar.platform.studio import HERE
from emblar.steps.kit.actions.drums import kit


@given(st.text(min_size=1, max_size=200))
def test_our_own_words_come_back(text: str) -> None:
    told = parse_qs(notice_query(text).removeprefix("&"), strict_parsing=True)
    assert checked_notice(told["done"][0], told["mark"][0]) == text
    assert checked_notice(told["done"][0] + "x", told["mark"][0]) == ""


@pytest.mark.parametrize("mark", ["", "x", "ä", "0" * 24])
def test_words_from_elsewhere_are_not_said(planned: int, mark: str) -> None:
    client = TestClient(create_app(), base_url="http://127.0.0.1")
    drum = kit(HERE, planned)[0]
    asked = {"sel": f"d{drum.id}", "done": "Call this number now", "mark": mark}
    page = client.get(f"/sessions/{planned}/bench", params=asked)
    assert page.status_code == 200
    assert "Call this number" not in page.text
    ear = client.get("/practice/ear/higher", params={"right": "yes", **asked})
    assert "Call this number" not in ear.text


def test_what_was_done_is_said(planned: int) -> None:
    client = TestClient(create_app(), base_url="http://127.0.0.1")
    drum = kit(HERE, planned)[0]
    own = {"Origin": "http://127.0.0.1"}
    where = f"/sessions/{planned}/bench/{drum.id}/word"
    page = client.post(where, data={"word": "rain"}, headers=own)
    assert "Kept for the log." in page.text
