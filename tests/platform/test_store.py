from contextlib import ExitStack
from datetime import UTC, datetime, timedelta

import psycopg
import pytest
from sqlalchemy import text

from emblar.core.errors import NotFoundError, ServiceError
from emblar.platform import audio, sessions
from emblar.platform.database import engine, service_error, transaction
from emblar.platform.migrate import downgrade, migrate
from emblar.platform.studio import HERE, Studio
from emblar.steps.kit.queries import slots as kit
from emblar.steps.listen import queries as recordings
from emblar.steps.listen.queue import defer_measuring
from emblar.steps.plan import queries as plans
from tests.drums import OWNED_KICK, OWNED_TOM

pytestmark = pytest.mark.usefixtures("database")


def new_session(name: str = "Low Ferry") -> int:
    with transaction() as db:
        return sessions.create(db, 1, name=name).id


def add_session(studio: Studio, name: str) -> int:
    with studio.work() as db:
        return sessions.create(db, studio.studio_id, name=name).id


def test_a_deleted_session_is_gone_from_the_list_and_can_be_brought_back() -> None:
    kept, gone = new_session("Kept"), new_session("Gone")
    with transaction() as db:
        sessions.delete(db, 1, gone)
    with transaction() as db:
        assert [s.id for s in sessions.listing(db, 1)] == [kept]
        with pytest.raises(NotFoundError, match="may have been deleted"):
            sessions.get(db, 1, gone)
    with transaction() as db:
        sessions.restore(db, 1, gone)
        assert {s.id for s in sessions.listing(db, 1)} == {kept, gone}


def test_after_thirty_days_a_deleted_session_does_not_come_back() -> None:
    gone = new_session()
    long_ago = datetime.now(UTC) - timedelta(days=31)
    with transaction() as db:
        db.execute(text("update session set deleted_at = :at"), {"at": long_ago})
    with transaction() as db, pytest.raises(NotFoundError, match="30 days"):
        sessions.restore(db, 1, gone)


def test_the_same_sound_is_kept_once_and_read_in_ranges() -> None:
    data = bytes(range(256)) * 4000
    with transaction() as db:
        first = audio.keep(db, data, "audio/flac")
        assert audio.keep(db, data, "audio/flac") == first
    with transaction() as db:
        assert audio.info(db, first).size_bytes == len(data)
        assert audio.read(db, first, 256, 4) == bytes([0, 1, 2, 3])
        assert audio.read(db, first, 0, len(data)) == data
        with pytest.raises(NotFoundError, match="not here any more"):
            audio.read(db, 999, 0, 1)


def test_a_voice_is_played_by_one_drum_at_a_time() -> None:
    session = new_session()
    with transaction() as db:
        first = kit.add(db, session, OWNED_TOM, "tom-1")
        second = kit.add(db, session, OWNED_TOM, None)
        kit.assign(db, second.id, "tom-1")
    with transaction() as db:
        assert kit.get(db, session, first.id).voice is None
        assert kit.get(db, session, second.id).voice == "tom-1"


def test_a_drum_taken_out_comes_back_without_a_voice_that_was_given_away() -> None:
    session = new_session()
    with transaction() as db:
        first = kit.add(db, session, OWNED_TOM, "tom-1")
        kit.delete(db, session, first.id)
        kit.add(db, session, OWNED_TOM, "tom-1")
    with transaction() as db:
        assert len(kit.listing(db, session)) == 1
        assert kit.restore(db, session, first.id).voice is None
        assert len(kit.listing(db, session)) == 2


def test_a_drum_survives_being_stored() -> None:
    session = new_session()
    with transaction() as db:
        drum = kit.add(db, session, OWNED_KICK, "kick")
        kit.set_wish(db, drum.id, {"relation": "equal"})
    with transaction() as db:
        again = kit.get(db, session, drum.id)
    assert again.owned == OWNED_KICK
    assert again.wish == {"relation": "equal"}


def test_plans_are_kept_as_versions() -> None:
    session = new_session()
    with transaction() as db:
        assert plans.latest(db, session) is None
        plans.add(db, session, {"a": 1})
        assert plans.add(db, session, {"a": 2}).version == 2
    with transaction() as db:
        newest = plans.latest(db, session)
        assert newest is not None
        assert newest.document == {"a": 2}
        assert sessions.listing(db, 1)[0].plan_version == 2


def recording_of(session: int) -> int:
    with transaction() as db:
        sound = audio.keep(db, b"sound", "audio/flac")
        return recordings.create(
            db, session_id=session, audio_id=sound, filename="x.flac", kind="auto"
        ).id


def test_a_cancelled_analysis_keeps_nothing() -> None:
    recording = recording_of(new_session())
    with transaction() as db:
        assert recordings.start(db, recording, most_attempts=4) is not None
        recordings.cancel(db, recording)
    with transaction() as db:
        assert not recordings.progress(db, recording, "measuring", 0.5)
        assert not recordings.finish(db, recording, analysis={}, peaks={}, version=1)
        assert recordings.start(db, recording, most_attempts=4) is None


def test_a_failed_analysis_lets_its_sound_go() -> None:
    recording = recording_of(new_session())
    with transaction() as db:
        recordings.start(db, recording, most_attempts=4)
        recordings.fail(db, recording, "No drum stroke was found.", keep=False)
    with transaction() as db:
        assert recordings.get(db, recording).message == "No drum stroke was found."
        assert db.execute(text("select count(*) from audio")).scalar() == 0


def test_an_error_in_a_transaction_saves_nothing() -> None:
    with pytest.raises(RuntimeError, match="midway"), transaction() as db:
        sessions.create(db, 1, name="Half")
        raise RuntimeError("midway")
    with transaction() as db:
        assert sessions.listing(db, 1) == []


def test_what_is_done_together_is_kept_together_or_not_at_all() -> None:
    kept = new_session()
    with pytest.raises(ValueError, match="half way"), HERE.together() as unit:
        add_session(unit, "Gone")
        with unit.together() as inner, inner.work() as db:
            # What was done before in the same whole is seen.
            assert len(sessions.listing(db, 1)) == 2
        raise ValueError("half way")
    with transaction() as db:
        assert [s.id for s in sessions.listing(db, 1)] == [kept]
    with HERE.together() as unit:
        more = [add_session(unit, name) for name in ("One", "Two")]
    with transaction() as db:
        assert {s.id for s in sessions.listing(db, 1)} == {kept, *more}


def test_a_references_version_changes_with_every_change_of_it_and_of_no_other() -> None:
    session = new_session()
    with transaction() as db:
        sound = audio.keep(db, b"x" * 100, "audio/flac")
        one, other = (
            recordings.create(
                db, session_id=session, audio_id=sound, filename=name, kind="drums"
            ).id
            for name in ("one.flac", "other.flac")
        )
    seen = []
    for share in (0.1, 0.2, 0.3):
        with transaction() as db:
            recordings.start(db, one, most_attempts=4)
            recordings.progress(db, one, "reading", share)
        with transaction() as db:
            seen.append(recordings.versions(db, [one, other]))
    assert len({row[one] for row in seen}) == 3
    assert len({row[other] for row in seen}) == 1


def test_migrations_go_down_and_up_again_with_data() -> None:
    new_session()
    try:
        downgrade(engine(), "base")
        with engine().connect() as connection:
            left = connection.execute(
                text("select tablename from pg_tables where schemaname = 'public'")
            ).scalars()
            assert set(left) == {"alembic_version"}
    finally:
        migrate(engine())
    migrate(engine())
    assert new_session() == 1


def test_jobs_are_queued_on_connections_of_before_a_migration() -> None:
    def queue_jobs_on_each_connection() -> None:
        session = new_session()
        with transaction() as db:
            sound = audio.keep(db, b"sound", "audio/flac")
            recording = recordings.create(
                db, session_id=session, audio_id=sound, filename="a.flac", kind="drums"
            )
        with ExitStack() as stack:
            sessions_open = [stack.enter_context(transaction()) for _ in range(4)]
            for db in sessions_open:
                db.connection()
            for db in sessions_open:
                # After five times the driver prepares the statement and remembers its types.
                for _ in range(8):
                    defer_measuring(db, recording.id)

    queue_jobs_on_each_connection()
    downgrade(engine(), "base")
    migrate(engine())
    queue_jobs_on_each_connection()


def test_a_job_that_cannot_be_queued_is_an_error_in_words() -> None:
    session = new_session()
    with pytest.raises(ServiceError, match="does not answer"), transaction() as db:
        sound = audio.keep(db, b"sound", "audio/flac")
        recording = recordings.create(
            db, session_id=session, audio_id=sound, filename="a.flac", kind="drums"
        )
        db.execute(text("alter table procrastinate_jobs rename to elsewhere"))
        defer_measuring(db, recording.id)


def test_a_full_disk_and_a_lost_database_are_told_apart() -> None:
    full = service_error(psycopg.errors.DiskFull())
    assert "disk is full" in str(full)
    assert "does not answer" in str(service_error(None))
    assert isinstance(full, ServiceError)
