"""Songs that share a kit: each keeps its plan, or gives up little where that saves minutes."""

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.errors import InputError, NotFoundError
from emblar.core.evening.setlist import Change, SetDrum, Song, minute_worth, plan_setlist
from emblar.platform.database import transaction
from emblar.platform.studio import HERE, Studio
from emblar.platform.tables import RecordingRow
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.actions.saved import bring_kit
from emblar.steps.kit.queries import slots
from emblar.steps.listen import queries as recordings
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.setlist.actions import planned_songs, setlist, turns_of


def another_song(first: int, name: str, wish: dict[str, object]) -> int:
    """A session on the same kit and record, every drum asked for otherwise."""
    session = start_session(HERE, SessionBrief(name)).id
    bring_kit(HERE, session, f"session-{first}")
    with transaction() as db:
        info = recordings.latest(db, first)
        assert info is not None
        row = db.get(RecordingRow, info.id)
        assert row is not None
        values = {c.name: getattr(row, c.name) for c in RecordingRow.__table__.columns}
        for gone in ("id", "created_at", "updated_at"):
            del values[gone]
        db.add(RecordingRow(**{**values, "session_id": session}))
    parts = {d.drum_id: d.voice for d in kit(HERE, first)}
    with transaction() as db:
        for drum in kit(HERE, session):
            slots.assign(db, drum.id, parts[drum.drum_id])
    plan.plan_kit(HERE, session)
    for drum in kit(HERE, session):
        plan.replan_drum(HERE, session, drum.id, wish)
    return session


def test_two_songs_alike_need_no_change(planned: int) -> None:
    other = another_song(planned, "Salt Road", {})
    told = setlist(HERE, [planned, other], free_order=False).result
    assert told.minutes == pytest.approx(0.0, abs=0.5)
    assert told.steps == pytest.approx(0.0, abs=0.5)


def test_a_song_gives_up_no_more_than_the_minutes_are_worth(planned: int) -> None:
    other = another_song(planned, "Salt Road", {"steps": {"length": -3.0, "ring": -3.0}})
    found = setlist(HERE, [planned, other], free_order=True)
    kept = sum(
        found.requests[i].offers[key][index].steps
        for i, row in zip(found.result.order, found.result.chosen, strict=True)
        for key, index in row.items()
    )
    assert kept == pytest.approx(found.result.steps)
    drums = {key: SetDrum(o.kind, o.rods) for key, o in found.drums.items()}
    only = [Song(s.name, {key: rows[:1] for key, rows in s.offers.items()}) for s in found.requests]
    each = plan_setlist(SHIPPED, drums, only, free_order=True)
    assert found.result.score <= each.score + 1e-9
    assert each.steps == 0.0
    assert each.score == pytest.approx(minute_worth() * each.minutes)


def test_turns_go_the_way_of_the_pitch(planned: int) -> None:
    other = another_song(planned, "Salt Road", {})
    found = setlist(HERE, [planned, other], free_order=False)
    for key, owned in found.drums.items():
        setup = found.requests[0].offers[key][0].setup
        for by in (-80.0, 80.0):
            turns = turns_of(SHIPPED, owned, setup, Change(1.0, tuned={"batter": by}))["batter"]
            assert turns * by > 0.0
            assert 0.01 < abs(turns) < 3.0


def test_what_cannot_be_played_is_said(planned: int) -> None:
    assert [s.id for s in planned_songs(HERE)] == [planned]
    empty = start_session(HERE, SessionBrief("Empty")).id
    with pytest.raises(InputError, match="two songs at least"):
        setlist(HERE, [planned], free_order=False)
    with pytest.raises(InputError, match="“Empty” is not planned"):
        setlist(HERE, [planned, empty], free_order=False)
    with pytest.raises(NotFoundError):
        setlist(Studio(2), [planned, empty], free_order=False)
