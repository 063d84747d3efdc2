"""Work whose worker, job or database was lost: taken up again, a bounded number of times."""

import pytest
from sqlalchemy import text

from emblar.core.errors import InputError, ServiceError
from emblar.platform.database import transaction
from emblar.platform.studio import HERE
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.queries import RecordingInfo
from emblar.steps.sessions.actions.editing import SessionBrief, start_session

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture
def brought(groove: bytes) -> RecordingInfo:
    session = start_session(HERE, SessionBrief("Low Ferry")).id
    return listen.bring_recording(HERE, session, "groove.flac", groove, "drums")


def state(recording: RecordingInfo) -> RecordingInfo:
    return listen.one_recording(HERE, recording.session_id, recording.id)


def jobs() -> int:
    with transaction() as db:
        query = "select count(*) from procrastinate_jobs where status = 'todo'"
        return int(db.execute(text(query)).scalar_one())


def lose_jobs() -> None:
    with transaction() as db:
        db.execute(text("update procrastinate_jobs set status = 'failed'"))


def fails(monkeypatch: pytest.MonkeyPatch, error: Exception) -> None:
    def decode(_: bytes) -> None:
        raise error

    monkeypatch.setattr(listen, "decode", decode)


def test_an_analysis_whose_database_was_lost_runs_again(
    brought: RecordingInfo, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as lost:
        fails(lost, ServiceError("The database does not answer."))
        with pytest.raises(ServiceError):
            listen.run_analysis(brought.id)
    assert state(brought).state == "running"
    lose_jobs()
    assert listen.take_up_lost() == 1
    assert jobs() == 1
    assert listen.take_up_lost() == 0, "it has a job again"
    listen.run_analysis(brought.id)
    assert state(brought).state == "done"


def test_what_never_gets_done_ends_and_keeps_its_sound(
    brought: RecordingInfo, monkeypatch: pytest.MonkeyPatch
) -> None:
    fails(monkeypatch, ServiceError("The database does not answer."))
    for _ in range(listen.MOST_ATTEMPTS):
        with pytest.raises(ServiceError):
            listen.run_analysis(brought.id)
    listen.run_analysis(brought.id)
    ended = state(brought)
    assert ended.state == "failed"
    assert "The recording is kept" in ended.message
    assert ended.audio_id is not None


def test_an_error_of_ours_keeps_the_upload_and_it_is_analysed_again(
    brought: RecordingInfo, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as broken:
        fails(broken, ZeroDivisionError())
        listen.run_analysis(brought.id)
    assert state(brought).state == "failed"
    assert state(brought).audio_id is not None
    again = listen.analyse_again(HERE, brought.session_id, brought.id)
    assert (again.state, again.attempts) == ("waiting", 0)
    with pytest.raises(InputError, match="already"):
        listen.analyse_again(HERE, brought.session_id, brought.id)
    listen.run_analysis(brought.id)
    assert state(brought).state == "done"


@pytest.mark.parametrize(
    ("change", "readable"),
    [
        ("analysis = analysis || '{\"mood\": 3}'", True),
        ("analysis = analysis #- '{voices,0,length_s}'", True),
        ("analysis = analysis - 'decided'", True),
        ("analysis = analysis - 'hits'", False),
        ("analysis = '{}'", False),
    ],
)
def test_a_stored_analysis_is_read_leniently_or_offered_to_be_made_again(
    heard: int, change: str, readable: bool
) -> None:
    with transaction() as db:
        db.execute(text(f"update recording set {change}"))
    assert (listen.analysed_record(HERE, heard) is not None) is readable
    left = listen.unreadable_recordings(HERE, heard)
    assert len(left) == (not readable)
    if left:
        listen.analyse_again(HERE, heard, left[0].id)
        listen.run_analysis(left[0].id)
        assert listen.analysed_record(HERE, heard) is not None
