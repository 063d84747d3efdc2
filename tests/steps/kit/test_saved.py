"""Drums that outlive a session: kits from before, copies, borrowed drums, order, two for a part."""

from dataclasses import replace

import pytest
from sqlalchemy import text

from emblar.core.errors import InputError, NotFoundError
from emblar.core.planning.presets import preset_kits
from emblar.platform.database import transaction
from emblar.platform.studio import HERE, Studio
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.actions import saved as kits
from emblar.steps.kit.queries import heads as head_store
from emblar.steps.log.actions import entries as log
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.sessions.actions.home import home
from emblar.steps.shelf import actions as shelf
from tests.drums import OWNED_SNARE, OWNED_TOM

pytestmark = pytest.mark.usefixtures("database")


def names(session: int) -> list[str]:
    return [d.owned.name for d in kit.kit(HERE, session)]


def new_session(name: str = "Second Ferry") -> int:
    return start_session(HERE, SessionBrief(name)).id


def test_the_last_kit_is_brought_with_one_choice_and_the_drums_are_the_same(planned: int) -> None:
    session = new_session()
    last = kits.kit_choices(HERE, without=session)[0]
    assert last.name == "the kit of Low Ferry"
    kits.bring_kit(HERE, session, last.source)
    assert sorted(names(session)) == sorted(names(planned))
    one = kit.kit(HERE, session)[0]
    kit.change_drum(HERE, session, one.id, replace(one.owned, depth_in=9))
    there = next(d for d in kit.kit(HERE, planned) if d.drum_id == one.drum_id)
    assert there.owned.depth_in == 9, "it is one drum in two sessions"
    kit.take_out_drum(HERE, session, one.id)
    assert one.owned.name in names(planned)
    assert [d.id for d in kits.studio_drums(HERE, session)] == [one.drum_id]
    kits.use_drum(HERE, session, one.drum_id)
    assert len(names(session)) == len(names(planned))


@pytest.mark.parametrize("preset", [k.id for k in preset_kits()])
def test_every_kit_to_begin_with_can_be_brought(preset: str) -> None:
    session = new_session()
    brought = kits.bring_kit(HERE, session, f"preset-{preset}")
    wanted = next(k for k in preset_kits() if k.id == preset)
    assert [d.owned for d in brought.added] == list(wanted.drums)


def test_a_kit_is_kept_by_name_and_brought_again(planned: int) -> None:
    kits.save_kit(HERE, planned, " Room A ")
    kits.save_kit(HERE, planned, "Room A")
    session = new_session()
    saved = [c for c in kits.kit_choices(HERE) if c.name == "Room A"]
    assert len(saved) == 1
    kits.bring_kit(HERE, session, saved[0].source)
    assert names(session) == names(planned)
    kits.delete_saved_kit(HERE, int(saved[0].source.partition("-")[2]))
    assert [c for c in kits.kit_choices(HERE) if c.name == "Room A"] == []


@pytest.mark.parametrize("source", ["", "preset-nine-piece", "saved-99", "session-x", "saved-x"])
def test_a_kit_that_is_none_is_told(source: str) -> None:
    session = new_session()
    with pytest.raises(InputError):
        kits.bring_kit(HERE, session, source)
    assert names(session) == []


def test_a_kit_needs_a_name_and_drums(planned: int) -> None:
    with pytest.raises(InputError, match="Give the kit a name"):
        kits.save_kit(HERE, planned, "  ")
    with pytest.raises(InputError, match="no drums"):
        kits.save_kit(HERE, new_session(), "Room A")


def test_a_copy_is_another_drum_with_a_name_of_its_own(planned: int) -> None:
    first = kit.kit(HERE, planned)[0]
    copy = kits.copy_drum(HERE, planned, first.id)
    again = kits.copy_drum(HERE, planned, first.id)
    assert copy.drum_id != first.drum_id
    assert [copy.owned.name, again.owned.name] == ["Rack 12 2", "Rack 12 3"]
    assert replace(copy.owned, name=first.owned.name) == first.owned


def test_a_borrowed_drum_says_whose_it_is(planned: int) -> None:
    drum = kit.kit(HERE, planned)[0]
    changed = kit.change_drum(HERE, planned, drum.id, drum.owned, lent_by=" Quillfeather Rooms ")
    assert changed.lent_by == "Quillfeather Rooms"
    assert kit.change_drum(HERE, planned, drum.id, drum.owned).lent_by == "Quillfeather Rooms"


def test_the_order_is_kept_as_moved(planned: int) -> None:
    before = names(planned)
    first = kit.kit(HERE, planned)[0]
    kits.move_drum(HERE, planned, first.id, 1)
    assert names(planned) == [before[1], before[0], *before[2:]]
    for _ in range(5):
        kits.move_drum(HERE, planned, first.id, 1)
    assert names(planned)[-1] == before[0]


def test_two_snares_may_be_candidates_for_one_part(planned: int) -> None:
    snare = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "snare")
    other = kit.add_drum(HERE, planned, replace(OWNED_SNARE, name="Snare 13", diameter_in=13))
    kit.change_drum(HERE, planned, other.id, other.owned, second_for="snare")
    planned_now = plan.plan_kit(HERE, planned)
    assert {snare.id, other.id} <= set(planned_now.drums)
    assert planned_now.drums[other.id].voice == "snare"
    kit.match_by_size(HERE, planned)
    parts = {d.id: (d.voice, d.also) for d in kit.kit(HERE, planned)}
    assert parts[snare.id] == ("snare", False)
    assert parts[other.id] == ("snare", True)
    kit.assign_voice(HERE, planned, "snare", other.id)
    parts = {d.id: (d.voice, d.also) for d in kit.kit(HERE, planned)}
    assert parts[other.id] == ("snare", False), "now it is the one that plays"
    assert parts[snare.id] == (None, False)


def test_a_snare_is_no_candidate_for_a_tom(planned: int) -> None:
    snare = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "snare")
    with pytest.raises(InputError, match="is a snare; give tom 1"):
        kit.change_drum(HERE, planned, snare.id, snare.owned, second_for="tom-1")


def test_a_fitted_head_comes_off_the_shelf_and_the_old_one_is_worn(planned: int) -> None:
    drum = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "tom")
    loose = shelf.add_head(HERE, "double-coated", 12, 2, "fresh")
    with transaction() as db:
        head_store.fit(db, 1, drum.drum_id, "batter", loose.id, keep_old=True)
    now = next(d for d in kit.kit(HERE, planned) if d.id == drum.id)
    assert now.owned.batter == "double-coated"
    left = {
        (h.owned.construction, h.owned.count, h.owned.condition) for h in shelf.loose_heads(HERE)
    }
    assert left == {("double-coated", 1, "fresh"), (drum.owned.batter, 1, "worn")}
    with transaction() as db:
        life = head_store.fittings(db, drum.drum_id)
        assert [f.construction for f in life if f.side == "batter"] == [
            "double-coated",
            drum.owned.batter,
        ]
        with pytest.raises(NotFoundError, match="not loose"):
            head_store.fit(db, 1, drum.drum_id, "reso", loose.id, keep_old=False)


def test_home_tells_how_far_each_drum_is_and_what_is_next(planned: int) -> None:
    empty = new_session()
    rows = {row.session.id: row for row in home(HERE)}
    assert rows[empty].next == "record"
    assert rows[planned].next == "tune"
    assert {d.how for d in rows[planned].drums} == {"planned"}
    kit.add_drum(HERE, planned, replace(OWNED_TOM, name="Spare"))
    rows = {row.session.id: row for row in home(HERE)}
    assert [d.how for d in rows[planned].drums if d.name == "Spare"] == ["nothing"]


def test_another_studio_finds_nothing_of_this_one(planned: int) -> None:
    with transaction() as db:
        db.execute(text("insert into studio (id, name) overriding system value values (2, 'B')"))
    other = Studio(2)
    drum = kit.kit(HERE, planned)[0]
    assert home(other) == []
    assert kits.kit_choices(other)[0].source.startswith("preset")
    for action in (
        lambda: kit.kit(other, planned),
        lambda: kit.change_drum(other, planned, drum.id, drum.owned),
        lambda: kits.bring_kit(other, planned, "preset-four-piece"),
        lambda: kits.bring_kit(
            other, start_session(other, SessionBrief("B")).id, f"session-{planned}"
        ),
        lambda: kits.use_drum(other, start_session(other, SessionBrief("C")).id, drum.drum_id),
        lambda: plan.plan_kit(other, planned),
    ):
        with pytest.raises(NotFoundError):
            action()
    shelf.add_head(HERE, "double-coated", 12, 2, "fresh")
    assert shelf.loose_heads(other) == []


def test_undoing_a_match_leaves_candidates_as_they_were(planned: int) -> None:
    snare = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "snare")
    other = kit.add_drum(HERE, planned, replace(OWNED_SNARE, name="Snare 13", diameter_in=13))
    kit.change_drum(HERE, planned, other.id, other.owned, second_for="snare")
    before = kit.parts_of(kit.kit(HERE, planned))
    kit.match_by_size(HERE, planned)
    kit.give_back(HERE, planned, before)
    parts = {d.id: (d.voice, d.also) for d in kit.kit(HERE, planned)}
    assert parts[snare.id] == ("snare", False)
    assert parts[other.id] == ("snare", True)


def test_saying_that_a_kick_has_no_front_puts_no_head_on_the_shelf(planned: int) -> None:
    kick = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "kick")
    for _ in range(2):
        kit.change_drum(HERE, planned, kick.id, replace(kick.owned, reso=None, port_in=None))
        kit.change_drum(HERE, planned, kick.id, kick.owned)
    assert shelf.loose_heads(HERE) == []


def test_a_preset_pressed_twice_adds_its_drums_once_and_can_be_undone() -> None:
    session = new_session()
    source = kits.kit_choices(HERE, without=session)[0].source
    first = kits.bring_kit(HERE, session, source)
    assert len(first.added) == len(names(session)) == 4
    again = kits.bring_kit(HERE, session, source)
    assert (again.added, len(names(session))) == ((), 4)
    kits.undo_kit(HERE, session, [d.id for d in first.added], first.removed)
    assert names(session) == []
    assert kits.studio_drums(HERE, session) == [], "drums that were new with the kit go with it"


def test_a_kit_put_in_place_of_another_comes_back_by_undo(planned: int) -> None:
    before = sorted(names(planned))
    preset = preset_kits()[0]
    change = kits.bring_kit(HERE, planned, f"preset-{preset.id}", replace_kit=True)
    assert sorted(names(planned)) == sorted(d.owned.name for d in change.added) or change.removed
    assert not set(change.removed) & {d.id for d in kit.kit(HERE, planned)}
    kits.undo_kit(HERE, planned, [d.id for d in change.added], change.removed)
    assert sorted(names(planned)) == before


def test_a_drum_of_a_preset_that_the_studio_has_is_that_drum() -> None:
    preset = preset_kits()[0]
    one, other = new_session("One"), new_session("Other")
    first = kits.bring_kit(HERE, one, f"preset-{preset.id}")
    second = kits.bring_kit(HERE, other, f"preset-{preset.id}")
    assert [d.drum_id for d in second.added] == [d.drum_id for d in first.added]


def test_two_drums_have_two_names(planned: int) -> None:
    with pytest.raises(InputError, match="already have a drum named “rack 12”"):
        kit.add_drum(HERE, planned, replace(OWNED_TOM, name="rack 12"))
    other = kit.add_drum(HERE, planned, replace(OWNED_TOM, name="Rack 12 B"))
    with pytest.raises(InputError, match="already have a drum"):
        kit.change_drum(HERE, planned, other.id, replace(OWNED_TOM, name=" Rack 12 "))
    kit.change_drum(HERE, planned, other.id, replace(OWNED_TOM, name="Rack 12 b", depth_in=9))
    copies = [kits.copy_drum(HERE, planned, other.id).owned.name for _ in range(2)]
    assert len({*copies, "Rack 12 b", "Rack 12"}) == 4


def test_a_deleted_drum_is_in_no_list_until_that_is_undone(planned: int) -> None:
    drum = kit.kit(HERE, planned)[0]
    assert kit.delete_drum(HERE, drum.drum_id) == drum.owned.name
    assert drum.owned.name not in names(planned)
    assert drum.drum_id not in [row.drum.id for row in log.log(HERE)]
    assert drum.drum_id not in [d.id for d in kits.studio_drums(HERE, planned)]
    kit.restore_drum(HERE, drum.drum_id)
    assert drum.owned.name in names(planned)
    with pytest.raises(NotFoundError):
        kit.delete_drum(Studio(2), drum.drum_id)
