"""Purging: what was deleted long ago is gone with all that was its own, and nothing else is."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from emblar.core.errors import NotFoundError
from emblar.platform.database import engine
from emblar.platform.migrate import downgrade, migrate
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.actions import saved as kits
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.log.actions.entries import drum_log
from emblar.steps.match.actions import comparison as match
from emblar.steps.plan.actions.planning import latest_plan
from emblar.steps.sessions.actions.editing import SessionBrief, delete_session, start_session
from emblar.steps.sessions.actions.purge import purge_deleted
from emblar.steps.sessions.queries.export import TABLES
from emblar.steps.share import actions as share
from tests.recordings import encoded, short_groove
from tests.steps.match.test_comparison import a_take, taken


def count(table: str) -> int:
    with engine().begin() as connection:
        return int(connection.execute(text(f"select count(*) from {table}")).scalar_one())


def counts() -> dict[str, int]:
    return {table: count(table) for table in (*TABLES, "audio")}


def deleted_since(table: str, days: float) -> None:
    at = datetime.now(UTC) - timedelta(days=days)
    with engine().begin() as connection:
        connection.execute(
            text(f"update {table} set deleted_at = :at where deleted_at is not null"), {"at": at}
        )


@pytest.fixture
def full(planned: int) -> int:
    """A session with readings, a link, something said, and a second session on its kit."""
    drum = kit.kit(HERE, planned)[0]
    bench.type_readings(HERE, planned, drum.id, "batter", [180.0] * drum.owned.rods)
    opened = share.open_share(share.make_share(HERE, planned, "Wren", share.PARTS, 7))
    share.say(opened, drum.id, "Wren", "Nice", "", more=True)
    second = start_session(HERE, SessionBrief("Second")).id
    kits.bring_kit(HERE, second, f"session-{planned}")
    return planned


def test_what_was_deleted_lately_stays(full: int) -> None:
    delete_session(HERE, full)
    deleted_since("session", 29.0)
    before = counts()
    assert sum(purge_deleted().values()) == 0
    assert counts() == before


def test_a_session_goes_with_all_its_own_and_leaves_the_drums_their_past(full: int) -> None:
    drum = kit.kit(HERE, full)[0]
    delete_session(HERE, full)
    deleted_since("session", 31.0)
    gone = purge_deleted()
    assert gone["session"] == 1
    assert gone["plan"] >= 1
    assert gone["recording"] == 1
    assert gone["audio"] >= 1
    left = counts()
    assert (left["session"], left["recording"], left["plan"], left["share"], left["comment"]) == (
        1,
        0,
        0,
        0,
        0,
    )
    assert left["audio"] == 0
    assert left["drum"] == 3
    past = drum_log(HERE, drum.drum_id)
    assert len(past.readings) == drum.owned.rods, "what was read on it outlives the session"
    assert sum(purge_deleted().values()) == 0


def test_a_sound_that_another_session_has_stays(full: int) -> None:
    other = start_session(HERE, SessionBrief("Same record")).id
    listen.bring_recording(HERE, other, "g.flac", encoded(short_groove(), "FLAC"), "drums")
    delete_session(HERE, full)
    deleted_since("session", 31.0)
    purge_deleted()
    recording = listen.recording_of(HERE, other)
    assert recording is not None
    assert recording.audio_id is not None
    assert listen.sound_info(HERE, other, recording.audio_id).size_bytes > 0


def test_a_drum_goes_with_its_past_and_out_of_every_plan(full: int) -> None:
    drum = kit.kit(HERE, full)[0]
    with engine().begin() as connection:
        connection.execute(
            text("update drum set deleted_at = now() - interval '40 days' where id = :id"),
            {"id": drum.drum_id},
        )
    gone = purge_deleted()
    assert gone["drum"] == 1
    assert gone["measurement"] == drum.owned.rods
    assert drum.id not in {d.id for d in kit.kit(HERE, full)}
    assert latest_plan(HERE, full) is not None
    with pytest.raises(NotFoundError):
        drum_log(HERE, drum.drum_id)


def test_a_head_that_was_on_a_drum_stays_in_its_past(full: int) -> None:
    with engine().begin() as connection:
        connection.execute(text("update head set deleted_at = now() - interval '40 days'"))
    before = count("head")
    assert purge_deleted()["head"] == 0
    assert count("head") == before


def test_a_take_keeps_its_number_when_an_earlier_one_is_gone_for_good(planned: int) -> None:
    drum = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "tom")
    for seed in (1, 2):
        taken(planned, drum, a_take(planned, drum, seed=seed))
    first, _ = match.match(HERE, planned, drum.id).takes
    match.take_away(HERE, planned, drum.id, first.info.id)
    deleted_since("recording", 31.0)
    purge_deleted()
    assert count("recording") == 2, "the record and the second take"
    assert [t.number for t in match.match(HERE, planned, drum.id).takes] == [2]
    downgrade(engine(), "0019")
    migrate(engine())
    taken(planned, drum, a_take(planned, drum, seed=3))
    assert [t.number for t in match.match(HERE, planned, drum.id).takes] == [1, 2]
