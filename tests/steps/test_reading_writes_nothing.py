"""A page that is only read changes nothing in the database."""

import html
import re
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event

from emblar.platform.database import engine

WRITE = re.compile(r"\s*(insert|update|delete|truncate)\b", re.IGNORECASE)
LINK = re.compile(r'(?:href|src|hx-get)="(/(?!static)[^"#]*)')
MAX_PAGES = 150
"""A page links to many others that differ in one choice: so many of them show what all do."""


@contextmanager
def statements_that_write() -> Iterator[list[str]]:
    """Collect the statements that change a row."""
    statements: list[str] = []

    def note(_c: object, _k: object, statement: str, *_: object) -> None:
        if WRITE.match(statement):
            statements.append(statement)

    event.listen(engine(), "before_cursor_execute", note)
    try:
        yield statements
    finally:
        event.remove(engine(), "before_cursor_execute", note)


def by_shape(url: str) -> str:
    """Return a link's shape: its numbers do not matter."""
    return re.sub(r"=[^&]*", "=", re.sub(r"\d+", "N", url))


@pytest.mark.filterwarnings("ignore")
def test_reading_every_page_that_is_linked_writes_nothing(planned: int, client: TestClient) -> None:
    waiting = [f"/sessions/{planned}/{step}" for step in ("listen", "bench", "match/pads")]
    visited: dict[str, int] = {}
    while waiting and len(visited) < MAX_PAGES:
        url = waiting.pop(0)
        with statements_that_write() as statements:
            answer = client.get(url)
        assert statements == [], url
        visited[by_shape(url)] = answer.status_code
        if "html" not in answer.headers.get("content-type", ""):
            continue
        for link in map(html.unescape, LINK.findall(answer.text)):
            if by_shape(link) not in {*visited, *map(by_shape, waiting)}:
                waiting.append(link)
    assert len(visited) > 40, visited
    assert 500 not in visited.values()
