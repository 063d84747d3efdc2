"""Killed again and again at work: ``python -m bench.faults [--kills N] [--seed S]``.

Emblar is started on an empty home; clients bring recordings, type readings at the bench, correct
strokes, plan and write briefs, and note what was answered as done. Meanwhile one thing after the
other is killed with SIGKILL: the web process, the worker, PostgreSQL, one of its backends, or all
of it. In the end everything that was acknowledged must be there, once, nothing half, no job stuck.
"""

import argparse
import contextlib
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx2 as httpx
import numpy as np
import psycopg

from emblar.core.synthesis.low_ferry import PLACEMENTS, low_ferry_voices
from emblar.core.synthesis.song import Event, render_performance
from emblar.platform.postgres import OwnPostgres, free_port
from emblar.platform.sound.encode import wav_bytes

RATE = 44100
UP_S = 120.0
DRAIN_S = 600.0
BETWEEN_S = (0.2, 3.0)
VICTIMS = ("web", "worker", "PostgreSQL", "one backend", "everything")


@dataclass
class Ledger:
    """What was answered as done, by kind, each with a mark of its own that is found again."""

    kept: dict[str, list[Any]] = field(default_factory=dict)
    requests: Counter[str] = field(default_factory=Counter)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def note(self, kind: str, mark: Any) -> None:
        """Note that something was acknowledged."""
        with self.lock:
            self.kept.setdefault(kind, []).append(mark)


class Served:
    """``emblar serve`` as a process of its own, started again when it was killed."""

    def __init__(self, home: Path) -> None:
        self.home, self.port = home, free_port()
        self.process: subprocess.Popen[bytes] | None = None
        self.starts = 0

    @property
    def url(self) -> str:
        """Where it answers."""
        return f"http://127.0.0.1:{self.port}"

    def start(self, *options: str) -> None:
        """Start it, with some options, and wait until it answers."""
        self.starts += 1
        environment = {
            **os.environ,
            "EMBLAR_HOME": str(self.home),
            "EMBLAR_PORT": str(self.port),
            "EMBLAR_BACKUPS": "0",
        }
        environment.pop("EMBLAR_DATABASE_URL", None)
        log = (self.home / "serve.log").open("ab")
        command = [sys.executable, "-m", "emblar.main", "serve", *options]
        self.process = subprocess.Popen(command, env=environment, stdout=log, stderr=log)
        self.wait_up()

    def wait_up(self) -> None:
        """Wait until web and database answer.

        Raises
        ------
        TimeoutError
            They do not within two minutes.
        """
        deadline = time.monotonic() + UP_S
        while time.monotonic() < deadline:
            with contextlib.suppress(httpx.HTTPError):
                if httpx.get(f"{self.url}/", timeout=2.0).status_code == 200:
                    return
            time.sleep(0.1)
        raise TimeoutError(f"not up again: see {self.home / 'serve.log'}")

    def children(self) -> dict[int, str]:
        """Return the processes below it, with what they are."""
        result: dict[int, str] = {}
        todo = [self.process.pid] if self.process else []
        while todo:
            pid = todo.pop()
            with contextlib.suppress(OSError):
                for task in Path(f"/proc/{pid}/task").glob("*/children"):
                    todo += [int(child) for child in task.read_text().split()]
                result[pid] = (
                    Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode()
                )
        return result

    def postmaster(self) -> int:
        """Return PostgreSQL's process."""
        folder = OwnPostgres(self.home).data
        return int((folder / "postmaster.pid").read_text().split("\n")[0])

    def kill(self, victim: str, rng: random.Random) -> None:
        """Kill one thing; what serves is started again by us, the rest by itself."""
        assert self.process is not None
        every = self.children()
        try:
            server = self.postmaster()
        except (OSError, ValueError):
            server = 0
        workers = [pid for pid, what in every.items() if "emblar.service.worker" in what]
        backends = [pid for pid, what in every.items() if what.startswith("postgres: ")]
        targets = {
            "web": [self.process.pid],
            "worker": workers,
            "PostgreSQL": [server] if server else [],
            "one backend": [rng.choice(backends)] if backends else [],
            "everything": [self.process.pid, *every, *([server] if server else [])],
        }[victim]
        for pid in targets:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.kill(pid, signal.SIGKILL)
        if victim in ("web", "everything"):
            self.process.wait()
            self.start()
        else:
            self.wait_up()

    def stop(self) -> int:
        """Stop it as Ctrl-C does; return its exit code."""
        assert self.process is not None
        self.process.send_signal(signal.SIGINT)
        return self.process.wait(60.0)


def groove() -> bytes:
    """Return three seconds of kick and snare as WAV."""
    events = [Event(0.3 + 0.6 * i, ("kick", "snare")[i % 2], 1.0) for i in range(5)]
    voices = {name: v for name, v in low_ferry_voices().items() if name in ("kick", "snare")}
    sound = render_performance(voices, events, PLACEMENTS, seed=5).samples
    return wav_bytes(np.asarray(sound.mean(axis=1), np.float64), RATE)


class Clients:
    """People at work at once, each sending again what was not answered."""

    def __init__(self, served: Served, seed: int) -> None:
        self.served, self.ledger, self.seed = served, Ledger(), seed
        self.leaving = threading.Event()
        self.sound = groove()
        self.slots: list[int] = []
        self.drums: dict[int, int] = {}
        self.rods: dict[int, int] = {}
        self.refused: list[str] = []

    def prepare(self) -> None:
        """Make a session with a planned kit and a record."""
        with httpx.Client(base_url=self.served.url, timeout=60.0) as web:
            web.post("/sessions", data={"name": "Killed", "kit": "preset-four-piece"})
            with self.database() as db:
                rows = db.execute(
                    "select s.id, s.drum_id, d.rods from kit_slot s join drum d on d.id = s.drum_id"
                    " where d.kind <> 'kick' order by s.id"
                ).fetchall()
            for slot, drum, rods in rows:
                self.slots.append(slot)
                self.drums[slot], self.rods[slot] = drum, rods
            self.record(web, "first.wav", "first")
        self.wait_idle()
        with httpx.Client(base_url=self.served.url, timeout=60.0) as web:
            web.post("/sessions/1/plan")
            for slot in self.slots:
                assert web.post(f"/sessions/1/plan/{slot}", data={"pitch_hz": "150"}).is_redirect

    def database(self) -> psycopg.Connection[Any]:
        """Return a connection to the server's own database."""
        url = OwnPostgres(self.served.home).running_url()
        assert url is not None
        return psycopg.connect(url.replace("postgresql+psycopg", "postgresql"))

    def record(self, web: httpx.Client, name: str, once: str) -> httpx.Response:
        """Bring a recording."""
        return web.post(
            "/sessions/1/listen/recording",
            data={"kind": "drums", "beside": "true", "once": once},
            files={"file": (name, self.sound, "audio/wav")},
        )

    def until_answered(
        self, kind: str, send: Callable[[httpx.Client], httpx.Response], *, twice_is: int = 0
    ) -> bool:
        """Send until there is an answer; return whether it was acknowledged.

        ``twice_is`` is the status that says it had been done although its answer was lost.
        """
        lost = False
        while not self.leaving.is_set() or lost:
            try:
                with httpx.Client(base_url=self.served.url, timeout=30.0) as web:
                    answer = send(web)
            except (httpx.HTTPError, OSError):
                lost = True
                time.sleep(0.2)
                continue
            self.ledger.requests[kind] += 1
            if answer.status_code in (502, 503):
                lost = lost or "may be saved" in answer.text
                time.sleep(0.3)
                continue
            if answer.status_code < 400 or (lost and answer.status_code == twice_is):
                return True
            self.refused.append(f"{kind}: {answer.status_code} {answer.text[:200]}")
            return False
        return False

    def works(self, which: int) -> None:
        """Do one thing after the other until the end."""
        rng = random.Random(1000 * self.seed + which)
        count = 0
        while not self.leaving.is_set():
            count += 1
            mark = which * 100_000 + count
            rng.choice((self.session, self.reading, self.stroke, self.recording, self.plan))(
                mark, rng
            )
            time.sleep(rng.uniform(0.0, 0.1))

    def session(self, mark: int, _: random.Random) -> None:
        """Start a session."""
        name = f"Song {mark}"
        data = {"name": name, "once": f"once-{mark}", "kit": "preset-four-piece"}
        if self.until_answered("sessions", lambda web: web.post("/sessions", data=data)):
            self.ledger.note("sessions", name)

    def reading(self, mark: int, rng: random.Random) -> None:
        """Type what every rod of a head reads."""
        slot = rng.choice(self.slots)
        rods = [
            round(100.0 + (mark % 99_991) / 1000.0 + rod * 0.00001, 5)
            for rod in range(self.rods[slot])
        ]
        data = {f"rod-{rod + 1}": str(hz) for rod, hz in enumerate(rods)} | {"side": "batter"}
        if self.until_answered(
            "readings", lambda web: web.post(f"/sessions/1/bench/{slot}/typed", data=data)
        ):
            self.ledger.note("readings", (self.drums[slot], rods))

    def stroke(self, mark: int, _: random.Random) -> None:
        """Put a stroke in."""
        which, count = divmod(mark, 100_000)
        # Strokes nearer than 0.6 ms are one.
        position = round(0.003 * (count % 950) + 0.00075 * which, 5)
        data = {"time_s": str(position), "voice": "hat", "start": "0", "stop": "3"}
        if self.until_answered(
            "strokes",
            lambda web: web.post("/sessions/1/listen/strokes/put-in", data=data),
            twice_is=422,
        ):
            self.ledger.note("strokes", position)

    def recording(self, mark: int, rng: random.Random) -> None:
        """Bring a recording beside the others, now and then."""
        if rng.random() > 0.15:
            return
        name = f"take-{mark}.wav"
        if self.until_answered("recordings", lambda web: self.record(web, name, f"rec-{mark}")):
            self.ledger.note("recordings", name)

    def plan(self, mark: int, rng: random.Random) -> None:
        """Ask for a pitch by hand."""
        slot, hz = rng.choice(self.slots), 120.0 + mark % 60
        data = {"pitch_hz": str(hz)}
        if self.until_answered(
            "plans", lambda web: web.post(f"/sessions/1/plan/{slot}", data=data)
        ):
            self.ledger.note("plans", (slot, hz))

    def wait_idle(self) -> int:
        """Wait until no recording waits; return how many still do after ten minutes."""
        deadline, left = time.monotonic() + DRAIN_S, -1
        while time.monotonic() < deadline:
            with contextlib.suppress(psycopg.Error, AssertionError), self.database() as db:
                row = db.execute(
                    "select (select count(*) from recording where state in ('waiting', 'running')"
                    " and deleted_at is null) + (select count(*) from procrastinate_jobs"
                    " where status in ('todo', 'doing') and task_name like '%recording')"
                ).fetchone()
                left = int(row[0]) if row else -1
                if left == 0:
                    return 0
            time.sleep(0.5)
        return left


def missing(clients: Clients) -> dict[str, list[Any]]:
    """Return what was acknowledged and is not there, or is there twice."""
    kept = clients.ledger.kept
    result: dict[str, list[Any]] = {}
    with clients.database() as db:
        names = Counter(row[0] for row in db.execute("select name from session").fetchall())
        result["sessions"] = [n for n in kept.get("sessions", []) if names[n] != 1]
        files = Counter(
            row[0]
            for row in db.execute("select filename from recording where state = 'done'").fetchall()
        )
        result["recordings"] = [n for n in kept.get("recordings", []) if files[n] != 1]
        rows = db.execute(
            "select s.drum_id, m.rod, m.hz from measurement m join setup s on s.id = m.setup_id"
        ).fetchall()
        read = {(drum, rod, round(hz, 5)) for drum, rod, hz in rows}
        result["readings"] = [
            (drum, hz)
            for drum, rods in kept.get("readings", [])
            for rod, hz in enumerate(rods, 1)
            if (drum, rod, hz) not in read
        ]
        added = [
            hit["time_s"]
            for (document,) in db.execute("select document from correction").fetchall()
            for hit in document["added"]
        ]
        near = Counter(round(position, 5) for position in added)
        result["strokes"] = [
            position for position in kept.get("strokes", []) if near[round(position, 5)] != 1
        ]
        halves = db.execute(
            "select id from session s where name like 'Song %' and (select count(*) from kit_slot k"
            " where k.session_id = s.id) not in (0, 4)"
        ).fetchall()
        result["half a kit"] = [row[0] for row in halves]
        versions = db.execute(
            "select count(*), count(distinct version), max(version) from plan where session_id = 1"
        ).fetchone()
        result["plan versions"] = [versions] if versions and len(set(versions)) > 1 else []
    return {name: rows for name, rows in result.items() if rows}


def run(home: Path, kills: int, seed: int, *, clients: int = 4, say: bool = True) -> dict[str, Any]:
    """Kill and check; return counts, and what is missing (empty if nothing is)."""
    rng, served = random.Random(seed), Served(home)
    served.start()
    people = Clients(served, seed)
    people.prepare()
    threads = [
        threading.Thread(target=people.works, args=(i,), daemon=True) for i in range(clients)
    ]
    for thread in threads:
        thread.start()
    killed: Counter[str] = Counter()
    longest = 0.0
    for count in range(kills):
        time.sleep(rng.uniform(*BETWEEN_S))
        victim = VICTIMS[count % len(VICTIMS)] if count < len(VICTIMS) else rng.choice(VICTIMS)
        began = time.monotonic()
        served.kill(victim, rng)
        longest = max(longest, time.monotonic() - began)
        killed[victim] += 1
        if say and (count + 1) % 20 == 0:
            print(f"{count + 1} kills", flush=True)
    time.sleep(1.0)
    people.leaving.set()
    for thread in threads:
        thread.join(120.0)
    stuck = people.wait_idle()
    lost = missing(people)
    code = served.stop()
    return {
        "killed": dict(killed),
        "starts": served.starts,
        "slowest recovery, s": round(longest, 1),
        "acknowledged": {k: len(v) for k, v in people.ledger.kept.items()},
        "refused": people.refused,
        "still waiting": stuck,
        "missing or twice": lost,
        "exit code": code,
    }


def main() -> None:
    """Run and print; exit with 1 where anything is missing."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--keep", action="store_true", help="Keep the home folder")
    arguments = parser.parse_args()
    home = Path(tempfile.mkdtemp(prefix="emblar-faults-"))
    home.chmod(0o755)
    try:
        known = run(home, arguments.kills, arguments.seed)
    finally:
        if arguments.keep:
            print(f"kept: {home}")
        else:
            shutil.rmtree(home, ignore_errors=True)
    for name, value in known.items():
        print(f"{name}: {value}")
    if known["missing or twice"] or known["still waiting"] or known["exit code"]:
        sys.exit(1)


if __name__ == "__main__":
    main()
