"""Bench: what to do next on a drum, from its plan and from everything read and turned on it."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy.orm import Session

from emblar.actions.plan import changed_since, latest_plan, planned_from
from emblar.actions.scope import Scope, in_session
from emblar.core.acoustics.calibration import Take, calibrate
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import construction
from emblar.core.errors import EmblarError, InputError
from emblar.core.notes import cents
from emblar.core.planning.kit import check_range, model
from emblar.core.quantities import Measured
from emblar.core.tuning.diagnosis import Cause
from emblar.core.tuning.head_state import (
    HeadState,
    after_readings,
    after_turns,
    goal_per_turn,
    head_at,
    slack_head,
    with_response,
)
from emblar.core.tuning.next_turns import NextTurns, next_turns
from emblar.core.tuning.procedure import Job, Work, jobs
from emblar.formats.bench import BenchFile, CauseFile, JobDone, Turning
from emblar.formats.plan import DrumPlanFile
from emblar.formats.setup import SetupFile, SideFile
from emblar.formats.stored import lenient
from emblar.store import bench as store
from emblar.store import heads as head_store
from emblar.store import kit as kit_store
from emblar.store import plans as plan_store
from emblar.store import setups as setup_store
from emblar.store.kit import KitDrum
from emblar.store.setups import MeasurementInfo, SetupInfo

HOW = ("microphone", "clip", "typed", "practice")
LEAST_SD_HZ = 0.1
TYPED_SD_CENTS = 6.0
TOLERANCE_CENTS = {"kick": 12.0, "snare": 6.0, "tom": 6.0}
"""How far a rod's lug pitch may stay from the goal: a kick's evenness matters less."""
PLAN_FIRST = (
    "This drum is not planned yet, so there is no pitch to bring it to. Plan the kit first."
)


@dataclass(frozen=True, slots=True)
class HeadNow:
    """One head at the bench.

    Parameters
    ----------
    side, made, planned
        Which head; its construction now and as planned, ids of the catalogue.
    planned_hz, goal_hz
        Its lug pitch by the plan, and by the plan as this drum's own readings moved it.
    readings
        What was read beside each rod since it was last turned, or None.
    state
        What is known of it; None before the first reading of a head that was not let down.
    found
        The next turns by all readings so far; None where nothing was read.
    turning
        The round of turns under way.
    rounds
        How many rounds of turns it had since it was found or let down.
    """

    side: Side
    made: str
    planned: str
    planned_hz: float
    goal_hz: float
    readings: tuple[MeasurementInfo | None, ...]
    state: HeadState | None
    found: NextTurns | None
    turning: Turning | None
    rounds: int

    @property
    def unread(self) -> tuple[int, ...]:
        """Rods without a reading since the head was last turned, counted from 0."""
        return tuple(i for i, reading in enumerate(self.readings) if reading is None)

    @property
    def hz(self) -> float | None:
        """The head's lug pitch as known now, Hz."""
        if self.state is None or not self.state.read:
            return None
        return float(self.goal_hz * 2.0 ** (self.state.mean_cents() / 1200.0))

    @property
    def left_turns(self) -> float | None:
        """About how far every rod still has to be turned, turns of the key; None if not known."""
        if self.state is None or not self.state.read:
            return None
        return float((1.0 - self.state.tensions.mean()) / self.state.gain)


@dataclass(frozen=True, slots=True)
class Pitch:
    """A drum pitch in Hz with its uncertainty in cents."""

    hz: float
    sd_cents: float


@dataclass(frozen=True, slots=True)
class Bench:
    """A drum at the bench.

    ``before`` and ``now`` are the planned drum pitch as the plan predicts it and as this drum's
    own readings do; ``measured`` is the last stroke read.
    """

    drum: KitDrum
    plan: DrumPlanFile
    plan_version: int
    setup: SetupInfo
    jobs: tuple[Job, ...]
    done: dict[str, JobDone]
    job: Job | None
    heads: dict[Side, HeadNow]
    before: Pitch
    now: Pitch
    offset_cents: float
    strokes: int
    measured: MeasurementInfo | None
    causes: tuple[CauseFile, ...] = ()
    """What the last stroke gave away."""

    @property
    def minutes_left(self) -> float:
        """Minutes of the jobs that are neither done nor skipped."""
        return sum(job.minutes for job in self.jobs if job.id not in self.done)


def bench(scope: Scope, session_id: int, slot_id: int) -> Bench:
    """Return a drum at the bench.

    Raises
    ------
    InputError
        It is not planned.
    """
    drum, plan, version = _planned(scope, session_id, slot_id)
    with in_session(scope, session_id) as db:
        chain = _chain(db, session_id, drum)
        document = store.get(db, session_id, drum.drum_id)
    return _bench(drum, plan, version, chain, lenient(BenchFile, document, "The work so far"))


def type_readings(
    scope: Scope, session_id: int, slot_id: int, side: Side, lug_hz: Sequence[float | None]
) -> int:
    """Keep lug pitches that were typed, rod 1 first, None where there is none; return how many."""
    for rod, hz in enumerate(lug_hz, start=1):
        if hz is not None:
            try:
                check_range("lug_hz", hz)
            except EmblarError as error:
                raise InputError(str(error), field=f"rod-{rod}") from error
    told = [(rod, hz, TYPED_SD_CENTS) for rod, hz in enumerate(lug_hz) if hz is not None]
    if not told:
        raise InputError("Type the pitch of one rod at least.", field="rod-1")
    return keep_readings(scope, session_id, slot_id, side, told, how="typed")


def keep_readings(
    scope: Scope,
    session_id: int,
    slot_id: int,
    side: Side,
    told: Sequence[tuple[int, float, float]],
    *,
    how: str,
) -> int:
    """Keep lug pitches read beside rods: (rod from 0, Hz, uncertainty in cents); return how many.

    Turns under way that were made count as made, the others as not.

    Raises
    ------
    InputError
        There is no such rod or head.
    """
    if how not in HOW:
        raise InputError(f"“{how}” is none of {', '.join(HOW)}.", field="how")
    with in_session(scope, session_id) as db:
        drum, file = _locked(db, session_id, slot_id)
        if side == "reso" and drum.owned.reso is None:
            raise InputError(f"{drum.owned.name} has no front head.", field="side")
        for rod, hz, _ in told:
            check_range("lug_hz", hz)
            if not 0 <= rod < drum.owned.rods:
                raise InputError(
                    f"{drum.owned.name} has rods 1 to {drum.owned.rods}; {rod + 1} is none of "
                    "them.",
                    field="rod",
                )
        if file.turning is not None:
            _close_turning(db, session_id, drum, file)
        setup = setup_of(db, session_id, drum)
        for rod, hz, sd in told:
            sd_hz = max(hz * (2.0 ** (sd / 1200.0) - 1.0), LEAST_SD_HZ)
            setup_store.measure(
                db, setup.id, what="lug", side=side, rod=rod + 1, hz=hz, sd_hz=sd_hz, how=how
            )
        store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True))
    return len(told)


def keep_stroke(
    scope: Scope,
    session_id: int,
    slot_id: int,
    hz: float,
    sd_hz: float,
    causes: Sequence[Cause] = (),
) -> None:
    """Keep a drum pitch that was read of a stroke, both heads free, and what it gave away."""
    check_range("drum_pitch_hz", hz)
    with in_session(scope, session_id) as db:
        drum, file = _locked(db, session_id, slot_id)
        if file.turning is not None:
            _close_turning(db, session_id, drum, file)
        setup = setup_of(db, session_id, drum)
        setup_store.measure(
            db, setup.id, what="drum", side=None, rod=None, hz=hz, sd_hz=max(sd_hz, LEAST_SD_HZ),
            how="microphone",
        )  # fmt: skip
        file.causes = [CauseFile(id=c.id, numbers=c.numbers, head=c.head) for c in causes]
        store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True))


def turned(
    scope: Scope, session_id: int, slot_id: int, side: Side, rods: Sequence[int] | None = None
) -> None:
    """Keep that rods were turned as the next turns say, all of them if none is named.

    Raises
    ------
    InputError
        Nothing is to be turned there now.
    """
    now = bench(scope, session_id, slot_id).heads.get(side)
    if now is None:
        raise InputError("There is no such head on this drum.", field="side")
    with in_session(scope, session_id) as db:
        drum, file = _locked(db, session_id, slot_id)
        if file.turning is None or file.turning.side != side:
            if now.found is None or now.found.why != "turn":
                raise InputError("Nothing is to be turned on this head now. Tap it first.")
            if file.turning is not None:
                _close_turning(db, session_id, drum, file)
            file.turning = Turning(
                side=side, turns=list(now.found.turns), order=list(now.found.order)
            )
        asked = file.turning.left if rods is None else rods
        file.turning.done += [rod for rod in asked if rod in file.turning.left]
        if not file.turning.left:
            _close_turning(db, session_id, drum, file)
        store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True))


def finish_job(
    scope: Scope, session_id: int, slot_id: int, job_id: str, *, skip: bool = False, note: str = ""
) -> None:
    """Mark a job as done or skipped; fitting a head keeps what is on the drum now."""
    now = bench(scope, session_id, slot_id)
    job = next((j for j in now.jobs if j.id == job_id), None)
    if job is None:
        raise InputError(f"“{job_id}” is no job on {now.drum.owned.name}.")
    before = changed_since(scope, session_id)
    with in_session(scope, session_id) as db:
        drum, file = _locked(db, session_id, slot_id)
        if file.turning is not None:
            _close_turning(db, session_id, drum, file)
        if job.text == "mount" and job.side is not None and not skip:
            _fit(db, scope, session_id, drum, job.side, now.heads[job.side].planned)
        if job.text == "dampers" and not skip:
            change_setup(db, session_id, drum, dampers=list(now.plan.dampers))
        file.jobs.pop(job_id, None)
        file.jobs[job_id] = JobDone(state="skipped" if skip else "done", note=note.strip()[:500])
        file.at = ""
        store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True))
    if job.text == "mount" and "kit" not in before:
        _still_planned(scope, session_id)


def show_job(scope: Scope, session_id: int, slot_id: int, job_id: str) -> None:
    """Go to a job, done or not; it is open again."""
    with in_session(scope, session_id) as db:
        drum, file = _locked(db, session_id, slot_id)
        file.jobs.pop(job_id, None)
        file.at = job_id
        store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True))


def undo(scope: Scope, session_id: int, slot_id: int) -> str:
    """Undo the last thing done at the bench on this drum; return what it was in words.

    Raises
    ------
    InputError
        There is nothing to undo.
    """
    with in_session(scope, session_id) as db:
        drum, file = _locked(db, session_id, slot_id)
        says = _undone(db, session_id, drum, file)
        store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True))
    return says


def _undone(db: Session, session_id: int, drum: KitDrum, file: BenchFile) -> str:
    if file.turning is not None and file.turning.done:
        rod = file.turning.done.pop()
        return f"Rod {rod + 1} is to turn again"
    setup = setup_store.latest(db, drum.drum_id)
    rows = setup_store.measurements(db, [setup.id]) if setup is not None else []
    if setup is not None and rows:
        last = [row for row in rows if row.created_at == rows[-1].created_at]
        for row in last:
            setup_store.delete_measurement(db, setup.id, row.id)
        return f"{len(last)} {'reading' if len(last) == 1 else 'readings'} removed"
    own = setup is not None and setup.session_id == session_id and setup.origin == "bench"
    if setup is not None and own and setup.document.get("turned"):
        side, turns = next(iter(setup.document["turned"].items()))
        setup_store.take_back(db, setup.id)
        order = [rod for rod, t in enumerate(turns) if t]
        file.turning = Turning(side=side, turns=turns, order=order, done=order[:-1])
        return f"Rod {order[-1] + 1} is to turn again"
    if file.jobs:
        job_id = list(file.jobs)[-1]
        del file.jobs[job_id]
        return f"“{job_id.replace('-', ' ')}” is open again"
    raise InputError("There is nothing to undo on this drum.")


def _planned(scope: Scope, session_id: int, slot_id: int) -> tuple[KitDrum, DrumPlanFile, int]:
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
    plan = latest_plan(scope, session_id)
    if plan is None or slot_id not in plan.drums:
        raise InputError(PLAN_FIRST)
    return drum, plan.drums[slot_id], plan.version


def _locked(db: Session, session_id: int, slot_id: int) -> tuple[KitDrum, BenchFile]:
    drum = kit_store.get(db, session_id, slot_id)
    document = store.get(db, session_id, drum.drum_id, lock=True)
    return drum, lenient(BenchFile, document, "The work so far")


def setup_of(db: Session, session_id: int, drum: KitDrum) -> SetupInfo:
    """Return the drum's newest setup; as found, with no pitch known, the first time."""
    found = setup_store.latest(db, drum.drum_id)
    if found is not None:
        return found
    unknown: list[float | None] = [None] * drum.owned.rods
    owned = drum.owned
    file = SetupFile(
        batter=SideFile(construction=owned.batter, lug_hz=unknown),
        reso=SideFile(construction=owned.reso, lug_hz=unknown) if owned.reso else None,
        port_in=owned.port_in,
    )
    return setup_store.add(
        db, drum.drum_id, file.model_dump(by_alias=True), origin="as found", session_id=session_id
    )


def change_setup(
    db: Session,
    session_id: int,
    drum: KitDrum,
    *,
    turned: dict[Side, list[float]] | None = None,
    fitted: tuple[Side, str] | None = None,
    dampers: list[str] | None = None,
    striker: str | None = None,
    wires: str | None = None,
    force: float | None = None,
) -> None:
    """Keep what the drum is like after a change; pitches of a head that changed are not known."""
    before = setup_of(db, session_id, drum)
    file = lenient(SetupFile, before.document, "This setup").model_copy(deep=True)
    file.turned, file.slack = {}, []
    unknown: list[float | None] = [None] * drum.owned.rods
    for side in {*(turned or {}), *([fitted[0]] if fitted else [])}:
        head = file.batter if side == "batter" else file.reso
        if head is not None:
            head.lug_hz = unknown
    if turned is not None:
        file.turned = turned
    if fitted is not None:
        head = SideFile(construction=fitted[1], lug_hz=unknown)
        file.slack = [fitted[0]]
        if fitted[0] == "batter":
            file.batter = head
        else:
            file.reso = head
    file.dampers = file.dampers if dampers is None else dampers
    file.striker = file.striker if striker is None else striker
    file.wires = file.wires if wires is None else wires
    file.force = file.force if force is None else force
    setup_store.add(
        db, drum.drum_id, file.model_dump(by_alias=True), origin="bench", session_id=session_id,
        parent_id=before.id,
    )  # fmt: skip


def _close_turning(db: Session, session_id: int, drum: KitDrum, file: BenchFile) -> None:
    turning, file.turning = file.turning, None
    if turning is not None and turning.done:
        change_setup(db, session_id, drum, turned={turning.side: turning.made})


def _fit(
    db: Session, scope: Scope, session_id: int, drum: KitDrum, side: Side, planned: str
) -> None:
    """Fit the planned head: one of the shelf if it has such a one, else one bought."""
    head_store.fit_construction(db, scope.studio_id, drum.drum_id, side, planned)
    change_setup(db, session_id, drum, fitted=(side, planned))


def _still_planned(scope: Scope, session_id: int) -> None:
    """Keep the plan as up to date: a planned head was fitted, nothing else changed."""
    marks = planned_from(scope, session_id)
    with in_session(scope, session_id) as db:
        info = plan_store.latest(db, session_id)
        if info is not None:
            plan_store.set_inputs(db, session_id, info.version, marks)


Chain = tuple[tuple[SetupInfo, SetupFile, tuple[MeasurementInfo, ...]], ...]


def _chain(db: Session, session_id: int, drum: KitDrum) -> Chain:
    """Return the drum's setups, the oldest first, with what was read on each."""
    setup_of(db, session_id, drum)
    infos = setup_store.listing(db, drum.drum_id)
    rows = setup_store.measurements(db, [info.id for info in infos])
    return tuple(
        (
            info,
            lenient(SetupFile, info.document, "This setup"),
            tuple(row for row in rows if row.setup_id == info.id),
        )
        for info in infos
    )


def _bench(drum: KitDrum, plan: DrumPlanFile, version: int, chain: Chain, file: BenchFile) -> Bench:
    info, setup, rows = chain[-1]
    now = _model_of(drum, setup)
    lugs = plan.prediction.lug_hz
    planned: dict[Side, float] = {"batter": lugs.batter}
    if setup.reso is not None and lugs.reso is not None:
        planned["reso"] = lugs.reso
    takes = _takes(drum, chain, planned)
    before = Pitch(plan.prediction.drum_pitch_hz, plan.prediction.drum_pitch_sd_cents)
    as_planned = model(drum.owned, batter=plan.batter, reso=plan.reso)
    offset, after = _learned(takes, as_planned, planned["batter"], planned.get("reso"), before)
    heads = {
        side: _head_now(drum, now, side, plan, hz, offset, chain, file)
        for side, hz in planned.items()
    }
    changes: dict[Side, bool] = {}
    for side, head in heads.items():
        mounted = f"mount-{side}" in file.jobs and file.jobs[f"mount-{side}"].state == "done"
        if head.made != head.planned or mounted:
            changes[side] = construction(head.planned).may_crack_collar
    todo = jobs(Work(drum.owned.kind, changes, "reso" in heads, bool(plan.dampers)))
    chosen = next((job for job in todo if job.id == file.at), None)
    job = chosen or next((job for job in todo if job.id not in file.jobs), None)
    strokes = [row for row in rows if row.what == "drum"]
    return Bench(
        drum, plan, version, info, todo, file.jobs, job, heads, before, after, offset,
        len(takes), strokes[-1] if strokes else None, tuple(file.causes) if strokes else (),
    )  # fmt: skip


def _model_of(drum: KitDrum, setup: SetupFile) -> Drum:
    """Return the drum for the model with the heads that are on it, nothing lying on them."""
    reso = setup.reso.construction if setup.reso else None
    return model(drum.owned, batter=setup.batter.construction, reso=reso)


def _head_now(
    drum: KitDrum,
    now: Drum,
    side: Side,
    plan: DrumPlanFile,
    planned_hz: float,
    offset_cents: float,
    chain: Chain,
    file: BenchFile,
) -> HeadNow:
    setup = chain[-1][1]
    head = setup.batter if side == "batter" else setup.reso
    planned = plan.batter if side == "batter" else plan.reso
    made = head.construction if head is not None else ""
    # What this drum sounds above the model, its heads come down by.
    goal = planned_hz * 2.0 ** (-offset_cents / 1200.0)
    state, owed, rounds = _state(now, side, goal, chain)
    turning = file.turning if file.turning is not None and file.turning.side == side else None
    found = None
    if state is not None and state.read:
        tolerance = TOLERANCE_CENTS[drum.owned.kind]
        found = next_turns(state, owed=owed, tolerance_cents=tolerance)
    return HeadNow(
        side, made, planned or made, planned_hz, goal, _readings(chain[-1][2], side, now.rods),
        state, found, turning, rounds,
    )  # fmt: skip


def _readings(
    rows: Sequence[MeasurementInfo], side: Side, rods: int
) -> tuple[MeasurementInfo | None, ...]:
    """Return the last reading beside each rod."""
    last: dict[int, MeasurementInfo] = {
        row.rod - 1: row for row in rows if row.side == side and row.rod is not None
    }
    return tuple(last.get(rod) for rod in range(rods))


def _state(
    drum: Drum, side: Side, goal_hz: float, chain: Chain
) -> tuple[HeadState | None, list[int], int]:
    """Return what is known of a head, the rods last turned down, and rounds since its start."""
    state: HeadState | None = None
    made = ""
    last, rounds = [0.0] * drum.rods, 0
    for _, setup, rows in chain:
        head = setup.batter if side == "batter" else setup.reso
        if head is None:
            continue
        if side in setup.slack or head.construction != made:
            made = head.construction
            slack = side in setup.slack
            fresh = (
                slack_head(drum, side, goal_hz) if slack
                else head_at(drum.rods, 1.0, goal_per_turn(drum, side, goal_hz))
            )  # fmt: skip
            # What a turn does on this drum is kept from head to head, less surely.
            state = with_response(fresh, state) if state is not None else fresh
            last, rounds = [0.0] * drum.rods, 0
        if state is None:
            continue
        turns = setup.turned.get(side)
        if turns is not None and len(turns) == drum.rods:
            state, rounds = after_turns(state, turns), rounds + 1
            last = [new or old for new, old in zip(turns, last, strict=True)]
        told = _readings(rows, side, drum.rods)
        off = [None if row is None else cents(row.hz, goal_hz) for row in told]
        sds = [
            5.0 if row is None else cents(row.hz + row.sd_hz, row.hz) for row in told
        ]  # fmt: skip
        state = after_readings(state, off, sds)
    return state, [rod for rod, t in enumerate(last) if t < 0.0], rounds


def _takes(drum: KitDrum, chain: Chain, planned: dict[Side, float]) -> tuple[Take, ...]:
    """Return the drum's strokes at lug pitches that are known."""
    takes = []
    for index, (_, setup, rows) in enumerate(chain):
        strokes = [row for row in rows if row.what == "drum"]
        if not strokes:
            continue
        now = _model_of(drum, setup)
        lugs: dict[Side, float] = {}
        for side, hz in planned.items():
            state = _state(now, side, hz, chain[: index + 1])[0]
            if state is not None and state.read:
                lugs[side] = hz * 2.0 ** (state.mean_cents() / 1200.0)
        if set(lugs) == set(planned):
            stroke = strokes[-1]
            pitch = Measured(stroke.hz, stroke.sd_hz, "Hz")
            takes.append(Take(now, lugs["batter"], lugs.get("reso"), pitch))
    return tuple(takes)


@lru_cache(maxsize=128)
def _learned(
    takes: tuple[Take, ...], planned: Drum, batter_hz: float, reso_hz: float | None, before: Pitch
) -> tuple[float, Pitch]:
    """Return how far this drum sounds above the model at the plan, cents, and its pitch there."""
    if not takes:
        return 0.0, before
    found = calibrate(takes).predict(planned, batter_hz, reso_hz).prediction
    prior = predict(planned, batter_hz, reso_hz).drum_pitch.value
    offset = cents(found.drum_pitch.value, prior)
    return offset, Pitch(before.hz, found.drum_pitch_sd_cents)
