"""How often a page asks the database: bounded, and the same however much there is."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event, text

from emblar.app import create_app
from emblar.platform.database import engine, transaction
from emblar.platform.studio import HERE
from emblar.platform.tables import Base
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.actions import saved as kits
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.drums import OWNED_TOM

MOST = 22
STEPS = ("brief", "listen", "kit", "plan", "bench", "match", "match/pads", "sheet", "share")


@pytest.fixture
def client() -> Iterator[TestClient]:
    with TestClient(create_app(), base_url="http://127.0.0.1") as client:
        yield client


@contextmanager
def counting() -> Iterator[list[str]]:
    """Note every statement that is sent."""
    asked: list[str] = []

    def note(*told: object) -> None:
        asked.append(str(told[2]))

    event.listen(engine(), "before_cursor_execute", note)
    try:
        yield asked
    finally:
        event.remove(engine(), "before_cursor_execute", note)


def asked_for(client: TestClient, path: str) -> int:
    assert client.get(path).status_code == 200  # what is made the first time is made
    with counting() as asked:
        assert client.get(path).status_code == 200
    return len(asked)


@pytest.mark.parametrize("step", STEPS)
def test_a_page_asks_no_more_than_it_has_to(client: TestClient, planned: int, step: str) -> None:
    assert asked_for(client, f"/sessions/{planned}/{step}") <= MOST


def test_no_page_asks_more_often_the_more_there_is(client: TestClient, planned: int) -> None:
    pages = [
        "/",
        "/log",
        "/shelf",
        "/setlist",
        f"/sessions/{planned}/kit",
        f"/sessions/{planned}/plan",
        f"/sessions/{planned}/brief",
    ]

    def one_more(number: int) -> None:
        more = start_session(HERE, SessionBrief(f"Song {number}")).id
        kits.bring_kit(HERE, more, f"session-{planned}")
        kit.add_drum(HERE, planned, replace(OWNED_TOM, name=f"Rack {20 + number}"))

    one_more(0)
    before = {page: asked_for(client, page) for page in pages}
    for number in range(1, 6):
        one_more(number)
    assert {page: asked_for(client, page) for page in pages} == before


def test_looking_writes_nothing(client: TestClient, planned: int) -> None:
    for step in STEPS:
        client.get(f"/sessions/{planned}/{step}")
    with counting() as asked:
        for step in STEPS:
            client.get(f"/sessions/{planned}/{step}")
    assert not [one for one in asked if one.lstrip()[:6].lower() in ("insert", "update", "delete")]
    with HERE.together(read_only=True) as unit, pytest.raises(Exception, match="read-only"):
        assert unit.db is not None
        unit.db.execute(text("update session set name = 'x'"))


def test_what_belongs_to_a_session_is_found_by_an_index(planned: int) -> None:
    with transaction() as db:
        db.execute(text("set local enable_seqscan = off"))
        for name, table in Base.metadata.tables.items():
            if "session_id" not in table.c or name == "setup":
                continue
            plan = db.execute(text(f"explain select id from {name} where session_id = 1"))
            assert "Index" in "\n".join(row[0] for row in plan), name
