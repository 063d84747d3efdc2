"""Practice: a drum that is not there, and exercises for the ear."""

import secrets
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, Request, Response

from emblar.core.errors import NotFoundError
from emblar.core.tuning.training import exercises
from emblar.frame.fields import Id, Number, Text
from emblar.frame.here import Here
from emblar.frame.notice import checked_notice, notice_query
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.practice import actions
from emblar.steps.practice.page import drum_page, ear_page, practice_page
from emblar.steps.workspace.routes import go

router = APIRouter(prefix="/practice", route_class=ReadAtOnce)
Rod = Annotated[int, Form(ge=0, lt=20)]
Seed = Annotated[int, Query(ge=0, lt=1 << 30)]


@router.get("")
def show(studio: Here, request: Request) -> Response:
    """Show what can be practised and what was reached."""
    page = practice_page(actions.progress(studio))
    return render(request, "practice/page.html", {"page": page})


@router.post("/drums")
def begin(studio: Here, level: Annotated[Text, Form()]) -> Response:
    """Begin a practice drum."""
    return go(f"/practice/drums/{actions.begin_drum(studio, level)}")


@router.get("/drums/{practice_id}")
def drum(studio: Here, request: Request, practice_id: Id) -> Response:
    """Show a practice drum."""
    page = drum_page(actions.practised(studio, practice_id))
    return render(request, "practice/drum.html", {"page": page})


@router.post("/drums/{practice_id}/tap.wav")
def tap(studio: Here, practice_id: Id, rod: Rod) -> Response:
    """Tap next to a rod."""
    return Response(actions.tap_rod(studio, practice_id, rod), media_type="audio/wav")


@router.get("/drums/{practice_id}/goal.wav")
def goal(studio: Here, practice_id: Id) -> Response:
    """Return how a tap sounds at the goal."""
    return Response(actions.goal_tap(studio, practice_id), media_type="audio/wav")


@router.post("/drums/{practice_id}/turn")
def turn(studio: Here, practice_id: Id, rod: Rod, turns: Annotated[Number, Form()]) -> Response:
    """Turn a rod."""
    actions.turn_rod(studio, practice_id, rod, turns)
    return go(f"/practice/drums/{practice_id}")


@router.post("/drums/{practice_id}/numbers")
def numbers(studio: Here, practice_id: Id, on: Annotated[bool, Form()]) -> Response:
    """Show readings and advice, or not."""
    actions.show_numbers(studio, practice_id, on=on)
    return go(f"/practice/drums/{practice_id}")


@router.post("/drums/{practice_id}/check")
def check(studio: Here, practice_id: Id) -> Response:
    """Look at the hidden rods."""
    actions.check_drum(studio, practice_id)
    return go(f"/practice/drums/{practice_id}")


@router.get("/ear/{exercise_id}")
def ear(
    studio: Here,
    request: Request,
    exercise_id: str,
    right: Literal["yes", "no", ""] = "",
    done: Text = "",
    mark: Text = "",
) -> Response:
    """Ask a question to the ear."""
    exercise = exercises().get(exercise_id)
    if exercise is None:
        raise NotFoundError("There is no such exercise.")
    was = {"yes": True, "no": False}.get(right)
    seed = secrets.randbelow(1 << 30)
    page = ear_page(
        exercise, seed, actions.progress(studio), right=was, words=checked_notice(done, mark)
    )
    return render(request, "practice/ear.html", {"page": page})


@router.get("/ear/{exercise_id}/sound.wav")
def ear_sound(exercise_id: str, seed: Seed) -> Response:
    """Return what the exercise plays."""
    return Response(actions.ear_sound(exercise_id, seed), media_type="audio/wav")


@router.post("/ear/{exercise_id}")
def ear_answer(
    studio: Here,
    exercise_id: str,
    seed: Annotated[int, Form(ge=0, lt=1 << 30)],
    answer: Annotated[Text, Form()],
) -> Response:
    """Keep an answer and ask the next question."""
    right, known = actions.answer(studio, exercise_id, seed, answer)
    return go(f"/practice/ear/{exercise_id}?right={'yes' if right else 'no'}{notice_query(known)}")
