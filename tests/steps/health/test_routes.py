"""Signs of life: for those who watch machines, and for whoever asks what is missing."""

import json
import re
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from prometheus_client.parser import text_string_to_metric_families
from sqlalchemy import text
from typer.testing import CliRunner

from emblar.core.errors import ServiceError
from emblar.main import app
from emblar.platform.database import transaction
from emblar.platform.settings import settings
from emblar.service.doctor import run_checks
from emblar.steps.health.actions import health


@pytest.fixture
def worker_seen(database: None) -> None:
    with transaction() as db:
        db.execute(text("delete from procrastinate_workers"))
        db.execute(text("insert into procrastinate_workers default values"))


def seen_ago(seconds: float) -> None:
    at = datetime.now(UTC) - timedelta(seconds=seconds)
    with transaction() as db:
        db.execute(text("update procrastinate_workers set last_heartbeat = :at"), {"at": at})


def numbers(client: TestClient) -> dict[str, float]:
    families = text_string_to_metric_families(client.get("/metrics").text)
    return {
        sample.name + "".join(f"|{v}" for v in sample.labels.values()): sample.value
        for family in families
        for sample in family.samples
    }


def test_it_is_well_with_a_worker_and_says_so_without(
    client: TestClient, worker_seen: None
) -> None:
    answer = client.get("/healthz")
    assert (answer.status_code, answer.json()["well"]) == (200, True)
    seen_ago(300.0)
    answer = client.get("/healthz")
    assert answer.status_code == 503
    assert answer.json()["database"] is True
    assert "No worker is at work" in answer.json()["says"]
    assert client.get("/health").json() == {"state": "up"}, "the web process itself is up"


def test_a_database_that_is_away_is_told_and_not_raised(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def away() -> None:
        raise ServiceError("The database does not answer.")

    monkeypatch.setattr("emblar.steps.health.actions.transaction", away)
    answer = client.get("/healthz")
    assert (answer.status_code, answer.json()["database"]) == (503, False)
    assert numbers(client)["emblar_database_up"] == 0.0


def test_requests_are_counted_by_route_and_not_by_address(
    client: TestClient, planned: int, worker_seen: None
) -> None:
    for _ in range(3):
        client.get(f"/sessions/{planned}/plan")
    for number in range(5):
        client.get(f"/no/such/{number}")
    found = numbers(client)
    assert found["emblar_workers"] == 1.0
    pages = {n: v for n, v in found.items() if re.match(r"emblar_requests_total\|GET\|.*plan", n)}
    assert list(pages.values()) == [3.0]
    strange = {n: v for n, v in found.items() if n.startswith("emblar_requests_total|GET|none")}
    assert list(strange.values()) == [5.0], "one row, however many addresses are tried"
    slow = next(
        v
        for n, v in found.items()
        if n.startswith("emblar_request_seconds_count|GET") and "plan" in n
    )
    assert slow == 3.0


def test_the_doctor_finds_everything_well_beside_a_server(worker_seen: None) -> None:
    found = {row.what: row for row in run_checks()}
    assert found["worker"].state == "well"
    assert all(row.state != "fault" for row in found.values())
    assert health().revision in found["database"].says


def test_the_doctor_says_what_is_wrong_and_what_to_do(
    worker_seen: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen_ago(300.0)
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.setenv("EMBLAR_BACKUPS", "0")
    settings.cache_clear()
    done = CliRunner().invoke(app, ["doctor", "--json"])
    told = json.loads(done.stdout)
    rows = {row["what"]: row for row in told["findings"]}
    assert (done.exit_code, told["well"]) == (1, False)
    assert rows["worker"]["state"] == "fault"
    assert "EMBLAR_BACKUPS is 0" in rows["backups"]["says"]
    settings.cache_clear()
