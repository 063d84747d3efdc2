"""The evening's schedule, held against trying everything on small cases."""

import itertools
import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest

from emblar.core.errors import InputError, NoSolutionError
from emblar.core.evening.schedule import Evening, Schedule, WorkJob, schedule

CASES = 200


def fits(evening: Evening, starts: dict[str, int]) -> bool:
    """Whether starts keep to precedence, settling, resources and the downbeat."""
    jobs = {job.id: job for job in evening.jobs}
    for name, start in starts.items():
        job = jobs[name]
        by = evening.minutes if job.ends_by is None else min(job.ends_by, evening.minutes)
        if start < job.from_minute or start + job.minutes > by:
            return False
        for other in job.after:
            before = jobs[other]
            if other not in starts:
                return False
            if start < starts[other] + before.minutes + before.settle_minutes:
                return False
    for need, units in evening.resources.items():
        for minute in range(evening.minutes):
            busy = sum(
                starts[n] <= minute < starts[n] + jobs[n].minutes
                for n in starts
                if need in jobs[n].needs
            )
            if busy > units:
                return False
    return True


def by_trying(evening: Evening) -> tuple[float, int] | None:
    """Return the least loss and, at it, the latest begin of any schedule at all."""
    best: tuple[float, int] | None = None
    jobs = evening.jobs
    for kept in itertools.product([True, False], repeat=len(jobs)):
        if any(not k and not job.may_drop for k, job in zip(kept, jobs, strict=True)):
            continue
        names = {job.id for k, job in zip(kept, jobs, strict=True) if k}
        lost = sum(job.steps_lost for job in jobs if job.id not in names)
        if best is not None and lost > best[0]:
            continue
        own = [job for job in jobs if job.id in names]
        if any(other not in names for job in own for other in job.after):
            continue
        spans = [range(evening.minutes - job.minutes + 1) for job in own]
        for starts in itertools.product(*spans):
            told = dict(zip([job.id for job in own], starts, strict=True))
            begin = min(starts, default=evening.minutes)
            if best is not None and (lost, -begin) >= (best[0], -best[1]):
                continue
            if fits(evening, told):
                best = lost, begin
    return best


def random_evening(seed: int) -> Evening:
    rng = np.random.default_rng([25, seed])
    count = int(rng.integers(2, 5))
    jobs = []
    for i in range(count):
        before = tuple(f"job {j}" for j in range(i) if rng.random() < 0.35)
        needs = tuple(n for n in ("hands", "key") if rng.random() < 0.6)
        jobs.append(
            WorkJob(
                f"job {i}",
                int(rng.integers(1, 4)),
                before,
                needs,
                int(rng.integers(0, 3)),
                bool(rng.random() < 0.5),
                float(rng.integers(0, 4)) / 2.0,
                from_minute=int(rng.integers(0, 3)) if rng.random() < 0.3 else 0,
                ends_by=int(rng.integers(3, 8)) if rng.random() < 0.3 else None,
            )
        )
    return Evening(
        int(rng.integers(4, 9)), {"hands": int(rng.integers(1, 3)), "key": 1}, tuple(jobs)
    )


@pytest.mark.parametrize("block", range(4))
def test_every_schedule_is_as_good_as_trying_everything(block: int) -> None:
    for seed in range(block * CASES // 4, (block + 1) * CASES // 4):
        evening = random_evening(seed)
        best = by_trying(evening)
        if best is None:
            with pytest.raises(
                NoSolutionError, match=r"What may not be dropped takes|cannot (all )?be done"
            ):
                schedule(evening)
            continue
        found = schedule(evening)
        assert fits(evening, found.starts), seed
        assert found.steps_lost == pytest.approx(best[0]), seed
        assert (found.begin if found.starts else evening.minutes) == best[1], seed
        assert set(found.starts) | set(found.dropped) == {job.id for job in evening.jobs}


def kit(drums: int, hands: int) -> Evening:
    """Return twelve jobs a drum."""
    jobs = []
    for d in range(drums):
        before: tuple[str, ...] = ()
        for name, minutes, needs, settle, drop in (
            ("off", 4, ("hands",), 0, False),
            ("wipe", 2, ("hands",), 0, False),
            ("fit reso", 5, ("hands",), 0, False),
            ("seat reso", 2, ("hands",), 10, False),
            ("tune reso", 6, ("hands", "key"), 0, False),
            ("fit batter", 5, ("hands",), 0, False),
            ("seat batter", 2, ("hands",), 10, False),
            ("tune batter", 6, ("hands", "key"), 15, False),
            ("again", 3, ("hands", "key"), 0, True),
            ("place", 2, ("hands",), 0, True),
            ("damp", 2, ("hands",), 0, True),
            ("listen", 1, ("hands",), 0, True),
        ):
            jobs.append(
                WorkJob(f"{name} {d}", minutes, before, needs, settle, drop, 0.7 if drop else 0.0)
            )
            before = (f"{name} {d}",)
    return Evening(240, {"hands": hands, "key": hands}, tuple(jobs))


def test_two_people_and_six_drums_are_scheduled() -> None:
    evening = kit(6, 2)
    found = schedule(evening)
    assert fits(evening, found.starts)
    assert found.steps_lost == 0.0
    assert found.begin is not None
    ends = [found.starts[job.id] + job.minutes for job in evening.jobs]
    assert max(ends) == evening.minutes, "the latest begin ends at the downbeat"


def test_what_cannot_fit_is_said_with_what_would_help() -> None:
    evening = Evening(
        60,
        {"hands": 1},
        (
            WorkJob("fit", 30, (), ("hands",), 20),
            WorkJob("tune", 20, ("fit",), ("hands",)),
        ),
    )
    with pytest.raises(NoSolutionError, match=r"10 min more .* fit → tune alone take 70 min"):
        schedule(evening)
    crowded = Evening(
        60, {"hands": 1}, tuple(WorkJob(f"drum {i}", 25, (), ("hands",)) for i in "abc")
    )
    with pytest.raises(NoSolutionError, match=r"75 min of “hands” for 1\. Start earlier"):
        schedule(crowded)


def test_what_may_be_dropped_is_dropped_by_what_it_costs() -> None:
    evening = Evening(
        60,
        {"hands": 1},
        (
            WorkJob("tune", 40, (), ("hands",)),
            WorkJob("damp", 15, ("tune",), ("hands",), may_drop=True, steps_lost=2.5),
            WorkJob("again", 15, ("tune",), ("hands",), may_drop=True, steps_lost=0.7),
            WorkJob("listen", 5, ("again",), ("hands",), may_drop=True, steps_lost=0.2),
        ),
    )
    found = schedule(evening)
    assert set(found.dropped) == {"again", "listen"}, "what waits for a dropped job goes with it"
    assert found.steps_lost == pytest.approx(0.9)


@pytest.mark.parametrize(
    ("jobs", "says"),
    [
        ((WorkJob("a", 1), WorkJob("a", 2)), "“a” is there twice"),
        ((WorkJob("a", 1, ("b",)),), "waits for “b”, which is no job"),
        ((WorkJob("a", 1, (), ("van",)),), "needs “van”, and there is none"),
        ((WorkJob("a", 1, ("b",)), WorkJob("b", 1, ("a",))), "wait for each other: a → b → a"),
    ],
)
def test_an_evening_that_makes_no_sense_is_refused(jobs: tuple[WorkJob, ...], says: str) -> None:
    with pytest.raises(InputError, match=says):
        schedule(Evening(60, {"hands": 1}, jobs))


def test_no_jobs_are_done_at_once() -> None:
    assert schedule(Evening(60, {}, ())) == Schedule({}, (), 0.0)


def test_a_shop_that_closes_comes_before_everything_that_waits_for_it() -> None:
    evening = Evening(
        240,
        {"hands": 1},
        (
            WorkJob("tune the rest", 60, (), ("hands",)),
            WorkJob("to the shop", 40, (), ("hands",), from_minute=20, ends_by=90),
            WorkJob("fit the new head", 10, ("to the shop",), ("hands",)),
        ),
    )
    found = schedule(evening)
    assert fits(evening, found.starts)
    assert found.starts["to the shop"] == 50, "as late as the shop allows"
    late = replace(evening, jobs=(replace(evening.jobs[1], ends_by=30), *evening.jobs[2:]))
    with pytest.raises(NoSolutionError, match=r"“to the shop” cannot .* 30 min too late"):
        schedule(late)


def test_ctrl_c_is_still_heard_after_an_evening_was_planned() -> None:
    program = """
import signal
# A program that a shell starts in the background ignores Ctrl-C, and so do its children.
signal.signal(signal.SIGINT, signal.default_int_handler)
from emblar.core.evening.schedule import Evening, WorkJob, schedule
schedule(Evening(60, {}, (WorkJob("a", 10),)))
try:
    signal.raise_signal(signal.SIGINT)
except KeyboardInterrupt:
    print("heard")
"""
    done = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout) == (0, "heard\n"), done.stderr
