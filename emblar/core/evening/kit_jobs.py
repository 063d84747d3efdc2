"""A kit's work as jobs of an evening: every drum's procedure, one after the other.

Conventions
-----------
Nobody works on a drum that somebody else works on: each drum is a resource of its own. What may be
left out (``evening.toml``) hangs next to the chain of what must be done, so that leaving it out
takes nothing else with it but what makes no sense without it.
"""

import tomllib
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources

from emblar.core.acoustics.drum import Kind, Side
from emblar.core.acoustics.limits import head_name
from emblar.core.evening.schedule import Evening, WorkJob
from emblar.core.naming import counted, lower_first
from emblar.core.tuning.procedure import Job, Work, job_texts, jobs

HANDS = "hands"
KEY = "key"
SHOP = "shop"


@dataclass(frozen=True, slots=True)
class LeftOut:
    """What leaving a job out costs in audible steps, and what it settles for, minutes."""

    may_drop: bool = False
    steps_lost: float = 0.0
    settle_minutes: int = 0


@dataclass(frozen=True, slots=True)
class DrumWork:
    """A drum's work: its name, what is to be done, what is done, and what its muffling brings.

    ``dampers_steps`` is by how many audible steps the plan is worse without its muffling.
    """

    name: str
    work: Work
    done: Collection[str] = ()
    dampers_steps: float = 1.0
    to_buy: int = 0
    """Heads that have to be bought before one is fitted."""


@dataclass(frozen=True, slots=True)
class EveningJob:
    """A job of an evening: whose, in words, at which head, by its name in the procedure."""

    work: WorkJob
    drum: str
    what: str
    side: Side | None = None
    text: str = ""


@dataclass(frozen=True, slots=True)
class Shop:
    """The way to the shop and back, when it opens and closes; minutes, from the start."""

    minutes: int
    opens: int
    closes: int


@lru_cache(maxsize=1)
def left_out() -> dict[str, LeftOut]:
    """Return what may be left out, by the job's text."""
    text = (resources.files(__package__) / "evening.toml").read_text(encoding="utf-8")
    return {name: LeftOut(**row) for name, row in tomllib.loads(text)["job"].items()}


def kit_jobs(
    drums: Sequence[DrumWork], shop: Shop | None = None, pace: Mapping[str, float] | None = None
) -> list[EveningJob]:
    """Return the jobs of all drums that are not done yet, and the way to the shop.

    No head that is bought is fitted before it is there. ``pace`` is how many minutes a job takes
    here, by its name, where that is known.
    """
    result = [job for drum in drums for job in _of_drum(drum, pace or {})]
    buying = {drum.name for drum in drums if drum.to_buy}
    waiting = [job for job in result if job.text == "mount" and job.drum in buying]
    if shop is None or not waiting:
        return result
    count = sum(drum.to_buy for drum in drums if drum.name in {job.drum for job in waiting})
    name = f"To the shop: {counted(count, 'head')}"
    way = WorkJob(
        name, shop.minutes, (), (HANDS,), from_minute=max(shop.opens, 0), ends_by=shop.closes
    )
    bought = [
        replace(job, work=replace(job.work, after=(*job.work.after, name)))
        if job in waiting
        else job
        for job in result
    ]
    return [EveningJob(way, SHOP, name), *bought]


def _of_drum(drum: DrumWork, pace: Mapping[str, float]) -> list[EveningJob]:
    result: list[EveningJob] = []
    chain: str | None = None
    last: str | None = None
    for job in jobs(drum.work):
        if job.id in drum.done:
            continue
        row = left_out().get(job.text, left_out().get(job.text.split("-")[0], LeftOut()))
        name = f"{drum.name}: {job_words(drum.work.kind, job)}"
        lost = drum.dampers_steps if job.text == "dampers" else row.steps_lost
        # What listens comes after the muffling; what is left out otherwise takes nothing with it.
        before = last if job.text == "listen" else chain
        settles = row.settle_minutes if job.side in drum.work.changes else 0
        minutes = max(1, round(pace.get(job.name, job.minutes)))
        work = WorkJob(
            name,
            minutes,
            (before,) if before else (),
            _needs(drum, job),
            settles,
            row.may_drop,
            lost if row.may_drop else 0.0,
            (last,) if last else (),
        )
        what = job_words(drum.work.kind, job)
        result.append(EveningJob(work, drum.name, what, job.side, job.text))
        last = name
        if not row.may_drop:
            chain = name
    return result


def job_words(kind: Kind, job: Job) -> str:
    """Return what a job is in a few words: ``bring the reso up to pitch``."""
    head = head_name(kind, job.side) if job.side else ""
    title = job_texts()[job.text].title
    words = title.format(head=head, goal="pitch", other="", made="", dampers="", wires="")
    return lower_first(words)


def _needs(drum: DrumWork, job: Job) -> tuple[str, ...]:
    return (drum.name, HANDS, KEY) if job.tunes else (drum.name, HANDS)


def kit_evening(minutes: int, hands: int, matches: Sequence[EveningJob]) -> Evening:
    """Return the evening of a kit's jobs: hands as given, a key each, one person at a drum.

    Parameters
    ----------
    minutes
        How long there is.
    hands
        How many people.
    matches
        The jobs of every drum.
    """
    units: Mapping[str, int] = {
        HANDS: hands,
        KEY: hands,
        **{job.drum: 1 for job in matches if job.drum != SHOP},
    }
    return Evening(minutes, units, tuple(job.work for job in matches))
