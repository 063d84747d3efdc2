"""The last step at the bench undone, whatever it was, and the shelf as it was before."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.errors import InputError
from emblar.platform.database import transaction
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.undo import undo
from emblar.steps.bench.actions.way_back import go_back
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries import heads
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.match.actions import comparison as match
from emblar.steps.plan.actions import planning as plan
from emblar.steps.shelf import actions as shelf
from tests.steps.match.test_comparison import a_take, taken


@pytest.fixture
def tom(planned: int) -> KitDrum:
    return next(d for d in kit(HERE, planned) if d.owned.kind == "tom")


def another_head(session: int, tom: KitDrum) -> str:
    """Plan another batter than is on the tom; return it."""
    made = next(
        c.id for c in SHIPPED.constructions_for("tom", "batter") if c.id != tom.owned.batter
    )
    plan.replan_drum(HERE, session, tom.id, {"batter": made})
    return made


def loose() -> set[tuple[str, str, int]]:
    with transaction() as db:
        found = heads.loose(db, HERE.studio_id)
        return {(h.owned.construction, h.owned.condition, h.owned.count) for h in found}


def read(session: int, tom: KitDrum, off: float = -60.0) -> None:
    now = bench.bench(HERE, session, tom.id).heads["batter"]
    hz = now.planned_hz * 2.0 ** (off / 1200.0)
    bench.type_readings(HERE, session, tom.id, "batter", [hz] * tom.owned.rods)


def test_a_job_done_after_a_reading_is_undone_before_it(planned: int, tom: KitDrum) -> None:
    read(planned, tom)
    bench.finish_job(HERE, planned, tom.id, "even-batter")
    assert undo(HERE, planned, tom.id) == "“even batter” is open again"
    assert bench.bench(HERE, planned, tom.id).heads["batter"].unread == ()
    assert "readings removed" in undo(HERE, planned, tom.id)


def test_a_reading_after_a_job_is_undone_before_it(planned: int, tom: KitDrum) -> None:
    bench.finish_job(HERE, planned, tom.id, "inspect")
    read(planned, tom)
    assert "readings removed" in undo(HERE, planned, tom.id)
    assert undo(HERE, planned, tom.id) == "“inspect” is open again"


@pytest.mark.parametrize("in_stock", [0, 2])
def test_a_head_that_was_mounted_comes_off_again(planned: int, tom: KitDrum, in_stock: int) -> None:
    made = another_head(planned, tom)
    if in_stock:
        shelf.add_head(HERE, made, tom.owned.diameter_in, in_stock, "fresh")
    before, stood = loose(), bench.bench(HERE, planned, tom.id).heads["batter"].made
    marks = plan.changed_since(HERE, planned)
    bench.finish_job(HERE, planned, tom.id, "mount-batter")
    assert loose() != before
    assert undo(HERE, planned, tom.id) == "“mount batter” is open again"
    now = bench.bench(HERE, planned, tom.id)
    assert loose() == before
    assert now.heads["batter"].made == stood
    assert "mount-batter" in {job.id for job in now.jobs if job.id not in now.done}
    assert plan.changed_since(HERE, planned) == marks


def test_a_head_is_mounted_once_however_often_it_is_said(planned: int, tom: KitDrum) -> None:
    made = another_head(planned, tom)
    shelf.add_head(HERE, made, tom.owned.diameter_in, 2, "fresh")

    def mounted(_: int) -> None:
        bench.finish_job(HERE, planned, tom.id, "mount-batter")

    bench.bench(HERE, planned, tom.id)
    with ThreadPoolExecutor(4) as presses:
        list(presses.map(mounted, range(4)))
    bench.show_job(HERE, planned, tom.id, "mount-batter")
    assert "mount-batter" in {job.id for job in bench.bench(HERE, planned, tom.id).jobs}
    bench.finish_job(HERE, planned, tom.id, "mount-batter", note="seated")
    assert (made, "fresh", 1) in loose()
    assert bench.bench(HERE, planned, tom.id).done["mount-batter"].note == "seated"


def test_the_freshest_head_of_the_shelf_is_mounted(planned: int, tom: KitDrum) -> None:
    made = another_head(planned, tom)
    for condition in ("worn", "used", "fresh"):
        shelf.add_head(HERE, made, tom.owned.diameter_in, 1, condition)
    bench.finish_job(HERE, planned, tom.id, "mount-batter")
    assert {condition for m, condition, _ in loose() if m == made} == {"worn", "used"}


def test_a_head_that_has_been_used_elsewhere_since_is_told(planned: int, tom: KitDrum) -> None:
    another_head(planned, tom)
    bench.finish_job(HERE, planned, tom.id, "mount-batter")
    with transaction() as db:
        (old,) = heads.loose(db, HERE.studio_id)
        heads.delete_loose(db, HERE.studio_id, old.id)
    with pytest.raises(InputError, match="not on the shelf any more"):
        undo(HERE, planned, tom.id)
    assert "mount-batter" in bench.bench(HERE, planned, tom.id).done, "nothing was changed"


def test_a_way_back_that_was_gone_is_undone_whole(planned: int, tom: KitDrum) -> None:
    read(planned, tom)
    there = bench.bench(HERE, planned, tom.id).setup.id
    bench.turned(HERE, planned, tom.id, "batter")
    match.note_change(HERE, planned, tom.id, "damper", "gel-pad")
    read(planned, tom, 0.0)
    bench.finish_job(HERE, planned, tom.id, "even-batter")
    before = bench.bench(HERE, planned, tom.id)
    go_back(HERE, planned, tom.id, there)
    assert bench.bench(HERE, planned, tom.id).back_to is not None
    assert "the way back" in undo(HERE, planned, tom.id)
    now = bench.bench(HERE, planned, tom.id)
    assert (now.setup, now.back_to, now.done) == (before.setup, None, before.done)
    assert now.heads["batter"].goal_hz == before.heads["batter"].goal_hz
    assert undo(HERE, planned, tom.id) == "“even batter” is open again"


def test_dampers_laid_on_by_a_job_or_in_match_come_off_again(planned: int, tom: KitDrum) -> None:
    read(planned, tom)
    first = bench.bench(HERE, planned, tom.id).setup.id
    match.note_change(HERE, planned, tom.id, "damper", "gel-pad")
    assert bench.bench(HERE, planned, tom.id).setup.id != first
    assert "the last change" in undo(HERE, planned, tom.id)
    assert bench.bench(HERE, planned, tom.id).setup.id == first


def test_what_a_take_was_made_of_is_not_undone_under_it(planned: int, tom: KitDrum) -> None:
    read(planned, tom)
    bench.turned(HERE, planned, tom.id, "batter")
    taken(planned, tom, a_take(planned, tom))
    setup = bench.bench(HERE, planned, tom.id).setup
    with pytest.raises(InputError, match="Remove that take in Match"):
        undo(HERE, planned, tom.id)
    assert bench.bench(HERE, planned, tom.id).setup == setup
