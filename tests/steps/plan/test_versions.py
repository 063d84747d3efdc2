"""Plan versions: listed with what changed, taken back in order; what makes a plan out of date."""

from dataclasses import replace

import pytest

from emblar.core.errors import InputError, NotFoundError
from emblar.formats.brief import AskFile
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions import planning as plan
from emblar.steps.plan.actions import ways
from emblar.steps.plan.actions.versions import plan_version, undo_plan, use_version, versions
from emblar.steps.sessions.actions.editing import SessionBrief, brief_of, change_brief, one_session
from emblar.steps.sheet.actions import sheet
from emblar.steps.shelf import actions as shelf
from tests.drums import OWNED_TOM

pytestmark = pytest.mark.usefixtures("database")


def tom_of(session: int) -> KitDrum:
    return next(d for d in kit.kit(HERE, session) if d.owned.kind == "tom")


def shown(session: int, drum_id: int) -> float:
    newest = plan.latest_plan(HERE, session)
    assert newest is not None
    return newest.drums[drum_id].card["pitch"].value


def ask(session: int, **changes: object) -> None:
    info = one_session(HERE, session)
    asked = brief_of(info).model_copy(update=changes)
    change_brief(
        HERE,
        session,
        SessionBrief(info.name, artist=info.artist, ask=AskFile.model_validate(asked.model_dump())),
    )


def test_versions_are_listed_with_what_changed_and_taken_back_one_by_one(planned: int) -> None:
    tom = tom_of(planned)
    for hz in (100.0, 110.0, 120.0):
        plan.replan_drum(HERE, planned, tom.id, {"pitch_hz": hz})
    rows = versions(HERE, planned)
    assert [row.version for row in rows] == [4, 3, 2, 1]
    for row in rows[:3]:
        assert row.says.startswith("Rack 12: pitch changed by hand; batter lugs ")
    assert rows[-1].says == "Kit planned"
    assert shown(planned, tom.id) == pytest.approx(120.0, abs=0.5)
    undo_plan(HERE, planned)
    assert shown(planned, tom.id) == pytest.approx(110.0, abs=0.5)
    assert tom_of(planned).wish == {"pitch_hz": 110.0}, "what was asked by hand goes with it"
    undo_plan(HERE, planned)
    assert shown(planned, tom.id) == pytest.approx(100.0, abs=0.5)
    undo_plan(HERE, planned)
    assert tom_of(planned).wish == {}
    with pytest.raises(InputError, match="no plan before"):
        undo_plan(HERE, planned)
    use_version(HERE, planned, 4)
    assert shown(planned, tom.id) == pytest.approx(120.0, abs=0.5)


def test_undo_after_something_new_goes_to_what_was_there_before_it(planned: int) -> None:
    tom = tom_of(planned)
    plan.replan_drum(HERE, planned, tom.id, {"pitch_hz": 100.0})
    undo_plan(HERE, planned)
    plan.replan_drum(HERE, planned, tom.id, {"pitch_hz": 115.0})
    undo_plan(HERE, planned)
    assert tom_of(planned).wish == {}, "as it was after the first undo"
    with pytest.raises(InputError, match="no plan before"):
        undo_plan(HERE, planned)


def test_a_version_that_is_none_is_told(planned: int) -> None:
    with pytest.raises(NotFoundError, match="no plan 9"):
        plan_version(HERE, planned, 9)


def test_what_a_way_overwrote_comes_back_with_undo(planned: int) -> None:
    tom = tom_of(planned)
    plan.replan_drum(HERE, planned, tom.id, {"batter": "double-coated", "pitch_hz": 110.0})
    before = tom_of(planned).wish
    ways.take_way(HERE, planned, "buy nothing")
    assert tom_of(planned).wish != before
    undo_plan(HERE, planned)
    assert tom_of(planned).wish == before


def test_brief_kit_and_shelf_make_a_plan_out_of_date_until_it_is_planned_again(
    planned: int,
) -> None:
    assert plan.changed_since(HERE, planned) == ()
    ask(planned, style="jazz")
    assert plan.changed_since(HERE, planned) == ("brief",)
    plan.plan_kit(HERE, planned)
    assert plan.changed_since(HERE, planned) == ()
    shelf.add_head(HERE, "double-coated", 12, 1, "fresh")
    tom = tom_of(planned)
    kit.change_drum(HERE, planned, tom.id, replace(OWNED_TOM, depth_in=9))
    assert plan.changed_since(HERE, planned) == ("kit", "shelf")
    plan.plan_kit(HERE, planned)
    assert plan.changed_since(HERE, planned) == ()


def test_the_time_there_is_makes_the_plan_shorter_or_is_said_on_the_sheet(planned: int) -> None:
    whole = sheet(HERE, planned)
    assert whole.available_minutes is None
    ask(planned, minutes=5.0)
    plan.plan_kit(HERE, planned)
    short = sheet(HERE, planned)
    assert short.available_minutes == 5.0
    assert short.minutes is not None
    assert whole.minutes is not None
    assert short.minutes <= whole.minutes
    ask(planned, minutes=600.0)
    plan.plan_kit(HERE, planned)
    assert sheet(HERE, planned).minutes == whole.minutes
