"""Evening: the jobs in the order of the clock, and as a timeline."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from markupsafe import Markup

from emblar.core.evening.kit_jobs import SHOP, EveningJob
from emblar.core.naming import counted
from emblar.core.tuning.procedure import job_texts
from emblar.steps.evening.actions import EveningView
from emblar.steps.evening.drawing.timeline import Bar, ticks, timeline


@dataclass(frozen=True, slots=True)
class EveningRow:
    """One job: when, what, whose, how long, and whether it may be left out at what cost."""

    time: str
    what: str
    drum: str
    minutes: str
    may_drop: str
    href: str


@dataclass(frozen=True, slots=True)
class EveningPage:
    """Everything the Evening page shows."""

    sentence: str
    problem: str
    rows: tuple[EveningRow, ...]
    dropped: tuple[str, ...]
    drawing: Markup | None
    done: tuple[str, ...]
    pace: tuple[str, ...] = ()
    """Jobs that take other minutes here than usual."""


def evening_page(view: EveningView, session_id: int, slots: dict[str, int]) -> EveningPage:
    """Return the page.

    Parameters
    ----------
    view
        The evening.
    slots
        The kit's drums by name, for links to the bench.
    """
    by_id = {job.work.id: job for job in view.jobs}
    done = tuple(
        f"{drum}: {counted(count, 'job')} done" for drum, count in view.done.items() if count
    )
    if view.schedule is None:
        return EveningPage("", view.problem, (), (), None, done)
    starts = view.schedule.starts
    if not starts:
        return EveningPage("All of it is done. Enjoy the take.", "", (), (), None, done)
    first = min(starts.values())
    rows = [_row(by_id[name], view, minute, session_id, slots) for name, minute in starts.items()]
    dropped = tuple(
        f"{_words(by_id[name])}, {by_id[name].drum}: {by_id[name].work.steps_lost:.1f} steps"
        for name in view.schedule.dropped
    )
    return EveningPage(
        _sentence(view, first),
        "",
        tuple(rows),
        dropped,
        _drawing(view, by_id, first),
        done,
        _pace(view),
    )


def _pace(view: EveningView) -> tuple[str, ...]:
    """Return the jobs whose minutes come from the log, where that makes a difference."""
    usual = job_texts()
    return tuple(
        f"{name.replace('-', ' ').capitalize()}: {minutes:.0f} min, usually "
        f"{usual[name].minutes:.0f}; from {counted(count, 'job')} at your bench."
        for name, minutes, count in view.pace
        if round(minutes) != round(usual[name].minutes)
    )


def _sentence(view: EveningView, first: int) -> str:
    assert view.schedule is not None
    hands = "one pair of hands" if view.hands == 1 else f"{view.hands} pairs of hands"
    begins = view.start + timedelta(minutes=first)
    known = f"Begin at {_clock(begins, view)} at the latest, with {hands}"
    if view.schedule.dropped:
        left = counted(len(view.schedule.dropped), "job")
        return f"{known}; {left} left out cost {view.schedule.steps_lost:.1f} audible steps."
    return f"{known}: everything is done by the downbeat at {_clock(view.downbeat, view)}."


def _clock(time: datetime, view: EveningView) -> str:
    return f"{time:%H:%M}" if time.date() == view.downbeat.date() else f"{time:%a %H:%M}"


def _words(job: EveningJob) -> str:
    return job.what[:1].upper() + job.what[1:]


def _row(
    job: EveningJob, view: EveningView, minute: int, session_id: int, slots: dict[str, int]
) -> EveningRow:
    cost = f"may be left out: {job.work.steps_lost:.1f} steps" if job.work.may_drop else ""
    slot = slots.get(job.drum)
    href = f"/sessions/{session_id}/bench?sel=d{slot}" if slot is not None else ""
    time = _clock(view.start + timedelta(minutes=minute), view)
    drum = "" if job.drum == SHOP else job.drum
    return EveningRow(time, _words(job), drum, f"{job.work.minutes} min", cost, href)


def _drawing(view: EveningView, by_id: dict[str, EveningJob], first: int) -> Markup:
    assert view.schedule is not None
    length = (view.downbeat - view.start).total_seconds() / 60.0 - first
    bars = [
        Bar(
            by_id[name].drum,
            minute - first,
            by_id[name].work.minutes,
            by_id[name].side or "",
            _job_words(by_id[name], view, minute),
        )
        for name, minute in view.schedule.starts.items()
    ]
    order = {job.drum: place for place, job in enumerate(view.jobs)}
    bars.sort(key=lambda bar: (order[bar.drum], bar.start))
    begin = view.start + timedelta(minutes=first)
    step = ticks(length)
    offset = -(begin.hour * 60 + begin.minute) % step
    marks = []
    while offset < length:
        marks.append((offset, f"{begin + timedelta(minutes=offset):%H:%M}"))
        offset += step
    return timeline(bars, length, marks)


def _job_words(job: EveningJob, view: EveningView, minute: int) -> str:
    time = _clock(view.start + timedelta(minutes=minute), view)
    return f"{time} {_words(job)}, {job.drum}, {job.work.minutes} min"
