"""Links: what they show, how they end, and how what is said becomes a wish."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from emblar.core.errors import EmblarError, InputError, NotFoundError
from emblar.platform.database import engine
from emblar.platform.studio import HERE, Studio
from emblar.steps.kit.actions.drums import kit
from emblar.steps.plan.actions.planning import latest_plan
from emblar.steps.sessions.actions.editing import SessionBrief, delete_session, start_session
from emblar.steps.share import actions as share


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[datetime]]:
    """The time it is taken to be, to be set by the test."""
    told = [datetime.now(UTC)]
    monkeypatch.setattr(share, "current_time", lambda: told[0])
    yield told


def link(session: int, *parts: str, days: int = 7) -> str:
    return share.make_share(HERE, session, "Wren", parts or share.PARTS, days)


def snare(session: int) -> int:
    return next(d.id for d in kit(HERE, session) if d.owned.kind == "snare")


def test_a_link_is_counted_expires_and_ends(planned: int, clock: list[datetime]) -> None:
    token = link(planned, days=2)
    assert share.open_share(token, count=True).session_id == planned
    share.open_share(token)
    assert [s.opened for s in share.shares(HERE, planned)] == [1]
    clock[0] += timedelta(days=2, seconds=1)
    with pytest.raises(NotFoundError, match="ended"):
        share.open_share(token)
    assert share.shares(HERE, planned) == []
    again = link(planned)
    share.end_share(HERE, planned, share.shares(HERE, planned)[0].id)
    with pytest.raises(NotFoundError):
        share.open_share(again)


def test_a_deleted_session_is_shown_to_nobody(planned: int) -> None:
    token = link(planned)
    delete_session(HERE, planned)
    with pytest.raises(NotFoundError):
        share.open_share(token)


def test_the_token_itself_is_not_kept(planned: int) -> None:
    token = link(planned)
    with engine().connect() as connection:
        rows = connection.execute(text("select s::text from share s")).scalars().all()
    assert rows
    assert all(token not in row for row in rows)


@pytest.mark.parametrize("token", ["", "x", "ä" * 20, "a" * 500, "../etc", "%00"])
def test_what_is_no_token_opens_nothing(planned: int, token: str) -> None:
    link(planned)
    with pytest.raises(NotFoundError):
        share.open_share(token)


def test_what_is_said_becomes_a_wish_once_it_is_taken_up(planned: int) -> None:
    opened, drum = share.open_share(link(planned)), snare(planned)
    share.say(opened, drum, "Wren", "It disappears.", "attack", more=True)
    before = latest_plan(HERE, planned)
    (said,) = share.comments_on(HERE, planned)
    assert (said.drum, said.link, said.comment.text) == ("Snare 14", "Wren", "It disappears.")
    assert before is not None
    assert latest_plan(HERE, planned) == before, "nothing changes until then"
    share.accept(HERE, planned, said.comment.id)
    wish = next(d for d in kit(HERE, planned) if d.id == drum).wish
    assert wish["steps"] == {"attack": share.HEARD_STEPS}
    after = latest_plan(HERE, planned)
    assert after is not None
    assert after.version == before.version + 1
    with pytest.raises(InputError, match="accepted already"):
        share.accept(HERE, planned, said.comment.id)
    assert latest_plan(HERE, planned) == after


def test_taken_up_by_two_at_once_counts_once(planned: int) -> None:
    share.say(share.open_share(link(planned)), snare(planned), "Wren", "", "ring", more=False)
    (said,) = share.comments_on(HERE, planned)

    def take_up(_: int) -> bool:
        try:
            share.accept(HERE, planned, said.comment.id)
        except EmblarError:
            return False
        return True

    with ThreadPoolExecutor(4) as pool:
        assert sum(pool.map(take_up, range(4))) == 1
    wish = next(d for d in kit(HERE, planned) if d.id == snare(planned)).wish
    assert wish["steps"] == {"ring": -share.HEARD_STEPS}


def test_what_is_set_aside_changes_nothing(planned: int) -> None:
    share.say(share.open_share(link(planned)), snare(planned), "Wren", "Nice.", "", more=True)
    (said,) = share.comments_on(HERE, planned)
    before = latest_plan(HERE, planned)
    share.set_aside(HERE, planned, said.comment.id)
    assert latest_plan(HERE, planned) == before
    assert share.comments_on(HERE, planned)[0].comment.state == share.ASIDE


def test_a_link_belongs_to_its_session_and_studio(planned: int) -> None:
    other = start_session(HERE, SessionBrief("Other")).id
    opened = share.open_share(link(other))
    with pytest.raises(NotFoundError):
        share.say(opened, snare(planned), "Wren", "x", "", more=True)
    share.say(share.open_share(link(planned)), snare(planned), "Wren", "x", "", more=True)
    comment = share.comments_on(HERE, planned)[0].comment.id
    for studio, session in ((HERE, other), (Studio(2), planned)):
        with pytest.raises(NotFoundError):
            share.accept(studio, session, comment)
        with pytest.raises(NotFoundError):
            share.end_share(studio, session, share.shares(HERE, planned)[0].id)


@pytest.mark.parametrize(
    ("name", "parts", "days", "says"),
    [
        ("", ("sheet",), 7, "for whom"),
        ("x" * 99, ("sheet",), 7, "letters"),
        ("Wren", (), 7, "what the link shows"),
        ("Wren", ("sheet", "log"), 7, "what the link shows"),
        ("Wren", ("sheet",), 0, "1 to 30"),
        ("Wren", ("sheet",), 400, "1 to 30"),
    ],
)
def test_a_link_that_makes_no_sense_is_not_made(
    planned: int, name: str, parts: tuple[str, ...], days: int, says: str
) -> None:
    with pytest.raises(InputError, match=says):
        share.make_share(HERE, planned, name, parts, days)
    assert share.shares(HERE, planned) == []


def test_nobody_can_say_too_much_or_nothing(planned: int, monkeypatch: pytest.MonkeyPatch) -> None:
    opened, drum = share.open_share(link(planned)), snare(planned)
    monkeypatch.setattr(share, "MOST_COMMENTS", 2)
    for who, said, quantity, says in (
        ("", "x", "", "name"),
        ("Wren", "", "", "Say something"),
        ("Wren", "x" * 999, "", "letters"),
        ("Wren", "", "volume", "more or less"),
    ):
        with pytest.raises(InputError, match=says):
            share.say(opened, drum, who, said, quantity, more=True)
    for _ in range(2):
        share.say(opened, drum, "Wren", "x", "", more=True)
    with pytest.raises(InputError, match="Enough"):
        share.say(opened, drum, "Wren", "x", "", more=True)
