"""Evening: the session's work from now until the downbeat."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import Catalogue
from emblar.core.errors import EmblarError, InputError
from emblar.core.evening.kit_jobs import DrumWork, EveningJob, Shop, kit_evening, kit_jobs
from emblar.core.evening.schedule import Schedule, schedule
from emblar.core.planning.kick_window import kick_manner
from emblar.core.tuning.procedure import Work
from emblar.formats.bench import BenchFile
from emblar.formats.brief import AskFile
from emblar.formats.evening import EveningFile, EveningJobFile, evening_ics, evening_plan_file
from emblar.formats.plan import DrumPlanFile
from emblar.formats.stored import lenient
from emblar.platform.settings import current_time
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench import queries as bench_store
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.log.actions.entries import learned_pace
from emblar.steps.plan.actions.planning import latest_plan
from emblar.steps.sessions.actions.editing import brief_of, one_session
from emblar.steps.sheet.actions import to_buy

LONGEST = timedelta(hours=36)
NO_DOWNBEAT = "Say in Brief when the downbeat is: the evening is planned backwards from it."
TOO_LATE = "The downbeat has passed. Give a new one in Brief to plan what is left."
NO_PLAN = "Nothing is planned yet, so there is no work to plan. Plan the kit first."


@dataclass(frozen=True, slots=True)
class EveningView:
    """The work until the downbeat: when it starts, the jobs, and their schedule or why not."""

    start: datetime
    downbeat: datetime
    hands: int
    jobs: tuple[EveningJob, ...]
    done: dict[str, int]
    """How many jobs of each drum are done."""
    schedule: Schedule | None
    problem: str = ""
    pace: tuple[tuple[str, float, int], ...] = ()
    """Jobs that take other minutes here than planned with: name, minutes, from how many."""


def evening(studio: Studio, session_id: int) -> EveningView:
    """Return the work of a session from now until its downbeat.

    Raises
    ------
    InputError
        There is no plan, or no downbeat that lies ahead.
    """
    session = one_session(studio, session_id)
    plan, request = latest_plan(studio, session_id), brief_of(session)
    if plan is None or not plan.drums:
        raise InputError(NO_PLAN)
    if session.downbeat_at is None:
        raise InputError(NO_DOWNBEAT)
    downbeat = session.downbeat_at.astimezone().replace(second=0, microsecond=0)
    start = (current_time().astimezone() + timedelta(seconds=59)).replace(second=0, microsecond=0)
    if downbeat <= start:
        raise InputError(TOO_LATE)
    start = max(start, downbeat - LONGEST)
    drums = [(d, plan.drums[d.id]) for d in kit(studio, session_id) if d.id in plan.drums]
    with in_session(studio, session_id) as db:
        files = [
            lenient(BenchFile, bench_store.get(db, session_id, d.drum_id), "The work so far")
            for d, _ in drums
        ]
    catalogue = studio.catalogue()
    work = [
        _work(catalogue, drum, file, frozenset(jobs.jobs))
        for (drum, file), jobs in zip(drums, files, strict=True)
    ]
    jobs = learned_pace(studio)
    pace = {name: row.value for name, row in jobs.items()}
    result = tuple(kit_jobs(work, _shop(request, start), pace))
    done = {drum.name: len(drum.done) for drum in work}
    minutes = int((downbeat - start).total_seconds() // 60)
    told_pace = tuple((name, row.value, row.count) for name, row in jobs.items())
    try:
        known = _scheduled(minutes, request.hands, result)
    except EmblarError as error:
        return EveningView(
            start, downbeat, request.hands, result, done, None, str(error), told_pace
        )
    return EveningView(start, downbeat, request.hands, result, done, known, pace=told_pace)


@lru_cache(maxsize=128)
def _scheduled(minutes: int, hands: int, jobs: tuple[EveningJob, ...]) -> Schedule:
    """Return the best schedule; the same evening looked at twice in a minute is solved once."""
    return schedule(kit_evening(minutes, hands, jobs))


def _work(
    catalogue: Catalogue, drum: KitDrum, plan: DrumPlanFile, done: frozenset[str]
) -> DrumWork:
    pairs: tuple[tuple[Side, str | None, str | None], ...] = (
        ("reso", plan.reso, drum.owned.reso),
        ("batter", plan.batter, drum.owned.batter),
    )
    changes: dict[Side, bool] = {
        side: catalogue.construction(head).may_crack_collar
        for side, head, current in pairs
        if head is not None and (head != current or f"mount-{side}" in done)
    }
    off = plan.reso is None and drum.owned.reso is not None
    kick = None
    if plan.kind == "kick":
        kick = kick_manner(drum.owned.diameter_in, plan.prediction.lug_hz.batter)
    work = Work(plan.kind, changes, plan.reso is not None, bool(plan.dampers), off, kick)
    scores = [
        reason.numbers["score_without"] - reason.numbers["score"]
        for reason in plan.reasons
        if reason.about == "damper" and "score_without" in reason.numbers
    ]
    steps = max(sum(scores), 0.1)
    return DrumWork(drum.owned.name, work, done, steps, len(to_buy(catalogue, drum, plan)))


def _shop(brief: AskFile, start: datetime) -> Shop | None:
    """Return the way to the shop if somebody goes: its next hours, as Brief has them."""
    if not brief.shop_closes:
        return None
    opens, closes = (_time_of(start, text) for text in (brief.shop_opens, brief.shop_closes))
    if closes <= start:
        opens, closes = opens + timedelta(days=1), closes + timedelta(days=1)
    return Shop(brief.shop_minutes, _minutes(start, opens), _minutes(start, closes))


def _time_of(day: datetime, clock: str) -> datetime:
    hour, minute = (int(part) for part in clock.split(":"))
    return day.replace(hour=hour, minute=minute)


def _minutes(start: datetime, time: datetime) -> int:
    return int((time - start).total_seconds() // 60)


def evening_file(view: EveningView) -> EveningFile:
    """Return an evening as ``emblar.evening/1``, times of this machine."""
    result = kit_evening(1, view.hands, view.jobs)
    return EveningFile(
        start=view.start.replace(tzinfo=None),
        downbeat=view.downbeat.replace(tzinfo=None),
        resources=dict(result.resources),
        jobs=[
            EveningJobFile(
                id=job.id,
                minutes=job.minutes,
                after=list(job.after),
                needs=list(job.needs),
                settle_minutes=job.settle_minutes,
                may_drop=job.may_drop,
                steps_lost=job.steps_lost,
                follows=list(job.follows),
                from_time=_clock_of(view, job.from_minute or None),
                ends_by=_clock_of(view, job.ends_by),
            )
            for job in result.jobs
        ],
    )


def _clock_of(view: EveningView, minute: int | None) -> datetime | None:
    return None if minute is None else view.start.replace(tzinfo=None) + timedelta(minutes=minute)


def evening_calendar(studio: Studio, session_id: int) -> bytes:
    """Return a session's evening as an iCalendar file.

    Raises
    ------
    InputError
        It does not fit; the message says what would help.
    """
    view = evening(studio, session_id)
    if view.schedule is None:
        raise InputError(view.problem)
    file = evening_file(view)
    return evening_ics(file, evening_plan_file(view.schedule, file.start))
