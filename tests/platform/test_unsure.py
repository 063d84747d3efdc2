"""A database that goes away: before the save nothing is saved, during it nobody knows."""

from collections.abc import Iterator

import psycopg
import pytest
from sqlalchemy import event, text
from sqlalchemy.exc import OperationalError

from emblar.core.errors import ServiceError
from emblar.platform.database import engine, transaction


def gone(*_: object) -> None:
    raise OperationalError("commit", {}, psycopg.OperationalError("server closed the connection"))


@pytest.fixture
def gone_while_saving(database: None) -> Iterator[None]:
    event.listen(engine(), "commit", gone)
    yield
    event.remove(engine(), "commit", gone)


def test_gone_while_saving_it_is_not_claimed_that_nothing_was_saved(
    gone_while_saving: None,
) -> None:
    with pytest.raises(ServiceError, match="may be saved or not"), transaction() as db:
        db.execute(text("select 1"))


def test_gone_before_that_it_is_said_that_nothing_was_saved(database: None) -> None:
    with pytest.raises(ServiceError, match="this was not saved"), transaction():
        gone()
