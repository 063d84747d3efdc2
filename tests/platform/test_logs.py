"""Logs: words for people, or a line of JSON each, requests among them and no secret in them."""

import json
import logging
import os
import subprocess
import sys

import pytest
from fastapi.testclient import TestClient

from emblar.app import create_app
from emblar.platform.logs import REQUESTS

WRITES = (
    "import logging; from emblar.platform.logs import set_up_logs; set_up_logs();"
    "logging.getLogger('emblar.frame').warning('it is late');"
    "logging.getLogger('emblar.requests').info('request', extra={'route': '/', 'status': 200})"
)


def written(log: str) -> list[str]:
    done = subprocess.run(
        [sys.executable, "-c", WRITES],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "EMBLAR_LOG": log},
    )
    return done.stderr.splitlines()


def test_logs_are_words_or_a_line_of_json_each() -> None:
    assert written("plain") == ["emblar.frame: it is late"]
    warning, request = map(json.loads, written("json"))
    assert (warning["level"], warning["from"], warning["message"]) == (
        "WARNING",
        "emblar.frame",
        "it is late",
    )
    assert warning["at"]
    assert (request["route"], request["status"]) == ("/", 200)


def test_a_request_is_noted_by_its_route_and_not_by_its_address(
    caplog: pytest.LogCaptureFixture, database: None
) -> None:
    with (
        TestClient(create_app(), base_url="http://127.0.0.1") as client,
        caplog.at_level(logging.INFO, REQUESTS),
    ):
        client.get("/s/a-secret-that-opens-a-door")
        client.get("/")
    rows = [record for record in caplog.records if record.name == REQUESTS]
    assert [(r.route, r.status) for r in rows] == [("/s/{token}", 404), ("/", 200)]  # type: ignore[attr-defined]
    assert all(r.seconds > 0.0 and r.account is None for r in rows)  # type: ignore[attr-defined]
    assert "a-secret" not in " ".join(str(vars(record)) for record in rows)
