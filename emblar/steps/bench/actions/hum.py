"""Hum of the kit: one drum struck, what the others answer, kept with the work on the struck one."""

from dataclasses import dataclass

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import InputError
from emblar.core.notes import cents
from emblar.core.synthesis.stroke import drum_voice
from emblar.core.tuning.hum import Answer, Beside, Ringing, expected_hum, read_hum
from emblar.formats.bench import BenchFile, HumFile
from emblar.formats.stored import lenient
from emblar.platform.sound.clips import clip_samples
from emblar.platform.studio import Studio
from emblar.steps.bench import queries as store
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import PLAN_FIRST, bench, change_work
from emblar.steps.kit.actions.drums import kit
from emblar.steps.plan.actions.planning import latest_plan


@dataclass(frozen=True, slots=True)
class HumDrum:
    """A planned drum of the kit with the pitch it is known to have."""

    id: int
    drum_id: int
    name: str
    hz: float
    sd_cents: float
    measured: bool


@dataclass(frozen=True, slots=True)
class HumMap:
    """Every planned drum, and what each answers to each: expected in dB, read now and before.

    Pairs are (struck, answering) slots.
    """

    drums: tuple[HumDrum, ...]
    left_out: tuple[str, ...]
    expected: dict[tuple[int, int], float]
    answers: dict[tuple[int, int], HumFile]
    before: dict[tuple[int, int], HumFile]
    ringing: dict[int, tuple[Ringing, ...]]
    """The modes of each drum."""


def hum_map(studio: Studio, session_id: int) -> HumMap:
    """Return what is expected and known of the kit's hum.

    Raises
    ------
    InputError
        Nothing is planned.
    """
    plan = latest_plan(studio, session_id)
    slots = kit(studio, session_id)
    planned = [d for d in slots if plan is not None and d.id in plan.drums]
    if plan is None or not planned:
        raise InputError(PLAN_FIRST)
    states = [bench(studio, session_id, d.id) for d in planned]
    drums = tuple(_drum(current) for current in states)
    slot_of = {str(d.drum_id): d.id for d in drums}
    with studio.work() as db:
        files = {
            d.id: lenient(BenchFile, store.get(db, session_id, d.drum_id), "The work so far")
            for d in drums
        }

    def answers(name: str) -> dict[tuple[int, int], HumFile]:
        return {
            (struck, slot_of[key]): answer
            for struck, file in files.items()
            for key, answer in getattr(file, name).items()
            if key in slot_of
        }

    catalogue = studio.catalogue()
    voices = {
        str(current.drum.id): (
            current.plan.kind,
            drum_voice(current.plan.predicted(catalogue), current.plan.kind),
        )
        for current in states
    }
    expected = {(int(a), int(b)): db for (a, b), db in expected_hum(voices).items()}
    return HumMap(
        drums,
        tuple(d.owned.name for d in slots if d.id not in plan.drums),
        expected,
        answers("hum"),
        answers("hum_before"),
        {current.drum.id: _modes(current) for current in states},
    )


def read_hum_stroke(studio: Studio, session_id: int, slot_id: int, data: bytes) -> int:
    """Read what the kit answers to a stroke on one drum and keep it; return how many drums hum.

    Raises
    ------
    BadAudioError
        There is no stroke in it, or it ends too soon; nothing was kept.
    InputError
        The drum is not planned, or is the only one.
    """
    result = hum_map(studio, session_id)
    others = [d for d in result.drums if d.id != slot_id]
    if not others or slot_id not in result.ringing:
        raise InputError("Plan this drum and another one first: their notes are listened for.")
    samples = clip_samples(data)
    neighbours = [Beside(str(d.drum_id), d.hz, d.sd_cents) for d in others]
    answers = read_hum(samples, ANALYSIS_RATE_HZ, result.ringing[slot_id], neighbours)

    def keep(file: BenchFile) -> None:
        file.hum_before = file.hum
        file.hum = {answer.name: _file(answer) for answer in answers}

    change_work(studio, session_id, slot_id, keep)
    return sum(answer.audible for answer in answers)


def _file(answer: Answer) -> HumFile:
    return HumFile(
        heard=answer.audible,
        level_db=answer.level_db,
        hz=answer.hz,
        t60_s=answer.t60_s,
        why_not=answer.why_not,
    )


def _pitch(state: Bench) -> tuple[float, float]:
    """Return the drum's pitch as known: read on it, or by its plan and what was learned."""
    if state.measured is not None:
        hz = state.measured.hz
        return hz, cents(hz + state.measured.sd_hz, hz)
    return state.pitch.hz, state.pitch.sd_cents


def _drum(state: Bench) -> HumDrum:
    hz, sd_cents = _pitch(state)
    drum = state.drum
    return HumDrum(drum.id, drum.drum_id, drum.owned.name, hz, sd_cents, state.measured is not None)


def _modes(state: Bench) -> tuple[Ringing, ...]:
    """Return the planned modes, moved to where the drum is known to be."""
    moved = _pitch(state)[0] / state.plan.card["pitch"].value
    return tuple(
        Ringing(mode.frequency_hz * moved, mode.t60_s, mode.level_db) for mode in state.plan.modes
    )
