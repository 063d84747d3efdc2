"""``emblar.evening/1`` in, ``emblar.evening-plan/1`` and iCalendar out."""

from datetime import datetime, timedelta
from typing import Literal, Self

from icalendar import Calendar, Event
from pydantic import Field, model_validator

from emblar.core.evening.schedule import Evening, Schedule, WorkJob
from emblar.formats.codec import Strict

LONGEST_NAME = 120


class EveningJobFile(Strict):
    """One job: whole minutes, what it waits for, what it takes while it lasts."""

    id: str = Field(min_length=1, max_length=LONGEST_NAME)
    minutes: int = Field(ge=0, le=1440)
    after: list[str] = Field(default_factory=list)
    needs: list[str] = Field(default_factory=list)
    settle_minutes: int = Field(default=0, ge=0, le=10080)
    may_drop: bool = False
    steps_lost: float = Field(default=0.0, ge=0.0, le=1000.0)
    """What leaving it out costs, in audible steps."""
    follows: list[str] = Field(default_factory=list)
    """Jobs that come before it where they are done at all; dropping them takes nothing with it."""
    from_time: datetime | None = None
    ends_by: datetime | None = None
    """From when on it can be done, and by when it has to be: as a shop opens and closes."""

    def job(self, start: datetime) -> WorkJob:
        """Return the job for the scheduler, for an evening that starts then."""

        def minute(time: datetime) -> int:
            return int((time - start).total_seconds() // 60)

        opens = 0 if self.from_time is None else max(minute(self.from_time), 0)
        by = None if self.ends_by is None else minute(self.ends_by)
        return WorkJob(
            self.id,
            self.minutes,
            tuple(self.after),
            tuple(dict.fromkeys(self.needs)),
            self.settle_minutes,
            self.may_drop,
            self.steps_lost,
            tuple(self.follows),
            opens,
            by,
        )


class EveningFile(Strict):
    """An evening: from when until the downbeat, who and what is there, and the jobs."""

    schema_: Literal["emblar.evening/1"] = Field(default="emblar.evening/1", alias="schema")
    start: datetime
    downbeat: datetime
    resources: dict[str, int] = Field(default_factory=dict)
    jobs: list[EveningJobFile]

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        if (self.start.tzinfo is None) != (self.downbeat.tzinfo is None):
            raise ValueError("downbeat: give a time zone for both times, or for neither")
        if self.downbeat <= self.start:
            raise ValueError("downbeat: it must lie after the start")
        for job in self.jobs:
            for time in (job.from_time, job.ends_by):
                if time is not None and (time.tzinfo is None) != (self.start.tzinfo is None):
                    raise ValueError(f"jobs: give “{job.id}” times as the start has them")
        for name, units in self.resources.items():
            if not 0 <= units <= 100:
                raise ValueError(f"resources: {name} is {units}; 0 to 100")
        return self

    def evening(self) -> Evening:
        """Return the evening for the scheduler."""
        minutes = int((self.downbeat - self.start).total_seconds() // 60)
        return Evening(minutes, self.resources, tuple(job.job(self.start) for job in self.jobs))


class EveningPlanFile(Strict):
    """When each job starts, what is dropped and what that costs."""

    schema_: Literal["emblar.evening-plan/1"] = Field(
        default="emblar.evening-plan/1", alias="schema"
    )
    starts: dict[str, str]
    dropped: list[str]
    steps_lost: float
    begin: str | None
    """When the first job starts; null if there is none."""


def evening_plan_file(result: Schedule, start: datetime) -> EveningPlanFile:
    """Return a schedule as written to a file."""

    def time_at(minute: int) -> str:
        return (start + timedelta(minutes=minute)).isoformat(timespec="minutes")

    begin = result.begin
    return EveningPlanFile(
        starts={name: time_at(minute) for name, minute in result.starts.items()},
        dropped=list(result.dropped),
        steps_lost=round(result.steps_lost, 3),
        begin=time_at(begin) if begin is not None else None,
    )


def evening_ics(file: EveningFile, plan: EveningPlanFile) -> bytes:
    """Return an evening's jobs as an iCalendar file, the downbeat at its end."""
    calendar = Calendar()
    calendar.add("prodid", "-//Emblar//Evening//EN")
    calendar.add("version", "2.0")
    minutes = {job.id: job.minutes for job in file.jobs}
    for name, starts in plan.starts.items():
        begins = datetime.fromisoformat(starts)
        _add(calendar, name, begins, begins + timedelta(minutes=minutes[name]))
    _add(calendar, "Downbeat", file.downbeat, file.downbeat + timedelta(minutes=1))
    return bytes(calendar.to_ical())


def _add(calendar: Calendar, name: str, begins: datetime, ends: datetime) -> None:
    event = Event()
    event.add("uid", f"{name.replace(' ', '-')}-{begins:%Y%m%dT%H%M}@emblar")
    event.add("dtstamp", begins)
    event.add("summary", name)
    event.add("dtstart", begins)
    event.add("dtend", ends)
    calendar.add_component(event)
