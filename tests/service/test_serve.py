import os
import re
import shutil
import signal
import socket
import ssl
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from emblar.core.errors import ServiceError
from emblar.platform import postgres
from emblar.platform.postgres import OwnPostgres, free_port
from emblar.platform.running_database import only_one
from emblar.service.address import check_port


@pytest.fixture
def home() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="emblar-home-"))
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


class Served:
    """``emblar serve`` as a process of its own."""

    def __init__(self, home: Path, web_processes: int = 1, **settings: str) -> None:
        self.port = free_port()
        self.home = home
        environment = {
            "PATH": os.environ["PATH"],
            "EMBLAR_HOME": str(home),
            "EMBLAR_PORT": str(self.port),
            "EMBLAR_WEB_PROCESSES": str(web_processes),
            **settings,
        }
        self.process = subprocess.Popen(
            [sys.executable, "-m", "emblar.main", "serve"],
            env=environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )

    def url(self, path: str) -> str:
        return f"http://127.0.0.1:{self.port}{path}"

    def wait_up(self, seconds: float = 120.0) -> None:
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            try:
                urllib.request.urlopen(self.url("/health"), timeout=1).close()
            except OSError:
                assert self.process.poll() is None, self.process.communicate()
                time.sleep(0.05)
            else:
                return
        raise AssertionError("not up")

    def postmaster(self) -> int:
        return int((self.home / "postgres" / "postmaster.pid").read_text().split("\n")[0])

    def children(self) -> list[int]:
        tasks = Path(f"/proc/{self.process.pid}/task").glob("*/children")
        return [int(child) for task in tasks for child in task.read_text().split()]


def gone(pid: int, seconds: float = 60.0) -> bool:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        try:
            state = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
        except FileNotFoundError:
            return True
        if state == "Z":
            return True
        time.sleep(0.05)
    return False


def begin_session(served: Served, name: str) -> None:
    data = f"name={name}".encode()
    urllib.request.urlopen(served.url("/sessions"), data=data, timeout=10).close()


def listing(served: Served) -> str:
    with urllib.request.urlopen(served.url("/"), timeout=10) as answer:
        return answer.read().decode()


def web_children(served: Served) -> list[int]:
    told = {pid: Path(f"/proc/{pid}/cmdline").read_bytes() for pid in served.children()}
    return [pid for pid, command in told.items() if b"emblar.service.web" in command]


def counted(served: Served) -> float:
    """Return how many times the list of sessions was asked for, by all processes."""
    with urllib.request.urlopen(served.url("/metrics"), timeout=30) as answer:
        rows = answer.read().decode().splitlines()
    return sum(
        float(row.rsplit(" ", 1)[1])
        for row in rows
        if row.startswith('emblar_requests_total{method="GET",route="/",')
    )


def test_ctrl_c_stops_everything_and_a_kill_loses_nothing_saved(home: Path) -> None:
    first = Served(home, web_processes=2)
    first.wait_up()
    begin_session(first, "Before+the+kill")
    before = counted(first)
    for _ in range(12):
        assert "Before the kill" in listing(first)
    assert counted(first) == before + 12.0
    server, children = first.postmaster(), first.children()
    assert len(children) >= 3, "PostgreSQL, worker, another process that answers"
    (beside,) = web_children(first)
    os.kill(beside, signal.SIGKILL)
    assert gone(beside)
    assert "Before the kill" in listing(first)
    children = [*children, *first.children()]
    first.process.kill()
    first.process.communicate()
    assert all(gone(pid) for pid in [server, *children]), "nothing outlives a kill"

    second = Served(home)
    second.wait_up()
    assert "Before the kill" in listing(second)
    server = second.postmaster()
    os.kill(server, signal.SIGKILL)
    second.process.kill()
    second.process.communicate()
    assert gone(server)

    third = Served(home)
    third.wait_up()
    assert "Before the kill" in listing(third)
    children = third.children()
    third.process.send_signal(signal.SIGINT)
    out, err = third.process.communicate(timeout=20)
    assert third.process.returncode == 0, err
    assert "everything is saved" in out
    assert err == ""
    assert all(gone(pid) for pid in children)
    assert not (home / "postgres" / "postmaster.pid").exists()


def test_a_taken_port_is_one_clear_line(home: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        with pytest.raises(ServiceError, match=f"Port {port} is taken.*EMBLAR_PORT={port + 1}"):
            check_port("127.0.0.1", port)
        done = subprocess.run(
            [sys.executable, "-m", "emblar.main", "serve"],
            env=dict(os.environ, EMBLAR_PORT=str(port), EMBLAR_HOME=str(home)),
            capture_output=True,
            text=True,
            check=False,
        )
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "is taken" in done.stderr


def test_a_second_emblar_on_the_same_home_is_refused(home: Path) -> None:
    with only_one(home), pytest.raises(ServiceError, match="Another Emblar"), only_one(home):
        pass


def test_no_permission_is_one_clear_line(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    blocked = home / "file"
    blocked.write_text("")
    with pytest.raises(ServiceError, match="No permission to write"), only_one(blocked / "inside"):
        pass


def test_a_full_disk_is_one_clear_line(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    usage = shutil.disk_usage(home)._replace(free=5 * 2**20)
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage)
    with pytest.raises(ServiceError, match=r"disk is full: 5 MB are free.*nothing saved is lost"):
        OwnPostgres(home).start()


def test_missing_postgresql_says_what_to_install(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Path, "glob", lambda *_: iter(()))
    monkeypatch.setattr(shutil, "which", lambda _: None)
    with pytest.raises(ServiceError, match="not installed: run “make setup”"):
        postgres.binaries()


def test_a_stale_pid_file_of_another_program_is_cleared(home: Path) -> None:
    server = OwnPostgres(home)
    server.start()
    server.stop()
    pid_file = home / "postgres" / "postmaster.pid"
    pid_file.write_text(f"{os.getpid()}\n")
    server = OwnPostgres(home)
    try:
        server.start()
    finally:
        server.stop()
    assert not pid_file.exists()


def test_a_half_made_data_folder_is_made_anew(home: Path) -> None:
    (home / "postgres").mkdir()
    (home / "postgres" / "PG_VERSION").write_text("15\n")
    server = OwnPostgres(home)
    try:
        server.start()
        assert server.url.endswith("/emblar")
    finally:
        server.stop()


def test_data_of_a_home_that_others_cannot_reach_is_kept_where_the_server_can(home: Path) -> None:
    inner = home / "private"
    inner.mkdir(mode=0o700)
    place = OwnPostgres(inner / "var").data
    if os.geteuid() == 0:
        assert place.parts[:4] == ("/", "var", "lib", "emblar")
    else:
        assert place == inner / "var" / "postgres"


def answers(port: int, status: int, scheme: str = "http", seconds: float = 60.0) -> bool:
    """Whether a server answers at a port with a status, within a time."""
    trusting = ssl.create_default_context()
    trusting.check_hostname, trusting.verify_mode = False, ssl.CERT_NONE
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(
                f"{scheme}://127.0.0.1:{port}/s/none", timeout=5, context=trusting
            )
        except urllib.error.HTTPError as error:
            return error.code == status
        except OSError:
            time.sleep(0.1)
    return False


def test_the_second_listener_is_a_process_of_its_own(home: Path) -> None:
    share, phone = free_port(), free_port()
    served = Served(
        home,
        EMBLAR_SHARE_HOST="127.0.0.1",
        EMBLAR_SHARE_PORT=str(share),
        EMBLAR_PHONE_PORT=str(phone),
    )
    try:
        served.wait_up()
        listeners = [
            pid
            for pid in served.children()
            if "emblar.service.doors" in Path(f"/proc/{pid}/cmdline").read_text()
        ]
        assert len(listeners) == 1
        assert answers(share, 404) and answers(phone, 404, scheme="https")
        # It is started again should it die, and meanwhile the owner's pages stay.
        os.kill(listeners[0], signal.SIGKILL)
        with urllib.request.urlopen(served.url("/health"), timeout=5) as answer:
            assert answer.status == 200
        assert answers(share, 404)
        served.process.send_signal(signal.SIGINT)
        assert served.process.wait(60) == 0
        assert not answers(share, 404, seconds=0.5)
    finally:
        served.process.kill()
        served.process.communicate()


def test_phones_are_let_in_and_kept_out_while_emblar_runs(home: Path) -> None:
    share, phone = free_port(), free_port()
    served = Served(home, EMBLAR_SHARE_PORT=str(share), EMBLAR_PHONE_PORT=str(phone))

    def send(path: str, **form: str) -> str:
        data = urllib.parse.urlencode(form).encode()
        try:
            with urllib.request.urlopen(served.url(path), data, timeout=30) as answer:
                text: str = answer.read().decode()
        except urllib.error.HTTPError as error:
            return error.read().decode()
        return text

    try:
        served.wait_up()
        send("/sessions", name="Low Ferry")
        page = send("/sessions/1/share/phone", back="bench")
        assert "Phones on this network cannot reach Emblar yet" in page
        assert not answers(phone, 404, scheme="https", seconds=0.5)
        page = send("/network/1/let-in", back="bench")
        assert answers(phone, 404, scheme="https") and answers(share, 404)
        link = re.search(rf'data-copy="https://[\d.]+:{phone}/p/([\w-]+)"', page)
        assert link is not None
        assert "Back to Bench" in page
        page = send("/network/1/keep-out", back="bench")
        assert "Let phones on this network in" in page
        assert not answers(phone, 404, scheme="https", seconds=0.5)
        assert not answers(share, 404, seconds=0.5)
        # A port that is taken is said, and nothing is left half open.
        with socket.create_server(("0.0.0.0", phone)):
            assert f"Port {phone} is taken" in send("/network/1/let-in")
        assert not answers(share, 404, seconds=0.5)
    finally:
        served.process.kill()
        served.process.communicate()


def test_a_database_that_does_not_stay_up_ends_with_an_error(home: Path) -> None:
    served = Served(home)
    try:
        served.wait_up()
        (home / "postgres" / "global").rename(home / "postgres" / "global-gone")
        os.kill(served.postmaster(), signal.SIGKILL)
        _, errors = served.process.communicate(timeout=120)
    finally:
        served.process.kill()
    assert served.process.returncode == 2
    assert "PostgreSQL does not stay up" in errors.splitlines()[-1]
