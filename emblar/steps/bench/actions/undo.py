"""The last step at the bench undone: a reading, a turn, a job, or a way back that was gone."""

from dataclasses import dataclass

from sqlalchemy.orm import Session

from emblar.core.errors import InputError, NotFoundError
from emblar.formats.bench import BenchFile, HeadChange, JobDone, Turning
from emblar.platform.own_parts import catalogue_of
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench.actions.tuning import mark_as_planned, save_work, work_on
from emblar.steps.kit.queries import heads as head_store
from emblar.steps.kit.queries import setups as setup_store
from emblar.steps.kit.queries.heads import Exchange
from emblar.steps.kit.queries.setups import MeasurementInfo, SetupInfo
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen import queries as recording_store
from emblar.steps.plan.actions.planning import changed_since

NOTHING = "There is nothing to undo on this drum."
TAKEN_SINCE = (
    "A take was made of the drum as it is now. Remove that take in Match to undo what came before."
)


def undo(studio: Studio, session_id: int, slot_id: int) -> str:
    """Undo the last thing done at the bench on this drum; return what it was in words.

    Raises
    ------
    InputError
        There is nothing to undo, or a take stands in the way.
    """
    before = changed_since(studio, session_id)
    with in_session(studio, session_id) as db:
        drum, file = work_on(db, session_id, slot_id)
        says, exchanged = _Undo(db, studio, session_id, drum, file).last()
        save_work(catalogue_of(db, studio.studio_id), db, session_id, drum, file)
    if exchanged:
        mark_as_planned(studio, session_id, before)
    return says


@dataclass(frozen=True, slots=True)
class _Undo:
    """The work on one drum, held by this transaction."""

    db: Session
    studio: Studio
    session_id: int
    drum: KitDrum
    file: BenchFile

    def last(self) -> tuple[str, bool]:
        """Undo the last step; return it in words, and whether heads were exchanged by it."""
        turning = self.file.turning
        if turning is not None and turning.done:
            return _to_turn_again(turning.done.pop()), False
        setup = setup_store.latest(self.db, self.drum.drum_id)
        rows = setup_store.measurements(self.db, [setup.id]) if setup is not None else []
        job_id = max(self.file.jobs, key=lambda name: self.file.jobs[name].number, default="")
        if job_id and _is_last(self.file.jobs[job_id], setup, rows):
            return self._job(job_id)
        if setup is not None and rows:
            return self._readings(setup, rows), False
        if setup is not None and self._is_a_step(setup):
            return self._setup(setup), False
        if job_id:
            return self._job(job_id)
        raise InputError(NOTHING)

    def _is_a_step(self, setup: SetupInfo) -> bool:
        # A head that was fitted is undone with its job.
        same_work = setup.session_id == self.session_id and setup.origin == "bench"
        return same_work and not setup.document.get("slack")

    def _readings(self, setup: SetupInfo, rows: list[MeasurementInfo]) -> str:
        last = [row for row in rows if row.created_at == rows[-1].created_at]
        for row in last:
            setup_store.delete_measurement(self.db, setup.id, row.id)
        return f"{len(last)} {'reading' if len(last) == 1 else 'readings'} removed"

    def _setup(self, setup: SetupInfo) -> str:
        """Undo turns, a way back, or what was changed in Match."""
        if setup.document.get("back_to"):
            return self._way(setup)
        self._take_back(setup)
        if not setup.document.get("turned"):
            return "the last change of the drum"
        side, turns = next(iter(setup.document["turned"].items()))
        order = [rod for rod, t in enumerate(turns) if t]
        self.file.turning = Turning(side=side, turns=turns, order=order, done=order[:-1])
        return _to_turn_again(order[-1])

    def _way(self, setup: SetupInfo) -> str:
        # A way is kept as one setup for each head it turned and one more, all in one go.
        for info in setup_store.listing(self.db, self.drum.drum_id):
            if info.created_at == setup.created_at and info.session_id == self.session_id:
                self._take_back(info)
        back = self.file.back_to
        if back is not None and back.setup == setup.document["back_to"]:
            self.file.jobs = back.jobs | self.file.jobs
            self.file.back_to, self.file.at = back.before, ""
        return "the way back; the drum is as it was before it"

    def _job(self, job_id: str) -> tuple[str, bool]:
        job = self.file.jobs.pop(job_id)
        if job.head is not None:
            self._heads_back(job.head)
        for info in setup_store.listing(self.db, self.drum.drum_id) if job.setup_after else ():
            if job.setup_before < info.id <= job.setup_after:
                self._take_back(info)
        return f"“{job_id.replace('-', ' ')}” is open again", job.head is not None

    def _heads_back(self, change: HeadChange) -> None:
        made = Exchange(change.head, change.condition, change.was, change.was_condition)
        try:
            head_store.fit_back(
                self.db, self.studio.studio_id, self.drum.drum_id, change.side, made
            )
        except NotFoundError as error:
            raise InputError(
                f"{error} The heads stay as they are: change them in Kit if they are others."
            ) from error

    def _take_back(self, setup: SetupInfo) -> None:
        takes = recording_store.takes(self.db, self.session_id, self.drum.drum_id)
        if any(take.setup_id == setup.id for take in takes):
            raise InputError(TAKEN_SINCE)
        setup_store.take_back(self.db, setup.id)


def _is_last(job: JobDone, setup: SetupInfo | None, rows: list[MeasurementInfo]) -> bool:
    """Whether nothing was read and nothing changed since a job was done."""
    if setup is None or not job.setup_after:
        return setup is None
    return setup.id <= job.setup_after and max((row.id for row in rows), default=0) <= job.reading


def _to_turn_again(rod: int) -> str:
    return f"Rod {rod + 1} is to turn again"
