"""A kit's work as jobs of an evening."""

from emblar.core.evening.kit_jobs import SHOP, DrumWork, Shop, kit_jobs
from emblar.core.tuning.procedure import Work

NEW = Work("tom", {"batter": True}, has_reso=True, damped=True)
OLD = Work("tom", {}, has_reso=True, damped=True)


def test_a_pace_of_ones_own_counts_for_the_job_on_either_head() -> None:
    usual = {job.work.id: job.work.minutes for job in kit_jobs([DrumWork("Rack", NEW)])}
    own = {
        job.work.id: job.work.minutes
        for job in kit_jobs([DrumWork("Rack", NEW)], None, {"even": 17.4})
    }
    changed = {name for name in usual if usual[name] != own[name]}
    assert len(changed) == 2
    assert {own[name] for name in changed} == {17}


def test_only_heads_that_are_bought_wait_for_the_shop() -> None:
    buys, has = DrumWork("Rack", NEW, to_buy=1), DrumWork("Floor", NEW)
    found = kit_jobs([buys, has], Shop(40, 0, 300))
    way = found[0]
    assert (way.drum, way.work.minutes, way.work.ends_by) == (SHOP, 40, 300)
    waiting = {job.drum for job in found if way.work.id in job.work.after}
    assert waiting == {"Rack"}
    assert way.work.id == "To the shop: 1 head"


def test_nobody_goes_to_the_shop_for_nothing() -> None:
    for drums in ([DrumWork("Rack", NEW)], [DrumWork("Rack", OLD, to_buy=1)]):
        assert all(job.drum != SHOP for job in kit_jobs(drums, Shop(40, 0, 300)))
    bought = DrumWork("Rack", NEW, done={"mount-batter"}, to_buy=1)
    assert all(job.drum != SHOP for job in kit_jobs([bought], Shop(40, 0, 300)))
