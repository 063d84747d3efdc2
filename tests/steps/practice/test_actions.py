"""Practice: drums tuned by ear or by numbers, exercises answered, progress kept."""

import numpy as np
import pytest

from emblar.core.errors import InputError, NotFoundError
from emblar.core.tuning.training import exercises, levels, question
from emblar.platform.studio import HERE, Studio
from emblar.steps.practice import actions as practice

pytestmark = pytest.mark.usefixtures("database")
RATE = 44100


def tapped(number: int, rod: int) -> None:
    """Tap beside a rod, again where the tap cannot be trusted, as a person would."""
    for _ in range(4):
        practice.tap_rod(HERE, number, rod)
        if practice.practised(HERE, number).file.readings[rod] is not None:
            return


@pytest.mark.parametrize("seed", [1, 2, 23758])
@pytest.mark.parametrize("level", list(levels()))
def test_following_the_numbers_brings_every_level_in_tune(level: str, seed: int) -> None:
    number = practice.begin_drum(HERE, level, seed)
    practice.show_numbers(HERE, number, on=True)
    for _ in range(8):
        found = practice.practised(HERE, number)
        for rod in range(found.level.rods):
            tapped(number, rod)
        advice = practice.practised(HERE, number).advice
        assert advice is not None
        if advice.done:
            break
        for rod in advice.order:
            practice.turn_rod(HERE, number, rod, advice.turns[rod])
    done = practice.check_drum(HERE, number)
    assert done.spread_cents < 14.0
    assert abs(done.mean_cents) < 12.0
    assert practice.progress(HERE).drums[level] == (1, done.spread_cents)


def test_without_asking_no_number_is_read() -> None:
    number = practice.begin_drum(HERE, "first-round")
    practice.tap_rod(HERE, number, 0)
    found = practice.practised(HERE, number)
    assert found.advice is None
    assert found.file.readings == [None] * found.level.rods
    assert (found.file.taps, found.file.moves) == (1, 0)


def test_what_cannot_be_turned_or_found_says_so() -> None:
    number = practice.begin_drum(HERE, "first-round")
    with pytest.raises(InputError, match="rods 1 to 6"):
        practice.tap_rod(HERE, number, 6)
    with pytest.raises(InputError, match="outside 1/16 to 4"):
        practice.turn_rod(HERE, number, 0, 5.0)
    with pytest.raises(NotFoundError):
        practice.practised(Studio(2), number)
    with pytest.raises(InputError, match="Choose first-round"):
        practice.begin_drum(HERE, "stadium")


@pytest.mark.parametrize("exercise", list(exercises()))
def test_an_exercise_plays_the_same_and_its_answers_count(exercise: str) -> None:
    asked = question(exercise, 7, rate=RATE)
    again = question(exercise, 7, rate=RATE)
    assert np.array_equal(asked.samples, again.samples)
    assert asked.answer in exercises()[exercise].options
    wrong = next(o for o in exercises()[exercise].options if o != asked.answer)
    assert practice.answer(HERE, exercise, 7, asked.answer) == (True, asked.says)
    assert practice.answer(HERE, exercise, 7, wrong)[0] is False
    assert practice.progress(HERE).ear[exercise] == (1, 2)
    with pytest.raises(InputError, match="not one of the answers"):
        practice.answer(HERE, exercise, 7, "neither")


def test_every_answer_comes_up() -> None:
    for name, exercise in exercises().items():
        drawn = {question(name, seed, rate=RATE).answer for seed in range(24)}
        assert drawn == set(exercise.options)
