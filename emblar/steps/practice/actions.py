"""Practice: a drum that is not there, tuned by ear or by numbers; exercises for the ear."""

import secrets
from dataclasses import dataclass

import numpy as np

from emblar.core.errors import InputError
from emblar.core.notes import cents
from emblar.core.synthesis.practice import PracticeDrum
from emblar.core.tuning.head_response import goal_per_turn
from emblar.core.tuning.head_state import after_readings, after_turns, head_at
from emblar.core.tuning.next_turns import NextTurns, next_turns
from emblar.core.tuning.tap import read_taps, tapped_head
from emblar.core.tuning.training import Level, begin, exercises, level, levels, question
from emblar.formats.practice import EarAnswer, PracticeDone, PracticeFile
from emblar.formats.stored import lenient, readable
from emblar.formats.tuning import MeasuredStep, TurnedStep
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import Studio
from emblar.steps.practice import queries as store
from emblar.steps.practice.queries import PracticeInfo

RATE_HZ = 44100
MOST_TURNS = 4.0
"""One rod is turned this far at a time at most, turns: as far as the next turns go."""
MOST_LISTED = 400
READ_SD_CENTS = 4.0
MOST_UNREAD = 0.2
"""Share of the rods that may be unread; the filter estimates them from the others."""
PEAK = 0.6


@dataclass(frozen=True, slots=True)
class Practised:
    """A practice drum: its level, what was done, and the advice if numbers are asked for."""

    id: int
    level: Level
    file: PracticeFile
    goal_hz: float
    advice: NextTurns | None


@dataclass(frozen=True, slots=True)
class Progress:
    """What was practised: per level rounds done and the best, per exercise right of all."""

    drums: dict[str, tuple[int, float | None]]
    ear: dict[str, tuple[int, int]]


def progress(studio: Studio) -> Progress:
    """Return what was practised so far."""
    with studio.work() as db:
        drums = store.listing(db, studio.studio_id, "drum", most=MOST_LISTED)
        answers = store.listing(db, studio.studio_id, "ear", most=MOST_LISTED)
    done: dict[str, list[float]] = {name: [] for name in levels()}
    for file in readable(PracticeFile, [info.document for info in drums], "A practice drum"):
        if file.done is not None and file.level in done:
            done[file.level].append(file.done.spread_cents)
    ear = dict.fromkeys(exercises(), (0, 0))
    for answer in readable(EarAnswer, [info.document for info in answers], "An answer"):
        if answer.exercise in ear:
            right, of = ear[answer.exercise]
            ear[answer.exercise] = right + (answer.answered == answer.right), of + 1
    best = {name: (len(rows), min(rows, default=None)) for name, rows in done.items()}
    return Progress(best, ear)


def begin_drum(studio: Studio, level_id: str, seed: int | None = None) -> int:
    """Start a practice drum, drawn at random unless a seed is given, and return its id."""
    seed = secrets.randbelow(1 << 30) if seed is None else seed
    hidden = begin(level_id, seed)
    rods = [None] * hidden.drum.rods
    file = PracticeFile(
        level=level_id, seed=seed, tensions=hidden.tensions["batter"].tolist(), readings=list(rods)
    )
    with studio.work() as db:
        return store.add(db, studio.studio_id, "drum", file.model_dump(by_alias=True)).id


def practised(studio: Studio, practice_id: int) -> Practised:
    """Return a practice drum."""
    with studio.work() as db:
        info = store.get(db, studio.studio_id, practice_id)
    file = _file(info)
    request = level(file.level)
    goal = request.goal_hz()
    return Practised(info.id, request, file, goal, _advice(request, file, goal))


def tap_rod(studio: Studio, practice_id: int, rod: int) -> bytes:
    """Tap next to a rod: return the sound as WAV; where numbers are asked for it is read, too."""
    with studio.work() as db:
        file = _file(store.get(db, studio.studio_id, practice_id, lock=True))
        hidden = _hidden(file)
        _check_rod(hidden, rod)
        file.rod, file.taps = rod, file.taps + 1
        hidden.seed = file.seed + file.taps
        samples = hidden.tap("batter", rod, rate=RATE_HZ)
        if file.numbers:
            taps = read_taps(samples, RATE_HZ, tapped_head(hidden.drum, "batter"))
            file.readings[rod] = taps[0].hz if taps else None
        store.keep(db, practice_id, file.model_dump(by_alias=True))
    return wav_bytes(samples * PEAK / max(float(np.abs(samples).max()), 1e-9), RATE_HZ)


def turn_rod(studio: Studio, practice_id: int, rod: int, turns: float) -> None:
    """Turn a rod of a practice drum, tightening positive."""
    if not 0.0 < abs(turns) <= MOST_TURNS:
        raise InputError(f"{turns:g} is outside 1/16 to {MOST_TURNS:g} turns.", field="turns")
    with studio.work() as db:
        file = _file(store.get(db, studio.studio_id, practice_id, lock=True))
        hidden = _hidden(file)
        _check_rod(hidden, rod)
        if any(hz is not None for hz in file.readings):
            file.steps.append(MeasuredStep(measured_hz=file.readings, sd_cents=READ_SD_CENTS))
        file.readings = [None] * hidden.drum.rods
        hidden.turn("batter", rod, turns)
        request = [0.0] * hidden.drum.rods
        request[rod] = turns
        last = file.steps[-1] if file.steps else None
        if isinstance(last, TurnedStep):
            last.turned = [a + b for a, b in zip(last.turned, request, strict=True)]
        else:
            file.steps.append(TurnedStep(turned=request))
        file.tensions = hidden.tensions["batter"].tolist()
        file.rod, file.moves, file.done = rod, file.moves + 1, None
        store.keep(db, practice_id, file.model_dump(by_alias=True))


def show_numbers(studio: Studio, practice_id: int, *, on: bool) -> None:
    """Show readings and advice for a practice drum, or not."""
    with studio.work() as db:
        file = _file(store.get(db, studio.studio_id, practice_id, lock=True))
        file.numbers = on
        store.keep(db, practice_id, file.model_dump(by_alias=True))


def check_drum(studio: Studio, practice_id: int) -> PracticeDone:
    """Look at the hidden rods: how even the head is and how far from its goal."""
    with studio.work() as db:
        file = _file(store.get(db, studio.studio_id, practice_id, lock=True))
        hidden = _hidden(file)
        off = 1200.0 * np.log2(hidden.rod_pitches_hz("batter") / level(file.level).goal_hz())
        file.done = PracticeDone(
            spread_cents=round(float(np.ptp(off)), 1), mean_cents=round(float(off.mean()), 1)
        )
        store.keep(db, practice_id, file.model_dump(by_alias=True))
        return file.done


def goal_tap(studio: Studio, practice_id: int) -> bytes:
    """Return how a tap sounds on the practice drum at its goal, as WAV."""
    result = practised(studio, practice_id)
    even = np.full(result.level.rods, result.level.goal_n_per_m)
    drum = PracticeDrum(result.level.drum(), {"batter": even}, {"batter": 1.0})
    samples = drum.tap("batter", 0, rate=RATE_HZ)
    return wav_bytes(samples * PEAK / max(float(np.abs(samples).max()), 1e-9), RATE_HZ)


def ear_sound(exercise_id: str, seed: int) -> bytes:
    """Return what an exercise plays, as WAV."""
    samples = question(exercise_id, seed, rate=RATE_HZ).samples
    return wav_bytes(samples * PEAK / max(float(np.abs(samples).max()), 1e-9), RATE_HZ)


def answer(studio: Studio, exercise_id: str, seed: int, answered: str) -> tuple[bool, str]:
    """Keep an answer; return whether it is right, and what it was."""
    result = question(exercise_id, seed, rate=RATE_HZ)
    if answered not in exercises()[exercise_id].options:
        raise InputError(f"“{answered}” is not one of the answers.", field="answer")
    file = EarAnswer(exercise=exercise_id, seed=seed, answered=answered, right=result.answer)
    with studio.work() as db:
        store.add(db, studio.studio_id, "ear", file.model_dump(by_alias=True))
    return answered == result.answer, result.says


def _file(info: PracticeInfo) -> PracticeFile:
    return lenient(PracticeFile, info.document, "This practice drum")


def _hidden(file: PracticeFile) -> PracticeDrum:
    drum = begin(file.level, file.seed)
    drum.tensions["batter"] = np.array(file.tensions)
    return drum


def _check_rod(hidden: PracticeDrum, rod: int) -> None:
    if not 0 <= rod < hidden.drum.rods:
        raise InputError(f"This drum has rods 1 to {hidden.drum.rods}.", field="rod")


def _advice(exercise_level: Level, file: PracticeFile, goal_hz: float) -> NextTurns | None:
    """Return the next turns if numbers are shown and enough rods have been read."""
    unread = file.readings.count(None)
    if not file.numbers or unread > len(file.readings) * MOST_UNREAD:
        return None
    state = head_at(
        exercise_level.rods,
        exercise_level.start,
        goal_per_turn(exercise_level.drum(), "batter", goal_hz),
    )
    steps = [*file.steps, MeasuredStep(measured_hz=file.readings, sd_cents=READ_SD_CENTS)]
    for step in steps:
        if isinstance(step, TurnedStep):
            state = after_turns(state, step.turned)
        else:
            off = [None if hz is None else cents(hz, goal_hz) for hz in step.measured_hz]
            state = after_readings(state, off, step.sd_cents)
    return next_turns(state)
