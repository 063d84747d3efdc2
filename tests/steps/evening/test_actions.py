"""Evening: the kit's work from now until the downbeat, less what is done."""

from datetime import UTC, datetime, timedelta

import pytest
from icalendar import Calendar

from emblar.core.errors import InputError
from emblar.core.evening.schedule import schedule
from emblar.core.tuning.procedure import job_texts
from emblar.formats.brief import AskFile
from emblar.formats.evening import evening_plan_file
from emblar.platform.settings import current_time
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.evening.actions import evening, evening_calendar, evening_file
from emblar.steps.evening.page import evening_page
from emblar.steps.kit.actions.drums import kit
from emblar.steps.log.actions.entries import learned_pace
from emblar.steps.plan.actions.planning import changed_since, replan_drum
from emblar.steps.sessions.actions.editing import SessionBrief, brief_of, change_brief, one_session

pytestmark = pytest.mark.usefixtures("database")


def downbeat(session: int, hours: float | None, *, hands: int = 1) -> None:
    info = one_session(HERE, session)
    asked = brief_of(info).model_copy(update={"hands": hands})
    at = current_time().astimezone() + timedelta(hours=hours) if hours is not None else None
    ask = AskFile.model_validate(asked.model_dump())
    change_brief(
        HERE, session, SessionBrief(info.name, artist=info.artist, downbeat_at=at, ask=ask)
    )


def test_the_evening_ends_at_the_downbeat_and_every_job_is_in_it(planned: int) -> None:
    downbeat(planned, 6.0)
    view = evening(HERE, planned)
    assert view.schedule is not None
    assert view.schedule.dropped == ()
    drums = {job.drum for job in view.jobs}
    assert drums == {"Rack 12", "Kick 22", "Snare 14"}
    ends = [view.schedule.starts[j.work.id] + j.work.minutes for j in view.jobs]
    assert max(ends) == int((view.downbeat - view.start).total_seconds() // 60)
    for drum in drums:
        own = [j.work.id for j in view.jobs if j.drum == drum]
        starts = [view.schedule.starts[name] for name in own]
        assert starts == sorted(starts), "the procedure's order"


def test_two_begin_later_than_one(planned: int) -> None:
    downbeat(planned, 6.0)
    alone = evening(HERE, planned).schedule
    downbeat(planned, 6.0, hands=2)
    together = evening(HERE, planned).schedule
    assert alone is not None
    assert together is not None
    assert (together.begin or 0) > (alone.begin or 0)


def test_what_is_done_at_the_bench_is_taken_off(planned: int) -> None:
    downbeat(planned, 6.0)
    before = evening(HERE, planned)
    slot = next(d for d, n in _slots(planned).items() if n == "Rack 12")
    bench.finish_job(HERE, planned, slot, "as-found")
    after = evening(HERE, planned)
    assert len(after.jobs) == len(before.jobs) - 1
    assert after.done["Rack 12"] == 1
    assert not any(j.drum == "Rack 12" and j.text == "as-found" for j in after.jobs)


def _slots(session: int) -> dict[int, str]:
    return {d.id: d.owned.name for d in kit(HERE, session)}


def test_a_short_evening_leaves_out_what_matters_least_and_says_so(planned: int) -> None:
    downbeat(planned, 6.0)
    whole = sum(job.work.minutes for job in evening(HERE, planned).jobs)
    downbeat(planned, (whole - 5) / 60.0)
    view = evening(HERE, planned)
    assert view.schedule is not None
    assert view.schedule.dropped
    page = evening_page(view, planned, {})
    assert "audible steps" in page.sentence
    assert len(page.dropped) == len(view.schedule.dropped)
    downbeat(planned, 0.2)
    page = evening_page(evening(HERE, planned), planned, {})
    assert "What may not be dropped takes" in page.problem


def test_without_a_downbeat_ahead_it_says_what_is_missing(planned: int) -> None:
    downbeat(planned, None)
    with pytest.raises(InputError, match="Say in Brief when the downbeat is"):
        evening(HERE, planned)
    downbeat(planned, -1.0)
    with pytest.raises(InputError, match="downbeat has passed"):
        evening(HERE, planned)


def test_the_file_and_the_calendar_say_the_same(planned: int) -> None:
    downbeat(planned, 6.0)
    view = evening(HERE, planned)
    file = evening_file(view)
    told = evening_plan_file(schedule(file.evening()), file.start)
    assert view.schedule is not None
    assert told.steps_lost == 0.0
    assert set(told.starts) == set(view.schedule.starts)
    events = Calendar.from_ical(evening_calendar(HERE, planned)).walk("VEVENT")
    assert {str(e["summary"]) for e in events} == {*told.starts, "Downbeat"}


def asked(session: int, **changes: object) -> None:
    info = one_session(HERE, session)
    ask = brief_of(info).model_copy(update=changes)
    change_brief(HERE, session, SessionBrief(info.name, downbeat_at=info.downbeat_at, ask=ask))


def test_heads_are_bought_before_they_are_fitted_and_before_the_shop_closes(
    planned: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    noon = datetime(2026, 11, 30, 12, 0).astimezone()
    monkeypatch.setattr("emblar.steps.evening.actions.current_time", lambda: noon)
    tom = next(d for d in kit(HERE, planned) if d.owned.kind == "tom")
    replan_drum(HERE, planned, tom.id, {"batter": "double-coated"})
    change_brief(HERE, planned, SessionBrief("Low Ferry", downbeat_at=noon + timedelta(hours=9)))
    before = {job.work.id for job in evening(HERE, planned).jobs}
    asked(planned, shop_closes="18:30", shop_minutes=50)
    assert changed_since(HERE, planned) == (), "the plan is not older for it"
    view = evening(HERE, planned)
    way = next(job for job in view.jobs if job.drum == "shop")
    assert {job.work.id for job in view.jobs} - before == {way.work.id}
    assert (way.work.minutes, way.work.ends_by, way.work.from_minute) == (50, 390, 0)
    assert view.schedule is not None
    starts = view.schedule.starts
    fitted = [job.work.id for job in view.jobs if job.drum == "Rack 12" and job.text == "mount"]
    assert starts[way.work.id] + 50 <= 390
    assert all(starts[name] >= starts[way.work.id] + 50 for name in fitted)
    told = evening_file(view)
    bought = next(job for job in told.jobs if job.id == way.work.id)
    assert bought.ends_by == datetime(2026, 11, 30, 18, 30)
    assert schedule(told.evening()).starts.keys() == starts.keys()
    asked(planned, shop_closes="12:20", shop_minutes=50)
    assert "too late" in evening(HERE, planned).problem, "it opens again tomorrow at ten"


def test_how_long_jobs_take_is_learned_at_the_bench(
    planned: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = datetime(2026, 11, 1, 12, 0, tzinfo=UTC)

    def done(slot: int, job_id: str, after_minutes: float, *, skip: bool = False) -> None:
        nonlocal clock
        clock += timedelta(minutes=after_minutes)
        monkeypatch.setattr("emblar.steps.bench.actions.tuning.clock", lambda: clock)
        bench.finish_job(HERE, planned, slot, job_id, skip=skip)

    usual = job_texts()["inspect"].minutes
    first, second, third = kit(HERE, planned)
    for drum in (first, second):
        done(drum.id, "as-found", 60 * 24)
        done(drum.id, "inspect", 2.0 * usual)
    assert "inspect" not in learned_pace(HERE), "two cases are too few"
    done(third.id, "as-found", 60 * 24)
    done(third.id, "inspect", 2.0 * usual)
    told = learned_pace(HERE)["inspect"]
    assert (told.value, told.count) == (2.0 * usual, 3)
    assert learned_pace(Studio(2)) == {}
    assert "as-found" not in learned_pace(HERE), "a night between is no work"
    done(first.id, "place", 2.0, skip=True)
    assert "place" not in learned_pace(HERE), "what is skipped takes no time"
