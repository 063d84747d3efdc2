"""Hostile and random requests to every route: refused with words, never an error of ours.

``make fuzz`` does the same ten thousand times against a running Emblar.
"""

import re
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from emblar.app import create_app

WORDS = st.one_of(
    st.text(max_size=40),
    st.sampled_from(
        [
            "",
            "-1",
            "0",
            "1",
            "1e309",
            "nan",
            "٣",
            "\x00",
            "<script>",
            "' or 1=1 --",
            "../../etc/passwd",
            "A" * 3000,
            "1,5",
            "−2",
            "kick",
            "tom-1",
            "true",
        ]
    ),
    st.integers(-(2**40), 2**40).map(str),
    st.floats(allow_nan=True).map(str),
)
FILES = st.one_of(
    st.binary(max_size=300), st.sampled_from([b"RIFF\x00\x00\x00\x00WAVEfmt ", b"{}"])
)


@pytest.fixture
def client() -> Iterator[TestClient]:
    with TestClient(create_app(), base_url="http://127.0.0.1", follow_redirects=False) as client:
        yield client


def operations(schema: dict[str, Any]) -> list[tuple[str, str, dict[str, Any]]]:
    """Return method, path and what the schema says of every route.

    But for the one that says how Emblar is: without a worker, as here, it is not well.
    """
    rows = schema["paths"].items()
    return [
        (method, path, told)
        for path, own in rows
        for method, told in own.items()
        if path != "/healthz"
    ]


def fields(told: dict[str, Any], schemas: dict[str, Any]) -> Iterator[tuple[str, bool]]:
    """Return the names of what a route's form takes, and whether each is a file."""
    for content in told.get("requestBody", {}).get("content", {}).values():
        name = content["schema"].get("$ref", "").rpartition("/")[2]
        for field, row in schemas.get(name, {}).get("properties", {}).items():
            yield field, "binary" in str(row) or "octet" in str(row)


@settings(max_examples=250, deadline=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_no_request_is_answered_with_an_error_of_ours(
    data: st.DataObject, planned: int, client: TestClient
) -> None:
    schema = client.app.openapi()  # type: ignore[attr-defined]
    method, path, told = data.draw(st.sampled_from(operations(schema)))

    def filled(match: re.Match[str]) -> str:
        real = str(planned) if match[1] == "session_id" else "1"
        return data.draw(st.sampled_from([real, real, real, "0", "99999999999", "x%00", "../.."]))

    url = re.sub(r"\{(\w+)\}", filled, path)
    query = {
        row["name"]: data.draw(WORDS)
        for row in told.get("parameters", ())
        if row["in"] == "query" and data.draw(st.booleans())
    }
    form, files = {}, {}
    for name, is_file in fields(told, schema["components"]["schemas"]):
        if is_file:
            files[name] = ("x.bin", data.draw(FILES))
        elif data.draw(st.integers(0, 4)):
            form[name] = data.draw(WORDS)
    try:
        answer = client.request(
            method.upper(), url, params=query, data=form or None, files=files or None
        )
    except UnicodeError:
        return  # nothing that any client could send
    assert answer.status_code < 500, (method, url, query, form, answer.text[:300])
