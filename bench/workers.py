"""Workers on other machines, one killed, one cut off: ``python -m bench.workers [--recordings N]``.

Emblar serves without a worker of its own; two workers run in network namespaces of their own, each
with nothing but the database's address. While recordings wait, one worker is killed at a job, and
the other's network is down for a while. A third comes. In the end every recording is analysed,
once, and no job is left. Needs root and ``ip`` (Debian's iproute2).
"""

import argparse
import contextlib
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx2 as httpx

from bench.faults import Clients, Served
from emblar.platform.postgres import OwnPostgres

CUT_S = 12.0
LONGEST_S = 300.0


class Machine:
    """A network namespace that reaches the database over its own cable."""

    def __init__(self, number: int, database_port: int) -> None:
        self.name, self.cable = f"emblar-w{number}", f"embw{number}"
        self.here, self.there = f"10.231.{number}.1", f"10.231.{number}.2"
        self.database_port = database_port
        self.worker: subprocess.Popen[bytes] | None = None

    def set_up(self) -> None:
        """Make it, with a relay to the database, which listens on loopback only."""
        _ip("netns", "add", self.name)
        _ip("link", "add", self.cable, "type", "veth", "peer", "name", "eth0", "netns", self.name)
        _ip("addr", "add", f"{self.here}/24", "dev", self.cable)
        _ip("link", "set", self.cable, "up")
        _ip("-n", self.name, "addr", "add", f"{self.there}/24", "dev", "eth0")
        for device in ("eth0", "lo"):
            _ip("-n", self.name, "link", "set", device, "up")
        door = socket.create_server((self.here, self.database_port))
        threading.Thread(target=_relay, args=(door, self.database_port), daemon=True).start()

    def work(self, url: str, home: Path) -> None:
        """Start a worker on it."""
        theirs = url.replace("127.0.0.1", self.here)
        environment = {**os.environ, "EMBLAR_DATABASE_URL": theirs, "EMBLAR_HOME": str(home)}
        log = (home / f"{self.name}.log").open("ab")
        command = ["ip", "netns", "exec", self.name, sys.executable, "-m", "emblar.main"]
        self.worker = subprocess.Popen(
            [*command, "worker"], env=environment, stdout=log, stderr=log, start_new_session=True
        )

    def kill(self) -> None:
        """Kill the worker as a pulled plug would."""
        if self.worker is not None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self.worker.pid, signal.SIGKILL)
            self.worker.wait()

    def cable_up(self, up: bool) -> None:
        """Pull its cable, or put it back."""
        _ip("link", "set", self.cable, "up" if up else "down")

    def take_down(self) -> None:
        """Remove it."""
        self.kill()
        for words in (("link", "del", self.cable), ("netns", "del", self.name)):
            subprocess.run(["ip", *words], check=False, capture_output=True)


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


def _relay(door: socket.socket, port: int) -> None:
    while True:
        try:
            caller, _ = door.accept()
            server = socket.create_connection(("127.0.0.1", port))
        except OSError:
            return
        for ends in ((caller, server), (server, caller)):
            threading.Thread(target=_pump, args=ends, daemon=True).start()


def _pump(source: socket.socket, sink: socket.socket) -> None:
    with contextlib.suppress(OSError):
        while data := source.recv(65536):
            sink.sendall(data)
    for end in (source, sink):
        with contextlib.suppress(OSError):
            end.shutdown(socket.SHUT_RDWR)


@contextlib.contextmanager
def machines(count: int, port: int) -> Iterator[list[Machine]]:
    """Yield machines, and remove them in the end."""
    made = [Machine(number, port) for number in range(1, count + 1)]
    try:
        for machine in made:
            machine.take_down()
            machine.set_up()
        yield made
    finally:
        for machine in made:
            machine.take_down()


def _count(people: Clients, query: str) -> int:
    with people.database() as db:
        row = db.execute(query).fetchone()
        return int(row[0]) if row else 0


def _until(people: Clients, query: str, least: int) -> None:
    deadline = time.monotonic() + LONGEST_S
    while _count(people, query) < least:
        if time.monotonic() > deadline:
            raise TimeoutError(f"not within {LONGEST_S:.0f} s: {query}")
        time.sleep(0.1)


WORKERS = "select count(*) from procrastinate_workers"
DOING = "select count(*) from procrastinate_jobs where status = 'doing'"
DONE = "select count(*) from recording where state = 'done'"


def _busy_first(people: Clients, first: Machine, second: Machine) -> tuple[Machine, Machine]:
    """Return two machines, the one that is at a job first; they came in this order."""
    with people.database() as db:
        ids = [row[0] for row in db.execute("select id from procrastinate_workers order by id")]
        row = db.execute(
            "select worker_id from procrastinate_jobs where status = 'doing' limit 1"
        ).fetchone()
    return (first, second) if row is None or row[0] == ids[0] else (second, first)


def run(home: Path, recordings: int) -> dict[str, Any]:
    """Bring recordings, kill and cut, and return what became of them."""
    served = Served(home)
    served.start("--web-only")
    people = Clients(served, 0)
    url = OwnPostgres(home).running_url() or ""
    port = int(url.rsplit(":", 1)[1].split("/")[0])
    with machines(3, port) as (first, second, third), httpx.Client(base_url=served.url) as web:
        web.post("/sessions", data={"name": "Elsewhere", "kit": "preset-four-piece"})
        for number in range(recordings):
            answer = people.record(web, f"take-{number}.wav", f"once-{number}")
            assert answer.is_redirect, answer.text
        for machine, workers in ((first, 1), (second, 2)):
            machine.work(url, home)
            _until(people, WORKERS, workers)
        _until(people, DOING, 1)
        # Analyses of one studio take turns: the one that is at a job goes, then the other's cable.
        busy, other = _busy_first(people, first, second)
        busy.kill()
        _until(people, DONE, recordings // 3)
        other.cable_up(False)
        time.sleep(CUT_S)
        third.work(url, home)
        other.cable_up(True)
        stuck = people.wait_idle()
        with people.database() as db:
            result = db.execute(
                "select r.filename, r.state, count(j.id) filter (where j.status = 'succeeded')"
                " from recording r left join procrastinate_jobs j"
                " on (j.args ->> 'recording_id')::int = r.id and j.task_name like '%analyse%'"
                " group by r.id order by r.id"
            ).fetchall()
            failed = db.execute(
                "select count(*) from procrastinate_jobs where status = 'failed'"
            ).fetchone()
    served.stop()
    wrong = [row for row in result if row[1] != "done" or row[2] != 1]
    return {
        "recordings": len(result),
        "wrong": wrong,
        "still waiting": stuck,
        "failed jobs": failed[0] if failed else 0,
    }


def main() -> None:
    """Run and print; exit with 1 where anything is missing or twice."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--recordings", type=int, default=24)
    arguments = parser.parse_args()
    home = Path(tempfile.mkdtemp(prefix="emblar-workers-"))
    result = run(home, arguments.recordings)
    for name, value in result.items():
        print(f"{name}: {value}")
    good = result["recordings"] == arguments.recordings and not result["wrong"]
    if good and not result["still waiting"]:
        shutil.rmtree(home, ignore_errors=True)
        return
    print(f"kept for a look: {home}")
    sys.exit(1)


if __name__ == "__main__":
    main()
