"""When to do which job, so that everything is done by the downbeat.

Conventions
-----------
Times are whole minutes from the start of the evening. A job takes one unit of each of its needs for
all of its minutes; a job that waits for another starts no sooner than that one's end plus the time
it settles. A job that waits for a dropped one is dropped, too. Best is: fewest audible steps lost,
then the latest begin. Solved exactly by CP-SAT (constraint programming over optional intervals).
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ortools.sat.python import cp_model

from emblar.core.errors import InputError, NoSolutionError

STEP_PARTS = 1000
"""Audible steps are counted in thousandths."""
LONGEST_SEARCH_S = 20.0
TIDYING_S = 0.6
WORKERS = 2
MOST_JOBS = 500
LONGEST_EVENING_MIN = 14 * 24 * 60


@dataclass(frozen=True, slots=True)
class WorkJob:
    """One job.

    Parameters
    ----------
    id
        Its name, each once.
    minutes, settle_minutes
        How long it takes, and how long what waits for it has to wait beyond its end.
    after, follows
        Jobs that must be done before; jobs that come before where they are done at all.
    needs
        Resources of which it takes one unit each.
    may_drop, steps_lost
        Whether it may be left out, and what that costs in audible steps.
    from_minute, ends_by
        From when on it can be done, and by when it has to be, minutes from the start, as a shop
        opens and closes; any time before the downbeat if left out.
    """

    id: str
    minutes: int
    after: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    settle_minutes: int = 0
    may_drop: bool = False
    steps_lost: float = 0.0
    follows: tuple[str, ...] = ()
    from_minute: int = 0
    ends_by: int | None = None


@dataclass(frozen=True, slots=True)
class Evening:
    """What is to be done: minutes until the downbeat, units of each resource, and the jobs."""

    minutes: int
    resources: Mapping[str, int]
    jobs: tuple[WorkJob, ...]


@dataclass(frozen=True, slots=True)
class Schedule:
    """When each job starts (minutes from the start), and which are dropped at what loss."""

    starts: dict[str, int]
    dropped: tuple[str, ...]
    steps_lost: float

    @property
    def begin(self) -> int | None:
        """Return when the first job starts, None if there is none."""
        return min(self.starts.values(), default=None)


def schedule(evening: Evening) -> Schedule:
    """Return the best schedule of an evening.

    Raises
    ------
    InputError
        Jobs are named twice, wait for unknown jobs or for each other, or need what there is not.
    NoSolutionError
        What may not be dropped does not fit; the message says by how much and what would help.
    """
    check(evening)
    model = _Model(evening, evening.minutes)
    lost = model.least_lost()
    if lost is None:
        raise NoSolutionError(_what_cannot_fit(evening))
    return model.latest_begin(lost)


def check(evening: Evening) -> None:
    """Check that an evening makes sense.

    Raises
    ------
    InputError
        It does not; the message names the job.
    """
    if not 1 <= evening.minutes <= LONGEST_EVENING_MIN:
        raise InputError("downbeat: it must lie after the start, and within two weeks of it.")
    if len(evening.jobs) > MOST_JOBS:
        raise InputError(f"jobs: {len(evening.jobs)} are too many; {MOST_JOBS} at most.")
    known: set[str] = set()
    for job in evening.jobs:
        if job.id in known:
            raise InputError(f"jobs: “{job.id}” is there twice; give each its own name.")
        known.add(job.id)
    for job in evening.jobs:
        for other in (*job.after, *job.follows):
            if other not in known:
                raise InputError(f"jobs: “{job.id}” waits for “{other}”, which is no job.")
        for need in job.needs:
            if evening.resources.get(need, 0) < 1:
                raise InputError(f"jobs: “{job.id}” needs “{need}”, and there is none.")
    _check_cycles(evening.jobs)


def _check_cycles(jobs: Sequence[WorkJob]) -> None:
    after = {job.id: (*job.after, *job.follows) for job in jobs}
    done: set[str] = set()

    def visit(name: str, way: tuple[str, ...]) -> None:
        if name in way:
            circle = " → ".join((*way[way.index(name) :], name))
            raise InputError(f"jobs: these wait for each other: {circle}.")
        if name in done:
            return
        for other in after[name]:
            visit(other, (*way, name))
        done.add(name)

    for job in jobs:
        visit(job.id, ())


class _Model:
    """The evening as a constraint model up to a horizon in minutes."""

    def __init__(self, evening: Evening, horizon: int, *, only_kept: bool = False) -> None:
        self.evening, self.horizon = evening, horizon
        self.model = cp_model.CpModel()
        self.start: dict[str, cp_model.IntVar] = {}
        self.kept: dict[str, cp_model.IntVar] = {}
        intervals: dict[str, cp_model.IntervalVar] = {}
        for job in evening.jobs:
            start = self.model.new_int_var(0, horizon, f"start {job.id}")
            kept = self.model.new_bool_var(f"kept {job.id}")
            end = self.model.new_int_var(0, horizon, f"end {job.id}")
            intervals[job.id] = self.model.new_optional_interval_var(
                start, job.minutes, end, kept, job.id
            )
            if not job.may_drop:
                self.model.add(kept == 1)
            elif only_kept:
                self.model.add(kept == 0)
            if job.from_minute > 0:
                self.model.add(start >= job.from_minute).only_enforce_if(kept)
            if job.ends_by is not None:
                self.model.add(end <= job.ends_by).only_enforce_if(kept)
            self.start[job.id], self.kept[job.id] = start, kept
        by_id = {job.id: job for job in evening.jobs}
        for job in evening.jobs:
            for name in job.after:
                before = by_id[name]
                self.model.add_implication(self.kept[job.id], self.kept[name])
                ready = self.start[name] + before.minutes + before.settle_minutes
                self.model.add(self.start[job.id] >= ready).only_enforce_if(self.kept[job.id])
            for name in job.follows:
                ready = self.start[name] + by_id[name].minutes
                both = [self.kept[job.id], self.kept[name]]
                self.model.add(self.start[job.id] >= ready).only_enforce_if(both)
        for need, units in evening.resources.items():
            members = [intervals[job.id] for job in evening.jobs if need in job.needs]
            if members and units == 1:
                self.model.add_no_overlap(members)
            elif members:
                self.model.add_cumulative(members, [1] * len(members), units)
        self.lost = sum(
            round(job.steps_lost * STEP_PARTS) * (1 - self.kept[job.id]) for job in evening.jobs
        )

    def _solved(self, longest_s: float = LONGEST_SEARCH_S) -> cp_model.CpSolver | None:
        solver = cp_model.CpSolver()
        solver.parameters.random_seed = 1
        # Once it has caught Ctrl-C, nobody else of this process hears it any more.
        solver.parameters.catch_sigint_signal = False
        solver.parameters.num_workers = WORKERS
        # Evenings are tight: reasoning about energy proves in a second what search does not.
        solver.parameters.linearization_level = 2
        solver.parameters.use_overload_checker_in_cumulative = True
        solver.parameters.use_timetable_edge_finding_in_cumulative = True
        solver.parameters.max_time_in_seconds = longest_s
        status = solver.solve(self.model)
        return solver if status in (cp_model.OPTIMAL, cp_model.FEASIBLE) else None

    def least_lost(self) -> int | None:
        """Return the least loss in thousandths of a step; None where what must be does not fit."""
        self.model.minimize(self.lost)
        solver = self._solved()
        return round(solver.objective_value) if solver is not None else None

    def latest_begin(self, lost: int) -> Schedule:
        """Return the schedule that begins latest at a loss; of as good ones the fullest."""
        self.model.add(self.lost <= lost)
        begin = self.model.new_int_var(0, self.horizon, "begin")
        for name, start in self.start.items():
            self.model.add(begin <= start).only_enforce_if(self.kept[name])
            # A dropped job's start is no one's business.
            self.model.add(start == 0).only_enforce_if(self.kept[name].negated())
        for need, units in self.evening.resources.items():
            # All of a resource's work lies between the begin and the downbeat.
            members = [job for job in self.evening.jobs if need in job.needs]
            work = sum(job.minutes * self.kept[job.id] for job in members)
            self.model.add(units * (self.horizon - begin) >= work)
        self.model.maximize(begin)
        solver = self._solved()
        if solver is None:
            raise NoSolutionError("No schedule was found in time. Leave some jobs out.")
        result = self._read_solution(solver)
        self.model.add(begin >= solver.value(begin))
        for kept in (self._with_free(result), result.starts):
            # One thing finished before the next is begun, where that ends as well.
            in_order = _in_order(self.evening, kept)
            begins = min(in_order.values(), default=0)
            if (
                result.begin is not None
                and begins >= result.begin
                and _in_time(self.evening, in_order)
            ):
                return self._schedule(in_order)
        for name, start in self.start.items():
            self.model.add_hint(start, solver.value(start))
            self.model.add_hint(self.kept[name], solver.value(self.kept[name]))
        # As good ones: the fewest dropped, one thing finished before the next is begun, and early.
        dropped = sum(1 - kept for kept in self.kept.values())
        most = len(self.start) * self.horizon + 1
        held = self._held()
        self.model.minimize((dropped * most + held) * most + sum(self.start.values()))
        tidied = self._solved(TIDYING_S)
        return self._read_solution(tidied) if tidied is not None else result

    def _held(self) -> Any:
        """Return for how many minutes what there is one of is held together, first to last job."""
        total: Any = 0
        for need, units in self.evening.resources.items():
            members = [job for job in self.evening.jobs if need in job.needs]
            if units != 1 or len(members) < 2 or len(members) == len(self.evening.jobs):
                continue
            first = self.model.new_int_var(0, self.horizon, f"first {need}")
            last = self.model.new_int_var(0, self.horizon, f"last {need}")
            for job in members:
                kept = self.kept[job.id]
                self.model.add(first <= self.start[job.id]).only_enforce_if(kept)
                self.model.add(last >= self.start[job.id] + job.minutes).only_enforce_if(kept)
            total += last - first
        return total

    def earliest_end(self, job: WorkJob) -> int | None:
        """Return the least minute at which a job can be done, None if it was not found in time."""
        self.model.minimize(self.start[job.id])
        solver = self._solved()
        return solver.value(self.start[job.id]) + job.minutes if solver is not None else None

    def shortest(self) -> int | None:
        """Return the least minutes in which all of it is done, None if it was not found in time."""
        last = self.model.new_int_var(0, self.horizon, "last")
        for job in self.evening.jobs:
            end = self.start[job.id] + job.minutes
            self.model.add(last >= end).only_enforce_if(self.kept[job.id])
        self.model.minimize(last)
        solver = self._solved()
        return solver.value(last) if solver is not None else None

    def _with_free(self, plan: Schedule) -> list[str]:
        """Return what is done, and what was dropped though leaving it out is worth nothing."""
        names = set(plan.starts)
        for job in self.evening.jobs:
            if job.steps_lost == 0.0 and names.issuperset(job.after):
                names.add(job.id)
        return list(names)

    def _read_solution(self, solver: cp_model.CpSolver) -> Schedule:
        kept = [job for job in self.evening.jobs if solver.value(self.kept[job.id])]
        return self._schedule({job.id: int(solver.value(self.start[job.id])) for job in kept})

    def _schedule(self, starts: Mapping[str, int]) -> Schedule:
        dropped = [job for job in self.evening.jobs if job.id not in starts]
        ordered = dict(sorted(starts.items(), key=lambda row: row[1]))
        lost = sum(job.steps_lost for job in dropped)
        return Schedule(ordered, tuple(job.id for job in dropped), lost)


def _in_time(evening: Evening, starts: Mapping[str, int]) -> bool:
    """Whether every job with hours of its own keeps to them."""
    members = [job for job in evening.jobs if job.id in starts]
    return all(
        starts[job.id] >= job.from_minute
        and (job.ends_by is None or starts[job.id] + job.minutes <= job.ends_by)
        for job in members
    )


def _in_order(evening: Evening, kept: Collection[str]) -> dict[str, int]:
    """Return starts of jobs put in one by one in the order they come, the last at the downbeat."""
    jobs = {job.id: job for job in evening.jobs if job.id in kept}
    starts: dict[str, int] = {}
    todo = list(jobs)
    while todo:
        name = next(n for n in todo if all(o in starts or o not in jobs for o in _before(jobs[n])))
        todo.remove(name)
        job = jobs[name]
        ready = [starts[o] + jobs[o].minutes + jobs[o].settle_minutes for o in job.after]
        ready += [starts[o] + jobs[o].minutes for o in job.follows if o in starts]
        position = max(ready, default=0)
        while not _free(evening, jobs, starts, job, position):
            position += 1
        starts[name] = position
    last = max((position + jobs[name].minutes for name, position in starts.items()), default=0)
    return {name: position + evening.minutes - last for name, position in starts.items()}


def _before(job: WorkJob) -> tuple[str, ...]:
    return (*job.after, *job.follows)


def _free(
    evening: Evening,
    jobs: Mapping[str, WorkJob],
    starts: Mapping[str, int],
    job: WorkJob,
    position: int,
) -> bool:
    """Whether every need of a job has a unit free for all of its minutes."""
    stop = position + job.minutes
    for need in job.needs:
        busy = [
            (s, s + jobs[n].minutes)
            for n, s in starts.items()
            if need in jobs[n].needs and s < stop and s + jobs[n].minutes > position
        ]
        moments = [position, *(s for s, _ in busy if s > position)]
        if any(sum(s <= m < e for s, e in busy) >= evening.resources[need] for m in moments):
            return False
    return True


def _what_cannot_fit(evening: Evening) -> str:
    """Return in words what does not fit although everything that may be is dropped."""
    free = replace(
        evening, jobs=tuple(replace(job, from_minute=0, ends_by=None) for job in evening.jobs)
    )
    if free != evening and _Model(free, evening.minutes, only_kept=True).least_lost() is not None:
        return _what_is_late(evening, free)
    evening = free
    total = sum(job.minutes + job.settle_minutes for job in evening.jobs)
    needed = _Model(evening, max(total, evening.minutes), only_kept=True).shortest()
    must = [job for job in evening.jobs if not job.may_drop]
    chain, minutes = _longest_chain(must)
    over = (
        f"{needed - evening.minutes} min more than there are" if needed is not None else "too long"
    )
    text = f"What may not be dropped takes {over}"
    if needed is not None:
        text += f": {needed} min, and {evening.minutes} are left until the downbeat"
    if minutes > evening.minutes:
        return f"{text}. One after the other, {' → '.join(chain)} alone take {minutes} min."
    short = [
        f"{sum(j.minutes for j in must if need in j.needs)} min of “{need}” for {units}"
        for need, units in evening.resources.items()
        if sum(j.minutes for j in must if need in j.needs) > units * evening.minutes
    ]
    what = f" It needs {' and '.join(short)}." if short else ""
    return f"{text}.{what} Start earlier, let more be dropped, or bring more hands."


def _what_is_late(evening: Evening, free: Evening) -> str:
    """Return which job does not fit into its own hours, and by how much where that can be told."""
    hours = [job for job in evening.jobs if job not in free.jobs and not job.may_drop]
    for job in hours:
        end = _Model(free, evening.minutes, only_kept=True).earliest_end(job)
        by = evening.minutes if job.ends_by is None else job.ends_by
        late = max(end or 0, job.from_minute + job.minutes) - by
        if late > 0:
            return (
                f"“{job.id}” cannot be done in its hours: it would end {late} min too late. Start "
                "earlier, or do it another way."
            )
    names = " and ".join(f"“{job.id}”" for job in hours)
    return f"{names}: what waits for it cannot be done by the downbeat. Start earlier."


def _longest_chain(jobs: Sequence[WorkJob]) -> tuple[list[str], int]:
    """Return the chain of jobs that wait for each other which takes longest, and its minutes."""
    by_id = {job.id: job for job in jobs}
    best: dict[str, tuple[int, list[str]]] = {}

    def until(name: str) -> tuple[int, list[str]]:
        if name not in best:
            job = by_id[name]
            before = [until(other) for other in job.after if other in by_id]
            waits = [(minutes + by_id[way[-1]].settle_minutes, way) for minutes, way in before]
            minutes, way = max(waits, key=lambda row: row[0], default=(0, []))
            best[name] = minutes + job.minutes, [*way, name]
        return best[name]

    result = max((until(name) for name in by_id), key=lambda row: row[0], default=(0, []))
    return result[1], result[0]
