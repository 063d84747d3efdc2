"""What many tests need: the demo song, measured once; a real PostgreSQL, emptied for each test."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

# Two test processes on two cores: numpy's own threads would only be in each other's way.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import hypothesis
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from emblar.app import create_app
from emblar.core.analysis.pipeline import Analysis, analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.synthesis.low_ferry import render_low_ferry
from emblar.core.synthesis.song import Performance
from emblar.platform.database import engine
from emblar.platform.migrate import migrate
from emblar.platform.postgres import OwnPostgres
from emblar.platform.settings import settings
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM
from tests.kept import Once
from tests.recordings import encoded, short_groove

# The same examples in every run: a green suite stays green until the code changes.
hypothesis.settings.register_profile("same", derandomize=True, deadline=None)
hypothesis.settings.load_profile("same")


@pytest.fixture(scope="session")
def song() -> Performance:
    return render_low_ferry()


@pytest.fixture(scope="session")
def song_analysis(song: Performance) -> Analysis:
    return analyse(Audio(song.samples, song.sample_rate_hz))


@pytest.fixture(scope="session")
def postgres_url() -> Iterator[str]:
    """A server of our own in a folder that any user can reach, migrated."""
    home = Path(tempfile.mkdtemp(prefix="emblar-test-"))
    home.chmod(0o755)
    server = OwnPostgres(home)
    server.start()
    os.environ["EMBLAR_DATABASE_URL"] = server.url
    settings.cache_clear()
    migrate(engine())
    yield server.url
    engine().dispose()
    server.stop()
    shutil.rmtree(home)


@pytest.fixture
def database(postgres_url: str) -> Iterator[None]:
    """The migrated database, empty."""
    with engine().begin() as connection:
        connection.execute(
            text(
                "truncate session, audio, recording, evidence, drum, head, plan, own_part,"
                " saved_kit, submission, practice, account, invitation, login_attempt,"
                " procrastinate_jobs,"
                " procrastinate_workers restart identity cascade"
            )
        )
        connection.execute(text("delete from studio where id > 1"))
    yield


@pytest.fixture(scope="session")
def once(postgres_url: str) -> Once:
    """What takes long to make is made once and put back for every test that needs it."""
    return Once()


@pytest.fixture(scope="session")
def groove() -> bytes:
    """A short groove as a FLAC file."""
    return encoded(short_groove(), "FLAC")


@pytest.fixture
def heard(database: None, once: Once, groove: bytes) -> int:
    """A session whose record is the groove, analysed."""

    def make() -> int:
        session = start_session(HERE, SessionBrief("Low Ferry", artist="The Tin Orchard")).id
        recording = listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
        listen.run_analysis(recording.id)
        return session

    return once.made("heard", make)


@pytest.fixture
def planned(database: None, once: Once, groove: bytes) -> int:
    """That session with a kick, a snare and a tom, planned."""

    def make() -> int:
        session = start_session(HERE, SessionBrief("Low Ferry", artist="The Tin Orchard")).id
        recording = listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
        listen.run_analysis(recording.id)
        for owned in (OWNED_TOM, OWNED_KICK, OWNED_SNARE):
            kit.add_drum(HERE, session, owned)
        plan.plan_kit(HERE, session)
        return session

    return once.made("planned", make)


@pytest.fixture
def client() -> Iterator[TestClient]:
    with TestClient(create_app(), base_url="http://127.0.0.1", follow_redirects=True) as client:
        yield client


@pytest.fixture
def session() -> int:
    return start_session(HERE, SessionBrief("Low Ferry", artist="The Tin Orchard")).id
