"""Fifty techs at work on a large database: ``python -m bench.load [--seconds N] [--techs N]
[--studios N] [--processes N]``.

200 studios of 50 sessions each, some of 5,000 strokes; every tech opens one page every four
seconds, while an analysis runs and while none does. Printed: the median and what nineteen of twenty
pages stay under, by page and in all, against the same of one tech alone, measured in the same run.
"""

import argparse
import contextlib
import os
import random
import shutil
import tempfile
import threading
import time
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx2 as httpx
import numpy as np
import psycopg
from psycopg.types.json import Jsonb

from bench.faults import Served, groove
from emblar.core.errors import ServiceError
from emblar.platform.postgres import OwnPostgres

STUDIOS = 200
SESSIONS = 50
LONG_SHARE = 0.05
LONG_STROKES = 5000
PAGES = ("listen", "kit", "plan", "bench", "match", "sheet", "evening")
EVERY_S = 4.0


def enlarge(db: psycopg.Connection[Any], studios: int) -> None:
    """Fill the database with copies of the demo session, in this studio and in all others."""
    db.execute(
        "insert into studio (name) select 'Studio ' || g from generate_series(2, %s) g", [studios]
    )
    db.execute(
        "insert into session (studio_id, name, artist, asked, downbeat_at, created_at)"
        " select s.id, 'Song ' || g, '', t.asked, t.downbeat_at, now() - g * interval '1 day'"
        " from studio s, generate_series(1, %s) g, session t where t.id = 1",
        [SESSIONS],
    )
    row = db.execute(
        "select analysis, peaks from recording where session_id = 1 order by id limit 1"
    ).fetchone()
    if row is None:
        raise ServiceError("The demo has no recording: run make demo first.")
    analysis: dict[str, Any] = row[0]
    peaks: dict[str, Any] = row[1]
    short = {**analysis, "hits": analysis["hits"][:60]}
    hits = analysis["hits"]
    shift = analysis["source"]["duration_s"]
    more = [
        {**hit, "time_s": round(hit["time_s"] + turn * shift, 5)}
        for turn in range(LONG_STROKES // len(hits) + 1)
        for hit in hits
    ][:LONG_STROKES]
    long = {
        **analysis,
        "hits": more,
        "source": {**analysis["source"], "duration_s": more[-1]["time_s"] + 2.0},
    }
    for document, where in ((long, "<"), (short, ">=")):
        db.execute(
            "insert into recording (session_id, audio_id, filename, kind, state, analysis, peaks,"
            " analysis_version, purpose) select s.id, t.audio_id, t.filename, t.kind, 'done', %s,"
            " %s, t.analysis_version, 'record' from session s, recording t where t.id = 1 and"
            f" s.id > 1 and (s.id %% 100) {where} %s",
            [Jsonb(document), Jsonb(peaks), round(100 * LONG_SHARE)],
        )
    # Each studio owns the same drums; each session's kit is made of them.
    columns = _columns(db, "drum", "studio_id")
    db.execute(
        f"insert into drum (studio_id, {', '.join(columns)}) select s.id, {_of('d', columns)}"
        " from studio s, drum d where s.id > 1 and d.studio_id = 1"
    )
    columns = _columns(db, "kit_slot", "session_id", "drum_id")
    db.execute(
        f"insert into kit_slot (session_id, drum_id, {', '.join(columns)})"
        f" select s.id, d.id, {_of('k', columns)} from session s"
        " join kit_slot k on k.session_id = 1 join drum o on o.id = k.drum_id"
        " join drum d on d.studio_id = s.studio_id and d.name = o.name where s.id > 1"
    )
    db.execute(
        "insert into plan (session_id, version, document, says, inputs)"
        " select s.id, 1, p.document, p.says, p.inputs from session s, plan p"
        " where p.session_id = 1 and s.id > 1 and s.studio_id <= 20"
    )
    db.commit()
    db.autocommit = True
    db.execute("vacuum analyze")


def _columns(db: psycopg.Connection[Any], table: str, *but: str) -> list[str]:
    """Return a table's columns without its id and some others."""
    rows = db.execute(
        "select column_name from information_schema.columns where table_name = %s", [table]
    ).fetchall()
    return [name for (name,) in rows if name not in ("id", *but)]


def _of(alias: str, columns: Sequence[str]) -> str:
    return ", ".join(f"{alias}.{name}" for name in columns)


def replan_ids(db: psycopg.Connection[Any]) -> list[int]:
    """Point every plan of this studio at its own session's slots; return those sessions."""
    old = [
        row[0]
        for row in db.execute(
            "select id from kit_slot where session_id = 1 order by position"
        ).fetchall()
    ]
    sessions = [
        row[0]
        for row in db.execute("select id from session where studio_id = 1 order by id").fetchall()
    ]
    document = db.execute("select document from plan where session_id = 1").fetchone()
    assert document is not None
    for session in sessions[1:]:
        new = [
            row[0]
            for row in db.execute(
                "select id from kit_slot where session_id = %s order by position", [session]
            ).fetchall()
        ]
        slots = dict(zip(map(str, old), map(str, new), strict=True))
        moved = {
            name: {slots.get(key, key): value for key, value in table.items()}
            for name, table in document[0].items()
            if isinstance(table, dict)
        }
        db.execute("update plan set document = %s where session_id = %s", [Jsonb(moved), session])
    return sessions


@dataclass
class Told:
    """What techs saw: the time of every page, s, and what all of it cost."""

    pages: dict[str, list[float]]
    cpu_s: float
    taken_share: float


def at_work(
    url: str,
    sessions: Sequence[int],
    until: float,
    seed: int,
    every_s: float,
    known: dict[str, list[float]],
    lock: threading.Lock,
) -> None:
    """Open one page after the other until a time; note how long each took, s."""
    rng = random.Random(seed)
    with httpx.Client(base_url=url, timeout=60.0, follow_redirects=True) as web:
        time.sleep(rng.uniform(0.0, every_s))
        while time.monotonic() < until:
            page = rng.choice(("home", "log", *PAGES))
            path = {"home": "/", "log": "/log"}.get(
                page, f"/sessions/{rng.choice(list(sessions))}/{page}"
            )
            began = time.monotonic()
            try:
                fails = web.get(path).status_code >= 500
            except httpx.TransportError:
                fails = True
            took = time.monotonic() - began
            with lock:
                known["failed" if fails else page].append(took)
            time.sleep(max(0.0, every_s * rng.uniform(0.7, 1.3) - took))


def loaded(
    served: Served, sessions: Sequence[int], techs: int, seconds: float, every_s: float = EVERY_S
) -> Told:
    """Have techs at work at once; return what each page took, and what all of it cost."""
    assert served.process is not None
    root, began = served.process.pid, time.monotonic()
    cpu, taken = cpu_s(root), taken_s()
    known: dict[str, list[float]] = defaultdict(list)
    lock, until = threading.Lock(), time.monotonic() + seconds
    threads = [
        threading.Thread(
            target=at_work, args=(served.url, sessions, until, i, every_s, known, lock)
        )
        for i in range(techs)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    away = (taken_s() - taken) / (time.monotonic() - began) / (os.cpu_count() or 1)
    return Told(known, cpu_s(root) - cpu, away)


def cpu_s(root: int) -> float:
    """Return the processor time that a process and all its children have had so far, s."""
    fields = Path(f"/proc/{root}/stat").read_text().rsplit(")", 1)[1].split()
    cpu_time_s = (
        int(fields[11]) + int(fields[12]) + int(fields[13]) + int(fields[14])
    ) / os.sysconf("SC_CLK_TCK")
    for task in Path(f"/proc/{root}/task").iterdir():
        for child in (task / "children").read_text().split():
            with contextlib.suppress(OSError):
                cpu_time_s += cpu_s(int(child))
    return cpu_time_s


def taken_s() -> float:
    """Return the time that was taken from this machine by others on its host so far, s."""
    return float(Path("/proc/stat").read_text().split()[8]) / os.sysconf("SC_CLK_TCK")


def say(what: str, known: Told) -> float:
    """Print median and what 95 % stay under; return the latter, s."""
    every = [took for page, rows in known.pages.items() if page != "failed" for took in rows]
    most = float(np.percentile(every, 95))
    print(
        f"{what}: {len(every)} pages, median {1000 * np.median(every):.0f} ms, 95 % under "
        f"{1000 * most:.0f} ms, {len(known.pages.get('failed', []))} failed"
    )
    rows = sorted((p, r) for p, r in known.pages.items() if p != "failed")
    print("   " + ", ".join(f"{p} {1000 * np.median(r):.0f}" for p, r in rows))
    print(
        f"   {1000 * known.cpu_s / max(len(every), 1):.0f} ms of processor a page, database and "
        f"worker counted; {known.taken_share:.0%} of the machine was taken by others on its host",
        flush=True,
    )
    return most


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=60.0)
    parser.add_argument("--techs", type=int, default=50)
    parser.add_argument("--studios", type=int, default=STUDIOS)
    parser.add_argument("--processes", type=int, default=os.cpu_count(), help="that answer")
    arguments = parser.parse_args()
    os.environ["EMBLAR_WEB_PROCESSES"] = str(arguments.processes)
    home = Path(tempfile.mkdtemp(prefix="emblar-load-"))
    home.chmod(0o755)
    served = Served(home)
    try:
        served.start("--demo")
        database = OwnPostgres(home).running_url()
        assert database is not None
        began = time.monotonic()
        with psycopg.connect(database.replace("postgresql+psycopg", "postgresql")) as db:
            enlarge(db, arguments.studios)
            sessions = replan_ids(db)
            size = db.execute("select pg_size_pretty(pg_database_size('emblar'))").fetchone()
        known = f"{arguments.studios} studios × {SESSIONS} sessions, {size[0] if size else ''}"
        print(f"{known}: {time.monotonic() - began:.0f} s")
        loaded(served, sessions, 1, 8.0, 0.0)
        alone = say("one tech alone", loaded(served, sessions, 1, 15.0, 0.0))
        quiet = say(
            f"{arguments.techs} techs", loaded(served, sessions, arguments.techs, arguments.seconds)
        )
        stop = threading.Event()

        def analyses() -> None:
            sound = groove()
            while not stop.is_set():
                httpx.post(
                    f"{served.url}/sessions/1/listen/recording",
                    data={"kind": "drums"},
                    files={"file": ("more.wav", sound, "audio/wav")},
                    timeout=60.0,
                )
                time.sleep(1.5)

        thread = threading.Thread(target=analyses, daemon=True)
        thread.start()
        busy = say(
            f"{arguments.techs} techs, analyses running",
            loaded(served, sessions[1:], arguments.techs, arguments.seconds),
        )
        stop.set()
        print(f"ratio to one alone: {quiet / alone:.1f}, with analyses {busy / alone:.1f}")
        thread.join(30.0)
        served.stop()
    finally:
        if served.process is not None and served.process.poll() is None:
            served.process.kill()
        shutil.rmtree(home, ignore_errors=True)


if __name__ == "__main__":
    main()
