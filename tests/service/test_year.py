"""The made-up year: what was put in is found in its log, and it is put in once."""

import pytest

from emblar.platform.database import transaction
from emblar.platform.studio import HERE
from emblar.service.year import FRESH_CENTS, LIFE, NIGHT_CENTS, SESSIONS, ensure_year
from emblar.steps.kit.actions.saved import use_drum
from emblar.steps.kit.queries.slots import set_wish
from emblar.steps.log.actions.entries import DrumLog, log
from emblar.steps.log.queries.entries import readings
from emblar.steps.plan.actions.planning import plan_kit, replan_drum
from emblar.steps.sessions.actions.editing import SessionBrief, delete_session, start_session
from emblar.steps.sheet.actions import sheet
from tests.kept import Once


def put_in() -> int:
    ensure_year(lambda _: None)
    return 1


@pytest.fixture
def year(database: None, once: Once) -> list[DrumLog]:
    once.made("year", put_in)
    return log(HERE)


def test_a_year_is_put_in_once(year: list[DrumLog]) -> None:
    ensure_year(lambda _: None)
    with transaction() as db:
        count = len(readings(db, HERE.studio_id))
    assert len(year) == 12
    assert count == sum(len(row.readings) for row in year)
    assert 2800 <= count <= 5600
    assert len({r.session for row in year for r in row.readings}) == SESSIONS


def test_drift_is_found_as_it_was_put_in(year: list[DrumLog]) -> None:
    for fresh, put_in in ((False, NIGHT_CENTS), (True, FRESH_CENTS)):
        told = [row.overnight("batter", fresh=fresh) for row in year]
        known = [t for t in told if t is not None]
        assert known
        assert all(abs(t.value - put_in) < 4.0 * t.sd + 0.5 for t in known)
        assert all(t.sd < 6.0 for t in known)


def test_head_life_is_found_as_it_was_put_in(year: list[DrumLog]) -> None:
    for row in year:
        life = row.lives.get(("batter", row.heads[0].construction))
        if life is None:
            continue
        assert life.value == pytest.approx(LIFE[row.drum.owned.kind], abs=max(life.sd, 0.6))
    kinds = {r.drum.owned.kind for r in year for n in r.lives.values() if n is not None}
    assert {"snare", "tom"} <= kinds


def test_a_head_that_is_nearly_spent_is_due(year: list[DrumLog]) -> None:
    for row in year:
        for head, sessions in zip(row.heads, row.used, strict=True):
            if head.removed_at is None and head.side == "batter" and row.lives:
                spent = sessions >= LIFE[row.drum.owned.kind] - 1
                known = row.lives.get((head.side, head.construction)) is not None
                assert (head in row.due) == (spent and known) or not known or sessions == 0


def test_a_head_that_is_due_is_told_in_the_plan_and_bought_anew(year: list[DrumLog]) -> None:
    row = next(r for r in year if any(h.side == "batter" for h in r.due))
    session = start_session(HERE, SessionBrief("Due")).id
    slot = use_drum(HERE, session, row.drum.id)
    same = {"pitch_hz": 190.0, "batter": row.drum.owned.batter}
    with transaction() as db:
        set_wish(db, slot.id, same)
    told = plan_kit(HERE, session).drums[slot.id]
    assert any("is due" in text for text in told.cautions)
    bought = sheet(HERE, session).shopping
    assert any("in place of the one that is due" in line for line in bought)
    again = replan_drum(HERE, session, slot.id, same | {"pitch_hz": 200.0}).drums[slot.id]
    assert any("is due" in text for text in again.cautions), "a change by hand keeps it"
    delete_session(HERE, session)
