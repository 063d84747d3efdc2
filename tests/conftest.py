"""What many tests need: the demo song, measured once; a real PostgreSQL, emptied for each test."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from emblar.core.analysis.analyse import Analysis, analyse
from emblar.core.analysis.audio import Audio
from emblar.core.synthesis.low_ferry import render_low_ferry
from emblar.core.synthesis.song import Performance
from emblar.service.postgres import OwnPostgres
from emblar.settings import settings
from emblar.store.database import engine
from emblar.store.migrate import migrate


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
                "truncate session, audio, reference, evidence, drum, plan, shelf_head, own_part,"
                " procrastinate_jobs,"
                " procrastinate_workers restart identity cascade"
            )
        )
    yield
