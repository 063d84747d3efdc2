"""What is known of a drum at the bench: its setups folded into its heads, its jobs, its pitch."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import inf

from emblar.core.acoustics.calibration import MeasuredTuning, calibrate
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import Catalogue
from emblar.core.notes import cents
from emblar.core.planning.kick_window import kick_manner
from emblar.core.planning.kit import model, wearing
from emblar.core.quantities import Measured
from emblar.core.tuning.goals import tuning_goal
from emblar.core.tuning.head_response import goal_per_turn
from emblar.core.tuning.head_state import (
    HeadState,
    after_readings,
    after_turns,
    head_at,
    slack_head,
    with_response,
)
from emblar.core.tuning.muffling import Layer
from emblar.core.tuning.next_turns import NextTurns, next_turns
from emblar.core.tuning.procedure import Job, Work, jobs
from emblar.core.tuning.sweep import SweepPoint
from emblar.formats.bench import BackTo, BenchFile, CauseFile, JobDone, Turning
from emblar.formats.plan import DrumPlanFile
from emblar.formats.setup import SetupFile
from emblar.steps.kit.queries.setups import MeasurementInfo, SetupInfo
from emblar.steps.kit.queries.slots import KitDrum

TOLERANCE_CENTS = {"kick": 12.0, "snare": 6.0, "tom": 6.0}
"""How far a rod's lug pitch may stay from the goal: a kick's evenness matters less."""
LEFT_CENTS = 20.0
"""A head whose lug pitch is this far from its goal is not tuned: most people hear that."""
KNOWN_CENTS = 15.0
"""How well every rod has to be known for a head to be brought back to what it stood at."""
Chain = tuple[tuple[SetupInfo, SetupFile, tuple[MeasurementInfo, ...]], ...]
"""A drum's setups, the oldest first, with what was read on each."""


@dataclass(frozen=True, slots=True)
class HeadWork:
    """One head at the bench.

    Parameters
    ----------
    side, made, planned
        Which head; its construction now and as planned, ids of the catalogue.
    planned_hz, goal_hz
        Its lug pitch by the plan, and the one to go for: the plan's as this drum's own readings
        moved it, or what it stood at in the setup it is brought back to.
    readings
        What was read next to each rod since it was last turned, or None.
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
    advice: NextTurns | None
    turning: Turning | None
    rounds: int
    taps: tuple[int, ...] = ()
    """How often each rod was read since the head was last turned."""
    refusal: str = ""
    """Why this head must not be brought to its goal; empty where it may."""

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
    def off_cents(self) -> float | None:
        """Cents of the head's lug pitch from its goal, None where it is near it or not known."""
        hz = self.last_hz
        off = None if hz is None else cents(hz, self.goal_hz)
        return off if off is not None and abs(off) > LEFT_CENTS else None

    @property
    def last_hz(self) -> float | None:
        """The mean of the last readings, Hz; as it should be now if it was turned since."""
        read = [reading.hz for reading in self.readings if reading is not None]
        return sum(read) / len(read) if read else self.hz

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

    ``before`` and ``pitch`` are the planned drum pitch as the plan predicts it and as this drum's
    own readings do; ``measured`` is the last stroke read.
    """

    drum: KitDrum
    plan: DrumPlanFile
    plan_version: int
    setup: SetupInfo
    jobs: tuple[Job, ...]
    done: dict[str, JobDone]
    job: Job | None
    heads: dict[Side, HeadWork]
    before: Pitch
    pitch: Pitch
    offset_cents: float
    strokes: int
    measured: MeasurementInfo | None
    causes: tuple[CauseFile, ...] = ()
    """What the last stroke gave away."""
    sweep: tuple[SweepPoint, ...] = ()
    """Strokes of a sweep by ear."""
    pair: tuple[tuple[str, float], ...] = ()
    """Drums that play the same part, with the pitch last read on each, Hz."""
    layers: tuple[Layer, ...] = ()
    """Strokes while it was muffled."""
    back_to: BackTo | None = None
    """The earlier setup it is being brought back to; its pitches are the goals then."""

    @property
    def minutes_left(self) -> float:
        """Minutes of the jobs that are neither done nor skipped."""
        return sum(job.minutes for job in self.jobs if job.id not in self.done)


def bench_of(
    catalogue: Catalogue,
    drum: KitDrum,
    plan: DrumPlanFile,
    version: int,
    chain: Chain,
    file: BenchFile,
    pair: tuple[tuple[str, float], ...] = (),
) -> Bench:
    """Return a drum at the bench from everything that is kept of it."""
    info, setup, rows = chain[-1]
    current = _model_of(catalogue, drum, plan, setup)
    lugs = plan.prediction.lug_hz
    planned: dict[Side, float] = {"batter": lugs.batter}
    if setup.reso is not None and lugs.reso is not None:
        planned["reso"] = lugs.reso
    takes = _takes(catalogue, drum, plan, chain, planned)
    before = Pitch(plan.card["pitch"].value, plan.prediction.drum_pitch_sd_cents)
    as_planned = model(catalogue, wearing(drum.owned, plan.reso, plan.port_in), batter=plan.batter)
    offset, after = _learned(takes, as_planned, planned["batter"], planned.get("reso"), before)
    back = file.back_to if file.back_to is not None and file.back_to.plan == version else None
    # What this drum sounds above the model, its heads come down by; on the way back to an earlier
    # setup they go to what they stood at then.
    goals = {side: hz * 2.0 ** (-offset / 1200.0) for side, hz in planned.items()}
    goals |= {s: hz for s, hz in back.lug_hz.items() if s in planned} if back else {}
    heads = {
        side: _head_now(drum, current, side, plan, hz, goals[side], chain, file)
        for side, hz in planned.items()
    }
    todo = jobs(_work(catalogue, drum, plan, setup, heads, file))
    chosen = next((job for job in todo if job.id == file.at), None)
    job = chosen or next((job for job in todo if job.id not in file.jobs), None)
    strokes = [row for row in rows if row.what == "drum"]
    return Bench(
        drum,
        plan,
        version,
        info,
        todo,
        file.jobs,
        job,
        heads,
        before,
        after,
        offset,
        len(takes),
        strokes[-1] if strokes else None,
        tuple(file.causes) if strokes else (),
        tuple(file.sweep),
        pair,
        tuple(file.layers),
        back,
    )


def _work(
    catalogue: Catalogue,
    drum: KitDrum,
    plan: DrumPlanFile,
    setup: SetupFile,
    heads: dict[Side, HeadWork],
    file: BenchFile,
) -> Work:
    """Return what is to be done on a drum."""
    changes: dict[Side, bool] = {}
    for side, head in heads.items():
        mounted = f"mount-{side}" in file.jobs and file.jobs[f"mount-{side}"].state == "done"
        if head.made != head.planned or mounted:
            changes[side] = catalogue.construction(head.planned).may_crack_collar
    front_off = setup.reso is not None and plan.reso is None
    kind, batter_hz = drum.owned.kind, plan.prediction.lug_hz.batter
    kick = kick_manner(drum.owned.diameter_in, batter_hz) if kind == "kick" else None
    return Work(kind, changes, "reso" in heads, bool(plan.dampers), front_off, kick)


def _model_of(catalogue: Catalogue, drum: KitDrum, plan: DrumPlanFile, setup: SetupFile) -> Drum:
    """Return the drum for the model with the heads that are on it, nothing lying on them.

    A front head that the plan does without is off; its hole is the planned one.
    """
    reso = setup.reso.construction if setup.reso and plan.reso else None
    return model(
        catalogue, wearing(drum.owned, reso, plan.port_in), batter=setup.batter.construction
    )


def _head_now(
    drum: KitDrum,
    present: Drum,
    side: Side,
    plan: DrumPlanFile,
    planned_hz: float,
    goal: float,
    chain: Chain,
    file: BenchFile,
) -> HeadWork:
    setup = chain[-1][1]
    head = setup.batter if side == "batter" else setup.reso
    planned = plan.batter if side == "batter" else plan.reso
    made = head.construction if head is not None else ""
    state, rounds = _state(present, side, goal, chain)
    # A head that comes off is not tuned to the plan's pitch.
    safe = tuning_goal(present, side, goal) if planned is None or planned == made else None
    turning = file.turning if file.turning is not None and file.turning.side == side else None
    result = None
    if state is not None and state.read and not (safe and safe.refusal):
        most = safe.most_tension if safe else inf
        tolerance = TOLERANCE_CENTS[drum.owned.kind]
        result = next_turns(state, tolerance_cents=tolerance, most_tension=most)
    return HeadWork(
        side,
        made,
        planned or made,
        planned_hz,
        goal,
        _readings(chain[-1][2], side, present.rods),
        state,
        result,
        turning,
        rounds,
        _taps(chain[-1][2], side, present.rods),
        safe.refusal if safe else "",
    )


def _taps(rows: Sequence[MeasurementInfo], side: Side, rods: int) -> tuple[int, ...]:
    """Return how often each rod was read."""
    read = [row.rod for row in rows if row.side == side]
    return tuple(read.count(rod + 1) for rod in range(rods))


def _readings(
    rows: Sequence[MeasurementInfo], side: Side, rods: int
) -> tuple[MeasurementInfo | None, ...]:
    """Return the last reading next to each rod."""
    last: dict[int, MeasurementInfo] = {
        row.rod - 1: row for row in rows if row.side == side and row.rod is not None
    }
    return tuple(last.get(rod) for rod in range(rods))


@dataclass(frozen=True, slots=True)
class _Fitted:
    """A head that was found on the drum, or fitted: finger-tight if it is ``slack``."""

    slack: bool


@dataclass(frozen=True, slots=True)
class _Turned:
    """Turns of the key, by rod."""

    turns: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class _Read:
    """Readings by rod, Hz or None, and their uncertainty, Hz."""

    hz: tuple[float | None, ...]
    sd_hz: tuple[float, ...]


_Step = _Fitted | _Turned | _Read
PREFIX = 50
"""Steps that are followed at a stretch: what is known after each is remembered for a while."""


def _state(drum: Drum, side: Side, goal_hz: float, chain: Chain) -> tuple[HeadState | None, int]:
    """Return what is known of a head, and how many rounds of turns it had since its start."""
    steps, rounds = _steps(drum, side, chain)
    for stop in range(PREFIX, len(steps), PREFIX):
        _after(drum, side, goal_hz, steps[:stop])
    return _after(drum, side, goal_hz, steps), rounds


def _steps(drum: Drum, side: Side, chain: Chain) -> tuple[tuple[_Step, ...], int]:
    """Return what was done to a head, in order, and its rounds of turns since it was fitted."""
    steps: list[_Step] = []
    made, rounds = "", 0
    for _, setup, rows in chain:
        head = setup.batter if side == "batter" else setup.reso
        if head is None:
            continue
        if side in setup.slack or head.construction != made:
            made, rounds = head.construction, 0
            steps.append(_Fitted(side in setup.slack))
        turns = setup.turned.get(side)
        if turns is not None and len(turns) == drum.rods:
            steps.append(_Turned(tuple(turns)))
            rounds += 1
        steps += _passes(rows, side, drum.rods)
    return tuple(steps), rounds


def _passes(rows: Sequence[MeasurementInfo], side: Side, rods: int) -> list[_Step]:
    """Return readings as rounds of taps: a rod that was read twice is in two of them.

    A pitch that was typed again replaces the one typed before it.
    """
    by_rod: list[list[MeasurementInfo]] = [[] for _ in range(rods)]
    for row in rows:
        if row.side != side or row.rod is None or not 0 < row.rod <= rods:
            continue
        turns = by_rod[row.rod - 1]
        if turns and turns[-1].how == row.how == "typed":
            turns.pop()
        turns.append(row)
    result: list[_Step] = []
    for turn in range(max((len(turns) for turns in by_rod), default=0)):
        taps = [turns[turn] if turn < len(turns) else None for turns in by_rod]
        hz = tuple(None if row is None else row.hz for row in taps)
        result.append(_Read(hz, tuple(1.0 if row is None else row.sd_hz for row in taps)))
    return result


@lru_cache(maxsize=96)
def _after(drum: Drum, side: Side, goal_hz: float, steps: tuple[_Step, ...]) -> HeadState | None:
    """Return what is known of a head after some steps."""
    if not steps:
        return None
    state, step = _after(drum, side, goal_hz, steps[:-1]), steps[-1]
    if isinstance(step, _Fitted):
        fresh = (
            slack_head(drum, side, goal_hz)
            if step.slack
            else head_at(drum.rods, 1.0, goal_per_turn(drum, side, goal_hz))
        )
        # What a turn does on this drum is kept from head to head, less surely.
        return with_response(fresh, state) if state is not None else fresh
    if state is None:
        return None
    if isinstance(step, _Turned):
        return after_turns(state, step.turns)
    off = [None if hz is None else cents(hz, goal_hz) for hz in step.hz]
    sds = [
        5.0 if hz is None else cents(hz + sd, hz)
        for hz, sd in zip(step.hz, step.sd_hz, strict=True)
    ]
    return after_readings(state, off, sds)


def _takes(
    catalogue: Catalogue,
    drum: KitDrum,
    plan: DrumPlanFile,
    chain: Chain,
    planned: dict[Side, float],
) -> tuple[MeasuredTuning, ...]:
    """Return the drum's strokes at lug pitches that are known."""
    takes = []
    for index, (_, setup, rows) in enumerate(chain):
        strokes = [row for row in rows if row.what == "drum"]
        if not strokes:
            continue
        current = _model_of(catalogue, drum, plan, setup)
        lugs = _stood(current, planned, chain[: index + 1])
        if set(lugs) == set(planned):
            stroke = strokes[-1]
            pitch = Measured(stroke.hz, stroke.sd_hz, "Hz")
            takes.append(MeasuredTuning(current, lugs["batter"], lugs.get("reso"), pitch))
    return tuple(takes)


def stood_at(
    catalogue: Catalogue, drum: KitDrum, plan: DrumPlanFile, chain: Chain
) -> dict[Side, float]:
    """Return the lug pitch of each head in the last setup of a chain, Hz, where it is known."""
    lugs = plan.prediction.lug_hz
    planned: dict[Side, float] = {"batter": lugs.batter}
    if lugs.reso is not None:
        planned["reso"] = lugs.reso
    return _stood(_model_of(catalogue, drum, plan, chain[-1][1]), planned, chain, KNOWN_CENTS)


def _stood(
    drum: Drum, planned: dict[Side, float], chain: Chain, known: float = inf
) -> dict[Side, float]:
    """Return lug pitches of the last setup as read, Hz: those known to within ``known`` cents."""
    result: dict[Side, float] = {}
    for side, hz in planned.items():
        state = _state(drum, side, hz, chain)[0]
        if state is not None and state.read and float(state.cents_sd().max()) <= known:
            result[side] = hz * 2.0 ** (state.mean_cents() / 1200.0)
    return result


@lru_cache(maxsize=128)
def _learned(
    takes: tuple[MeasuredTuning, ...],
    planned: Drum,
    batter_hz: float,
    reso_hz: float | None,
    before: Pitch,
) -> tuple[float, Pitch]:
    """Return how far this drum sounds above the model at the plan, cents, and its pitch there."""
    if not takes:
        return 0.0, before
    result = calibrate(takes).predict(planned, batter_hz, reso_hz).prediction
    prior = predict(planned, batter_hz, reso_hz).drum_pitch.value
    offset = cents(result.drum_pitch.value, prior)
    return offset, Pitch(before.hz, result.drum_pitch_sd_cents)
