"""A filled database of an earlier version opens after the upgrade with everything in it.

``filled/0007.sql.gz`` holds the rows of such a database
(``pg_dump --data-only --column-inserts``): two sessions and a deleted one, a record with another
file beside it, corrections, evidence, a plan with a choice by hand, loose heads and own parts.
"""

import gzip
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import psycopg
import pytest
from sqlalchemy import text

from emblar.platform.database import engine
from emblar.platform.migrate import downgrade, migrate
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.actions import strokes
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import all_sessions, brief_of, one_session
from emblar.steps.shelf import actions as shelf

BEFORE = "0007"
FILLED = Path(__file__).parent / "filled" / "0007.sql.gz"


def rows(query: str) -> list[tuple[Any, ...]]:
    with engine().connect() as connection:
        return [tuple(row) for row in connection.execute(text(query))]


@pytest.fixture
def filled(database: None) -> Iterator[None]:
    """The database of the earlier version, filled, then brought up to date."""
    downgrade(engine(), BEFORE)
    url = engine().url.set(drivername="postgresql").render_as_string(hide_password=False)
    lines = gzip.decompress(FILLED.read_bytes()).decode().splitlines(keepends=True)
    with psycopg.connect(url) as connection:
        connection.execute("set session_replication_role = replica")
        sql = "".join(line for line in lines if not line.startswith("\\"))
        connection.execute(sql.encode())
    yield
    with engine().begin() as connection:
        connection.execute(text("set search_path = public"))
    migrate(engine())


DRUMS = (
    "select id, session_id, name, kind, diameter_in, depth_in, rods, hoop, shell, batter, reso,"
    " port_in, voice, wish, edge, findings, deleted_at is null from drum order by id"
)
HEADS = (
    "select construction, diameter_in, count, condition, deleted_at is null from shelf_head"
    " order by 1, 2"
)
SESSIONS = "select id, name, artist, wish, asked, deleted_at is null from session order by id"


def test_everything_is_there_after_the_upgrade(filled: None) -> None:
    migrate(engine())
    names = {s.name: s for s in all_sessions(HERE)}
    assert set(names) == {"Low Ferry", "Second Ferry"}
    session = names["Low Ferry"].id
    assert brief_of(one_session(HERE, session)).tempo_bpm == 108
    drums = {d.owned.name: d for d in kit.kit(HERE, session)}
    assert set(drums) == {"Rack 12", "Kick 22", "Snare 14", "Floor 16"}
    assert drums["Kick 22"].owned.port_in == 5
    assert drums["Floor 16"].owned.batter.startswith("own-house-film")
    assert drums["Rack 12"].wish == {
        "pitch_hz": 118.0,
        "batter": "double-coated",
        "steps": {"sustain": -1.0},
    }
    found = listen.analysed_record(HERE, session)
    assert found is not None
    assert [f.filename for f in found.files] == ["groove.ogg", "tom.ogg"]
    assert len(found.evidence) == 1
    planned = plan.latest_plan(HERE, session)
    assert planned is not None
    assert planned.version == 2
    assert {drums[n].id for n in ("Rack 12", "Kick 22", "Snare 14")} <= set(planned.drums)
    loose = {(h.owned.construction, h.owned.count) for h in shelf.loose_heads(HERE)}
    assert loose == {("double-coated", 2), ("snare-side", 1)}
    assert [p.row["name"] for p in shelf.own_parts(HERE)] == ["House film", "Felt strip"]
    last = strokes.last_correction(HERE, session)
    assert last is not None
    assert (last.says, last.count) == ("Hat stroke at 0.60 s removed", 2)


def test_what_was_removed_before_the_upgrade_can_still_be_brought_back(filled: None) -> None:
    migrate(engine())
    session = next(s.id for s in all_sessions(HERE) if s.name == "Low Ferry")
    gone = rows("select id from kit_slot where deleted_at is not null and session_id = 1")
    kit.bring_back_drum(HERE, session, gone[0][0])
    assert "Rack 10" in {d.owned.name for d in kit.kit(HERE, session)}
    head = rows("select id from head where deleted_at is not null")
    shelf.put_back(HERE, "head", head[0][0])
    assert ("single-clear", 1) in {
        (h.owned.construction, h.owned.count) for h in shelf.loose_heads(HERE)
    }


def test_going_back_and_up_again_loses_nothing(filled: None) -> None:
    before = [rows(query) for query in (DRUMS, HEADS, SESSIONS)]
    for _ in range(2):
        migrate(engine())
        downgrade(engine(), BEFORE)
        assert [rows(query) for query in (DRUMS, HEADS, SESSIONS)] == before
    migrate(engine())
    # What is added now gets an id of its own.
    session = next(s.id for s in all_sessions(HERE) if s.name == "Second Ferry")
    first = kit.kit(HERE, session)[0]
    kit.add_drum(HERE, session, replace(first.owned, name="Rack 12 B"))
    assert len(kit.kit(HERE, session)) == 3
