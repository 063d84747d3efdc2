from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from emblar.actions.scope import HERE
from emblar.actions.sessions import Brief, start_session
from emblar.web.app import create_app


@pytest.fixture
def client() -> Iterator[TestClient]:
    with TestClient(create_app(), base_url="http://127.0.0.1", follow_redirects=True) as found:
        yield found


@pytest.fixture
def session() -> int:
    return start_session(HERE, Brief("Low Ferry", artist="The Tin Orchard")).id
