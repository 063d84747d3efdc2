"""Bench: what to do next on a drum, from its plan and from everything read and turned on it."""

from collections.abc import Callable, Sequence

from sqlalchemy.orm import Session

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import Catalogue
from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.kit import check_range
from emblar.core.tuning.diagnosis import Cause
from emblar.core.tuning.procedure import Job
from emblar.formats.bench import (
    LONGEST_NOTE,
    BenchFile,
    CauseFile,
    HeadChange,
    JobDone,
    LeftFile,
    Turning,
)
from emblar.formats.plan import DrumPlanFile
from emblar.formats.setup import SetupFile, SideFile
from emblar.formats.stored import lenient
from emblar.platform.own_parts import catalogue_of
from emblar.platform.settings import current_time as clock
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench import queries as store
from emblar.steps.bench.actions.state import Bench, Chain, bench_of
from emblar.steps.kit.queries import heads as head_store
from emblar.steps.kit.queries import setups as setup_store
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.setups import SetupInfo
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan import queries as plan_store
from emblar.steps.plan.actions.planning import changed_since, kit_plan_of, latest_plan, planned_from

HOW = ("microphone", "clip", "typed", "practice")
LEAST_SD_HZ = 0.1
TYPED_SD_CENTS = 6.0
UNSAVED_SETUP = 0
"""Id of the setup of a drum of which nothing was saved yet: it is saved with the first change."""
PLAN_FIRST = (
    "This drum is not planned yet, so there is no pitch to bring it to. Plan the kit first."
)


def bench(studio: Studio, session_id: int, slot_id: int) -> Bench:
    """Return a drum at the bench.

    Raises
    ------
    InputError
        It is not planned.
    """
    drum, plan, version = _planned(studio, session_id, slot_id)
    with in_session(studio, session_id) as db:
        chain = _chain(db, session_id, drum)
        document = store.get(db, session_id, drum.drum_id)
        pair = _pair(db, session_id, drum)
    file = lenient(BenchFile, document, "The work so far")
    return bench_of(studio.catalogue(), drum, plan, version, chain, file, pair)


def _pair(db: Session, session_id: int, drum: KitDrum) -> tuple[tuple[str, float], ...]:
    """Return the drums that play the same part, each with the pitch last read on it."""
    result = []
    for other in kit_store.listing(db, session_id):
        alike = other.voice == drum.voice and other.owned.kind == drum.owned.kind
        if other.id == drum.id or drum.voice is None or not alike:
            continue
        ids = [info.id for info in setup_store.listing(db, other.drum_id)]
        strokes = [row for row in setup_store.measurements(db, ids) if row.what == "drum"]
        if strokes:
            result.append((other.owned.name, strokes[-1].hz))
    return tuple(result)


def type_readings(
    studio: Studio, session_id: int, slot_id: int, side: Side, lug_hz: Sequence[float | None]
) -> int:
    """Keep lug pitches that were typed, rod 1 first, None where there is none; return how many."""
    for rod, hz in enumerate(lug_hz, start=1):
        if hz is not None:
            try:
                check_range("lug_hz", hz)
            except EmblarError as error:
                raise InputError(str(error), field=f"rod-{rod}") from error
    known = [(rod, hz, TYPED_SD_CENTS) for rod, hz in enumerate(lug_hz) if hz is not None]
    if not known:
        raise InputError("Type the pitch of one rod at least.", field="rod-1")
    return keep_readings(studio, session_id, slot_id, side, known, how="typed")


def keep_readings(
    studio: Studio,
    session_id: int,
    slot_id: int,
    side: Side,
    known: Sequence[tuple[int, float, float]],
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
        raise InputError(f"“{how}” is not possible. Choose {', '.join(HOW)}.", field="how")
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        if side == "reso" and drum.owned.reso is None:
            raise InputError(f"{drum.owned.name} has no front head.", field="side")
        for rod, hz, _ in known:
            check_range("lug_hz", hz)
            if not 0 <= rod < drum.owned.rods:
                raise InputError(
                    f"{drum.owned.name} has rods 1 to {drum.owned.rods}, not {rod + 1}.",
                    field="rod",
                )
        if file.turning is not None:
            _close_turning(db, session_id, drum, file)
        setup = setup_of(db, session_id, drum)
        for rod, hz, sd in known:
            sd_hz = max(hz * (2.0 ** (sd / 1200.0) - 1.0), LEAST_SD_HZ)
            setup_store.measure(
                db, setup.id, what="lug", side=side, rod=rod + 1, hz=hz, sd_hz=sd_hz, how=how
            )
        save_work(catalogue_of(db, studio.studio_id), db, session_id, drum, file)
    return len(known)


def keep_stroke(
    studio: Studio,
    session_id: int,
    slot_id: int,
    hz: float,
    sd_hz: float,
    causes: Sequence[Cause] = (),
) -> None:
    """Keep a drum pitch that was read of a stroke, both heads ringing, and what it gave away."""
    check_range("drum_pitch_hz", hz)
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        if file.turning is not None:
            _close_turning(db, session_id, drum, file)
        setup = setup_of(db, session_id, drum)
        setup_store.measure(
            db,
            setup.id,
            what="drum",
            side=None,
            rod=None,
            hz=hz,
            sd_hz=max(sd_hz, LEAST_SD_HZ),
            how="microphone",
        )
        file.causes = [CauseFile(id=c.id, numbers=c.numbers, head=c.head) for c in causes]
        save_work(catalogue_of(db, studio.studio_id), db, session_id, drum, file)


def turned(
    studio: Studio, session_id: int, slot_id: int, side: Side, rods: Sequence[int] | None = None
) -> None:
    """Keep that rods were turned as the next turns say, all of them if none is named.

    Raises
    ------
    InputError
        Nothing is to be turned there now: a round that is done wants taps before the next one, also
        when it is said to be done twice.
    """
    catalogue = studio.catalogue()
    _, plan, version = _planned(studio, session_id, slot_id)
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        current = bench_of(
            catalogue, drum, plan, version, _chain(db, session_id, drum), file
        ).heads.get(side)
        if current is None:
            raise InputError("There is no such head on this drum.", field="side")
        if file.turning is None or file.turning.side != side:
            if current.refusal:
                raise InputError(current.refusal)
            if current.advice is None or current.advice.why != "turn" or current.unread:
                raise InputError("No rod needs a turn on this head now. Tap it first.")
            if file.turning is not None:
                _close_turning(db, session_id, drum, file)
            file.turning = Turning(
                side=side, turns=list(current.advice.turns), order=list(current.advice.order)
            )
        request = file.turning.left if rods is None else rods
        file.turning.done += [rod for rod in request if rod in file.turning.left]
        if not file.turning.left:
            _close_turning(db, session_id, drum, file)
        save_work(catalogue, db, session_id, drum, file)


def finish_job(
    studio: Studio,
    session_id: int,
    slot_id: int,
    job_id: str,
    *,
    skip: bool = False,
    note: str = "",
) -> None:
    """Mark a job as done or skipped; fitting a head keeps what is on the drum now.

    Raises
    ------
    InputError
        There is no such job, or the note is too long.
    """
    description = checked_note(note, "note")
    current = bench(studio, session_id, slot_id)
    job = _job(current, job_id)
    before = changed_since(studio, session_id)
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        if file.turning is not None:
            _close_turning(db, session_id, drum, file)
        was = file.jobs.get(job_id)
        if job.text == "mount" and was is not None and was.state == "done":
            # Said twice, or gone back to and said again: it is the same head.
            file.jobs[job_id] = was.model_copy(update={"note": description})
        else:
            file.jobs.pop(job_id, None)
            file.jobs[job_id] = _done(
                db, studio, session_id, current, file, job, skip=skip, words=description
            )
        file.at = ""
        save_work(catalogue_of(db, studio.studio_id), db, session_id, drum, file)
    if job.text == "mount":
        mark_as_planned(studio, session_id, before)


def _job(state: Bench, job_id: str) -> Job:
    result = next((job for job in state.jobs if job.id == job_id), None)
    if result is None:
        raise InputError(f"“{job_id[:40]}” is no job on {state.drum.owned.name}.")
    return result


def _done(
    db: Session,
    studio: Studio,
    session_id: int,
    state: Bench,
    file: BenchFile,
    job: Job,
    *,
    skip: bool,
    words: str,
) -> JobDone:
    """Do what a job does to the drum; return what is kept of it."""
    drum, head = state.drum, None
    stood = setup_of(db, session_id, drum).id
    if job.text == "mount" and job.side is not None and not skip:
        head = _fit(db, studio, session_id, drum, job.side, state.heads[job.side].planned)
    # What was laid on stroke by stroke stays; else it is what the plan says.
    if job.text == "dampers" and not skip and not file.layers:
        change_setup(db, session_id, drum, dampers=list(state.plan.dampers))
    setup = setup_of(db, session_id, drum)
    rows = setup_store.measurements(db, [setup.id])
    return JobDone(
        state="skipped" if skip else "done",
        note=words,
        at=clock(),
        number=max((done.number for done in file.jobs.values()), default=0) + 1,
        setup_before=stood,
        setup_after=setup.id,
        reading=max((r.id for r in rows), default=0),
        head=head,
    )


def show_job(studio: Studio, session_id: int, slot_id: int, job_id: str) -> None:
    """Go to a job, done or not; it is open again, but for a head that is on.

    Raises
    ------
    InputError
        There is no such job.
    """
    _job(bench(studio, session_id, slot_id), job_id)
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        if not job_id.startswith("mount-"):
            file.jobs.pop(job_id, None)
        file.at = job_id
        save_work(catalogue_of(db, studio.studio_id), db, session_id, drum, file)


def checked_note(note: str, field: str) -> str:
    """Return a note on a setup as it is stored.

    Raises
    ------
    InputError
        It is too long.
    """
    text = note.strip()
    if len(text) > LONGEST_NOTE:
        raise InputError(f"Up to {LONGEST_NOTE} letters; these are {len(text)}.", field=field)
    return text


def note_setup(studio: Studio, session_id: int, slot_id: int, note: str) -> None:
    """Keep what is said of a drum as it is now, for the log: the drummer's word, the weather.

    Raises
    ------
    InputError
        It is too long.
    """
    text = checked_note(note, "word")
    with in_session(studio, session_id) as db:
        drum, _ = work_on(db, session_id, slot_id)
        setup_store.set_note(db, setup_of(db, session_id, drum).id, text)


def _planned(studio: Studio, session_id: int, slot_id: int) -> tuple[KitDrum, DrumPlanFile, int]:
    with in_session(studio, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
    plan = latest_plan(studio, session_id)
    if plan is None or slot_id not in plan.drums:
        raise InputError(PLAN_FIRST)
    return drum, plan.drums[slot_id], plan.version


def planned_chain(
    studio: Studio, session_id: int, slot_id: int
) -> tuple[KitDrum, DrumPlanFile, int, Chain]:
    """Return a planned drum with its plan, the plan's version and its setups, the oldest first.

    Raises
    ------
    InputError
        It is not planned.
    """
    drum, plan, version = _planned(studio, session_id, slot_id)
    with in_session(studio, session_id) as db:
        return drum, plan, version, _chain(db, session_id, drum)


def change_work(
    studio: Studio, session_id: int, slot_id: int, change: Callable[[BenchFile], None]
) -> None:
    """Change what is kept of the work on a drum; nobody else changes it meanwhile."""
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        change(file)
        save_work(catalogue_of(db, studio.studio_id), db, session_id, drum, file)


def work_on(db: Session, session_id: int, slot_id: int) -> tuple[KitDrum, BenchFile]:
    """Return a drum and the work on it, held until this transaction has ended."""
    drum = kit_store.get(db, session_id, slot_id)
    document = store.get(db, session_id, drum.drum_id, lock=True)
    return drum, lenient(BenchFile, document, "The work so far")


def save_work(
    catalogue: Catalogue, db: Session, session_id: int, drum: KitDrum, file: BenchFile
) -> None:
    """Keep the work on a drum, and where its heads were left by their last readings."""
    file.left = _left(catalogue, db, session_id, drum, file)
    store.keep(db, session_id, drum.drum_id, file.model_dump(by_alias=True, mode="json"))


def _left(
    catalogue: Catalogue, db: Session, session_id: int, drum: KitDrum, file: BenchFile
) -> dict[Side, LeftFile]:
    """Return the heads that are off their goal; none where the drum has no plan."""
    info = plan_store.latest(db, session_id)
    plan = kit_plan_of(catalogue, info).drums.get(drum.id) if info and file.jobs else None
    if info is None or plan is None:
        return {}
    heads = bench_of(catalogue, drum, plan, info.version, _chain(db, session_id, drum), file).heads
    return {
        side: LeftFile(hz=head.last_hz, off_cents=head.off_cents)
        for side, head in heads.items()
        if head.last_hz is not None and head.off_cents is not None
    }


def setup_of(db: Session, session_id: int, drum: KitDrum) -> SetupInfo:
    """Return the drum's newest setup, saving it as found, with no pitch known, the first time."""
    newest = setup_store.latest(db, drum.drum_id)
    if newest is not None:
        return newest
    result = _as_found(session_id, drum)
    return setup_store.add(
        db, drum.drum_id, result.document, origin=result.origin, session_id=session_id
    )


def _as_found(session_id: int, drum: KitDrum) -> SetupInfo:
    """Return the setup of a drum of which nothing was saved yet."""
    unknown: list[float | None] = [None] * drum.owned.rods
    owned = drum.owned
    file = SetupFile(
        batter=SideFile(construction=owned.batter, lug_hz=unknown),
        reso=SideFile(construction=owned.reso, lug_hz=unknown) if owned.reso else None,
        port_in=owned.port_in,
    )
    return SetupInfo(
        id=UNSAVED_SETUP,
        drum_id=drum.drum_id,
        session_id=session_id,
        parent_id=None,
        origin="as found",
        document=file.model_dump(by_alias=True, mode="json"),
        note="",
        picture_id=None,
        created_at=clock(),
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
    back_to: int | None = None,
) -> None:
    """Keep what the drum is like after a change; pitches of a head that changed are not known."""
    before = setup_of(db, session_id, drum)
    file = lenient(SetupFile, before.document, "This setup").model_copy(deep=True)
    file.turned, file.slack, file.back_to = {}, [], back_to
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
        db,
        drum.drum_id,
        file.model_dump(by_alias=True),
        origin="bench",
        session_id=session_id,
        parent_id=before.id,
    )


def _close_turning(db: Session, session_id: int, drum: KitDrum, file: BenchFile) -> None:
    turning, file.turning = file.turning, None
    if turning is not None and turning.done:
        change_setup(db, session_id, drum, turned={turning.side: turning.made})


def _fit(
    db: Session, studio: Studio, session_id: int, drum: KitDrum, side: Side, planned: str
) -> HeadChange:
    """Fit the planned head: one of the shelf if it has such a one, else one bought."""
    made = head_store.fit_construction(db, studio.studio_id, drum.drum_id, side, planned)
    change_setup(db, session_id, drum, fitted=(side, planned))
    return HeadChange(
        side=side,
        head=made.head,
        condition=made.condition,
        was=made.was,
        was_condition=made.was_condition,
    )


def mark_as_planned(studio: Studio, session_id: int, before: Sequence[str]) -> None:
    """Keep the plan as up to date as before a planned head was fitted, or came off again.

    ``before`` is what had changed since the plan by then: that stays changed.
    """
    marks = planned_from(studio, session_id)
    with in_session(studio, session_id) as db:
        info = plan_store.latest(db, session_id)
        if info is not None:
            kept = {name: info.inputs.get(name, "") for name in before}
            plan_store.set_inputs(db, session_id, info.version, marks | kept)


def _chain(db: Session, session_id: int, drum: KitDrum) -> Chain:
    """Return the drum's setups, the oldest first, with what was measured on each."""
    infos = setup_store.listing(db, drum.drum_id) or [_as_found(session_id, drum)]
    rows = setup_store.measurements(db, [info.id for info in infos])
    return tuple(
        (
            info,
            lenient(SetupFile, info.document, "This setup"),
            tuple(row for row in rows if row.setup_id == info.id),
        )
        for info in infos
    )
