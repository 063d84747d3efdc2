"""PostgreSQL of our own is started again when it dies, a bounded number of times."""

import shutil
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from argon2 import PasswordHasher

from emblar.core.errors import ServiceError
from emblar.platform import running_database
from emblar.platform.postgres import LARGEST_LOG_BYTES, LOG, OwnPostgres
from emblar.platform.settings import settings
from emblar.platform.studio import HERE
from emblar.service.address import check_accounts
from emblar.steps.accounts.actions import add_account


@pytest.fixture
def home() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="emblar-keeper-"))
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder)


def answers(url: str, within_s: float) -> bool:
    deadline = time.monotonic() + within_s
    while time.monotonic() < deadline:
        try:
            psycopg.connect(url.replace("+psycopg", ""), connect_timeout=2).close()
        except psycopg.OperationalError:
            time.sleep(0.05)
        else:
            return True
    return False


def test_a_server_that_dies_is_there_again_under_the_same_address(home: Path) -> None:
    server = OwnPostgres(home)
    server.start()
    keeper = running_database.DatabaseKeeper(server, lambda: None)
    keeper.start()
    try:
        for _ in range(2):
            url = server.url
            assert server.process is not None
            server.process.kill()
            server.process.wait()
            assert answers(url, 60.0)
    finally:
        keeper.stop()
    assert server.process is None
    assert not answers(server.url, 0.2)


def test_a_server_that_keeps_dying_is_given_up(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(running_database, "MAX_RESTARTS", 2)
    monkeypatch.setattr(running_database, "WATCH_S", 0.02)
    given_up = threading.Event()
    server = OwnPostgres(home)
    tries = []

    def restart() -> None:
        tries.append(1)
        raise ServiceError("PostgreSQL did not start.")

    monkeypatch.setattr(server, "restart", restart)
    keeper = running_database.DatabaseKeeper(server, given_up.set)
    keeper.start()
    assert given_up.wait(30.0)
    assert len(tries) == 2
    keeper.stop()


def test_the_log_is_private_and_does_not_grow_for_ever(home: Path) -> None:
    log = home / LOG
    log.write_bytes(b"x" * (LARGEST_LOG_BYTES + 1))
    log.chmod(0o644)
    server = OwnPostgres(home)
    server.start()
    server.stop()
    assert log.stat().st_mode & 0o077 == 0
    assert log.stat().st_size < 100_000
    old = log.with_suffix(".log.1")
    assert old.stat().st_mode & 0o077 == 0


@pytest.mark.parametrize("host", ["0.0.0.0", "192.168.1.5", "::", "studio.local"])
def test_other_machines_are_served_only_once_somebody_can_log_in(
    host: str, database: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(settings(), "host", host)
    cheap = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
    monkeypatch.setattr("emblar.steps.accounts.actions._hasher", lambda: cheap)
    with pytest.raises(ServiceError, match="emblar account add"):
        check_accounts()
    add_account(HERE.studio_id, "Tech", "tech", "four words in a row")
    with pytest.raises(ServiceError, match="emblar account add"):
        check_accounts()
    add_account(HERE.studio_id, "Owner", "owner", "four words in a row")
    check_accounts()


@pytest.mark.parametrize("host", ["127.0.0.1", "localhost", "::1", "127.0.0.2"])
def test_this_machine_is_served(host: str, database: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings(), "host", host)
    check_accounts()
    monkeypatch.setattr(settings(), "accounts", True)
    with pytest.raises(ServiceError, match="no account yet"):
        check_accounts()
