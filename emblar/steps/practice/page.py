"""What Practice shows: levels and exercises with what was reached, and the drum under way."""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.naming import counted
from emblar.core.notes import cents
from emblar.core.tuning.training import Exercise, exercises, levels
from emblar.formats.turn_words import turns_say
from emblar.steps.bench.drawing.hoop import Hoop, hoop
from emblar.steps.bench.drawing.rods import rods
from emblar.steps.practice.actions import Practised, Progress

EVEN_CENTS = 12.0
NEAR_CENTS = 10.0
HOOP_SAYS = (
    "The hoop unrolled, cents from the goal, or from the mean while the goal is far. Brackets tie "
    "rods that share their pitch."
)
TURNS = (("1/16", 0.0625), ("⅛", 0.125), ("¼", 0.25), ("½", 0.5))


@dataclass(frozen=True, slots=True)
class PracticeChoice:
    """A level or an exercise to choose, with what was reached."""

    id: str
    name: str
    reached: str


@dataclass(frozen=True, slots=True)
class PracticePage:
    """The places to begin."""

    levels: tuple[PracticeChoice, ...]
    exercises: tuple[PracticeChoice, ...]


def practice_page(done: Progress) -> PracticePage:
    """Return the page of levels and exercises."""
    rounds = []
    for name, row in levels().items():
        count, best = done.drums[name]
        reached = (
            f"checked {counted(count, 'time')}, best spread {best:.0f} ct"
            if best is not None
            else ""
        )
        rounds.append(PracticeChoice(name, row.name, reached))
    ear = []
    for name, exercise in exercises().items():
        right, of = done.ear[name]
        ear.append(PracticeChoice(name, exercise.name, f"{right} of {of} right" if of else ""))
    return PracticePage(tuple(rounds), tuple(ear))


@dataclass(frozen=True, slots=True)
class DrumPage:
    """A practice drum under way."""

    id: int
    title: str
    goal: str
    rod: int
    rods: tuple[int, ...]
    drawing: Markup
    hoop: Markup | None
    hoop_says: str
    turns: tuple[tuple[str, float], ...]
    numbers: bool
    advice: str
    did: str
    result: str
    good: bool


def drum_page(matches: Practised) -> DrumPage:
    """Return the page of a practice drum."""
    file = matches.file
    off = [None if hz is None else cents(hz, matches.goal_hz) for hz in file.readings]
    advice = ""
    if file.numbers:
        missing = sum(c is None for c in off)
        advice = (
            turns_say(matches.advice)
            if matches.advice
            else f"{counted(missing, 'rod')} to tap yet."
        )
    done = file.done
    good = (
        done is not None and done.spread_cents <= EVEN_CENTS and abs(done.mean_cents) <= NEAR_CENTS
    )
    return DrumPage(
        id=matches.id,
        title=matches.level.name,
        goal=f"Tune the batter to {matches.goal_hz:.0f} Hz, even all round.",
        rod=file.rod,
        rods=tuple(range(matches.level.rods)),
        drawing=rods(matches.level.rods, file.rod),
        hoop_says=HOOP_SAYS if file.numbers else "",
        hoop=hoop(Hoop(off, 6.0, file.rod)) if file.numbers else None,
        turns=TURNS,
        numbers=file.numbers,
        advice=advice,
        did=f"{counted(file.taps, 'tap')}, {counted(file.moves, 'turn')} so far",
        result=_result(matches, good),
        good=good,
    )


def _result(matches: Practised, good: bool) -> str:
    done = matches.file.done
    if done is None:
        return ""
    way = "above" if done.mean_cents > 0 else "below"
    text = (
        f"The rods lie {done.spread_cents:.0f} ct apart, their mean {abs(done.mean_cents):.0f} ct "
        f"{way} the goal, after {counted(matches.file.moves, 'turn')}."
    )
    return (
        f"{text} {'That drum is in tune.' if good else 'Not there yet: go on, or begin another.'}"
    )


@dataclass(frozen=True, slots=True)
class EarPage:
    """A question to the ear, and what became of the one before."""

    exercise: Exercise
    seed: int
    feedback: str
    right: bool | None
    score: str


def ear_page(
    exercise: Exercise, seed: int, done: Progress, *, right: bool | None, words: str
) -> EarPage:
    """Return the page of an exercise."""
    good, of = done.ear[exercise.id]
    return EarPage(exercise, seed, words, right, f"{good} of {of} right so far" if of else "")
