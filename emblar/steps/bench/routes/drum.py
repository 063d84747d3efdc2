"""Bench: tap, turn, strike, and go through the work on a drum."""

import re
from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field

from emblar.core.errors import InputError
from emblar.core.tuning.tap import ROUND, Tap
from emblar.formats.turn_words import WHY_NO_TAP
from emblar.formats.wires import wires_say
from emblar.frame.fields import Id, Text, as_number
from emblar.frame.here import Here
from emblar.frame.notice import checked_notice, notice_query
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.platform.studio import check_session
from emblar.steps.bench.actions import tuning as actions
from emblar.steps.bench.actions.hum import hum_map, read_hum_stroke
from emblar.steps.bench.actions.sound import (
    goal_sound,
    hear_wires,
    read_clip,
    read_live,
    read_stroke,
)
from emblar.steps.bench.actions.sweep import sweep_stroke, swept, take_sweep_back
from emblar.steps.bench.actions.undo import undo as undo_last
from emblar.steps.bench.actions.way_back import to_the_plan
from emblar.steps.bench.page.drum import Chosen, bench_page
from emblar.steps.bench.page.hum import hum_page
from emblar.steps.bench.page.sweep import sweep_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/bench", route_class=ReadAtOnce)
Side = Literal["batter", "reso"]
MOST_RODS = 20
MOST_TOGETHER = 8
"""Taps that are sent and read together."""
NEEDS_OTHERS = ("cannot tell", "wrong mode", "other head")
"""Reasons why a single tap cannot be read although several together may be."""
Rod = Annotated[int, Field(ge=0, lt=MOST_RODS)]
HZ = re.compile(r"\s*hz$", re.IGNORECASE)
"""A unit typed behind a pitch."""
COUNTED = "emblar-rods"
"""The cookie that keeps where this browser's person counts rods from."""
A_YEAR_S = 365 * 24 * 3600


@router.get("")
def show(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    head: str = "",
    tapped: Annotated[str, Query(max_length=80, pattern=r"^[0-9.]*$")] = "",
    done: Text = "",
    mark: Text = "",
) -> Response:
    """Show the next thing to do on a drum; ``tapped`` are rods tapped by now, the first first."""
    _, around = load(studio, session_id, "bench", sel)
    page, problem = None, ""
    if around.drum is None:
        problem = "There is no drum to tune yet. Say in Kit what you own."
    else:
        try:
            current = actions.bench(studio, session_id, around.drum.id)
            badge = request.cookies.get(COUNTED) == "badge"
            rods = tuple(int(rod) for rod in tapped.split(".") if rod)
            page = bench_page(current, around, Chosen(head, badge, rods))
        except InputError as error:
            problem = str(error)
    return render(
        request,
        "bench/page.html",
        {"page": page, "frame": around, "problem": problem, "said": checked_notice(done, mark)},
    )


def _back(session_id: int, slot_id: int, *, head: str = "", done: str = "") -> Response:
    return go(f"/sessions/{session_id}/bench?sel=d{slot_id}&head={head}{notice_query(done)}")


@router.post("/{slot_id}/typed")
async def typed(studio: Here, request: Request, session_id: Id, slot_id: Id) -> Response:
    """Keep lug pitches that were typed; an empty field is a rod that was not read."""
    await run_in_threadpool(check_session, studio, session_id)
    form = await request.form()
    side = _side(str(form.get("side", "")))
    values: list[float | None] = []
    for rod in range(1, MOST_RODS + 1):
        if f"rod-{rod}" not in form:
            break
        text = str(form[f"rod-{rod}"]).strip()
        try:
            values.append(float(as_number(HZ.sub("", text))) if text else None)
        except ValueError as error:
            raise InputError(
                f"Rod {rod}: “{text[:40]}” is not a pitch in Hz.", field=f"rod-{rod}"
            ) from error
    await run_in_threadpool(actions.type_readings, studio, session_id, slot_id, side, values)
    return _back(session_id, slot_id)


def _side(text: str) -> Side:
    if text == "batter":
        return "batter"
    if text == "reso":
        return "reso"
    raise InputError("Choose batter or reso.", field="side")


class TapAnswer(BaseModel):
    """What to show and say about the last tap."""

    read: bool
    says: str
    kept: int


def _tap_words(tap: Tap, rod: int) -> str:
    if tap.hz is not None:
        return f"Rod {rod + 1}: {tap.hz:.1f} Hz"
    return f"Rod {rod + 1}: {WHY_NO_TAP[tap.why_not or 'cannot tell']}"


@router.post("/{slot_id}/tap")
def tap(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    side: Annotated[Side, Form()],
    rod: Annotated[list[Rod], Form(max_length=MOST_TOGETHER)],
    file: Annotated[list[UploadFile], File(max_length=MOST_TOGETHER)],
) -> TapAnswer:
    """Read the tap that the microphone caught last, with those before it on the same head."""
    if len(rod) != len(file):
        raise InputError("Each tap needs its rod.", field="rod")
    taps = [(number, one.file.read()) for number, one in zip(rod, file, strict=True)]
    read = read_live(studio, session_id, slot_id, side, taps)
    last, number = read.taps[-1]
    says = _tap_words(last, number)
    if last.hz is None and len(taps) < ROUND and last.why_not in NEEDS_OTHERS:
        says = f"Rod {number + 1}: tap recorded. Its pitch will come with the next taps."
    return TapAnswer(read=last.hz is not None, says=says, kept=read.kept)


@router.post("/{slot_id}/clip")
def clip(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    side: Annotated[Side, Form()],
    file: Annotated[UploadFile, File()],
) -> Response:
    """Read a clip of taps all round."""
    read = read_clip(studio, session_id, slot_id, side, file.file.read())
    return _back(session_id, slot_id, done="; ".join(_tap_words(*row) for row in read.taps))


@router.post("/{slot_id}/turned")
def turned(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    side: Annotated[Side, Form()],
    rod: Annotated[int | None, Form(ge=0, lt=MOST_RODS)] = None,
) -> Response:
    """Keep that a rod was turned as asked, or all of the round."""
    actions.turned(studio, session_id, slot_id, side, None if rod is None else [rod])
    return _back(session_id, slot_id)


@router.post("/{slot_id}/job")
def job(
    studio: Here,
    session_id: Id,
    slot_id: Id,
    job: Annotated[Text, Form()],
    what: Annotated[Literal["done", "skip", "open"], Form()],
    note: Annotated[Text, Form()] = "",
) -> Response:
    """Mark a job as done or skipped, or go back to it."""
    if what == "open":
        actions.show_job(studio, session_id, slot_id, job)
    else:
        actions.finish_job(studio, session_id, slot_id, job, skip=what == "skip", note=note)
    return _back(session_id, slot_id)


@router.post("/{slot_id}/undo")
def undo(studio: Here, session_id: Id, slot_id: Id) -> Response:
    """Undo the last thing done on this drum."""
    return _back(session_id, slot_id, done=f"Undone: {undo_last(studio, session_id, slot_id)}.")


@router.post("/{slot_id}/stroke")
def stroke(
    studio: Here, session_id: Id, slot_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Read the drum pitch of a stroke."""
    hz = read_stroke(studio, session_id, slot_id, file.file.read())
    return _back(session_id, slot_id, done=f"{hz:.1f} Hz read.")


@router.post("/{slot_id}/wires")
def wires(
    studio: Here, session_id: Id, slot_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Say what a soft tap tells of the wires."""
    reading, planned = hear_wires(studio, session_id, slot_id, file.file.read())
    return _back(session_id, slot_id, done=wires_say(studio.catalogue(), reading, planned))


@router.get("/{slot_id}/sweep")
def by_ear(studio: Here, request: Request, session_id: Id, slot_id: Id) -> Response:
    """Show a drum's sweep by ear."""
    view = swept(studio, session_id, slot_id)
    _, around = load(studio, session_id, "bench", f"d{slot_id}")
    page = sweep_page(view, session_id)
    return render(request, "bench/sweep.html", {"page": page, "frame": around})


@router.post("/{slot_id}/sweep/stroke")
def by_ear_stroke(
    studio: Here, session_id: Id, slot_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Read strokes of a sweep."""
    sweep_stroke(studio, session_id, slot_id, file.file.read())
    return go(f"/sessions/{session_id}/bench/{slot_id}/sweep")


@router.post("/{slot_id}/sweep/back")
def by_ear_back(
    studio: Here, session_id: Id, slot_id: Id, whole: Annotated[bool, Form()] = False
) -> Response:
    """Remove the last stroke of a sweep, or all of it."""
    take_sweep_back(studio, session_id, slot_id, all_of_it=whole)
    return go(f"/sessions/{session_id}/bench/{slot_id}/sweep")


@router.post("/{slot_id}/word")
def word(studio: Here, session_id: Id, slot_id: Id, word: Annotated[Text, Form()] = "") -> Response:
    """Keep what is said of a drum as it is now."""
    actions.note_setup(studio, session_id, slot_id, word)
    return _back(session_id, slot_id, done="Kept for the log.")


@router.post("/{slot_id}/to-the-plan")
def plan_again(studio: Here, session_id: Id, slot_id: Id) -> Response:
    """Go for the plan's pitches again instead of an earlier setup's."""
    to_the_plan(studio, session_id, slot_id)
    return _back(session_id, slot_id)


@router.post("/{slot_id}/count")
def count_from(
    studio: Here, session_id: Id, slot_id: Id, counted: Annotated[Literal["you", "badge"], Form()]
) -> Response:
    """Count rods from the player or from the badge, on this browser."""
    check_session(studio, session_id)
    answer = _back(session_id, slot_id)
    answer.set_cookie(COUNTED, counted, max_age=A_YEAR_S, httponly=True, samesite="strict")
    return answer


@router.get("/hum")
def hum(studio: Here, request: Request, session_id: Id, sel: str = "") -> Response:
    """Show what the kit answers to each of its drums."""
    _, around = load(studio, session_id, "bench", sel)
    page, problem = None, ""
    try:
        result = hum_map(studio, session_id)
        page = hum_page(result, session_id, around.drum.id if around.drum else None)
    except InputError as error:
        problem = str(error)
    known = {"page": page, "frame": around, "problem": problem}
    return render(request, "bench/hum.html", known)


@router.post("/hum/{slot_id}/stroke")
def hum_stroke(
    studio: Here, session_id: Id, slot_id: Id, file: Annotated[UploadFile, File()]
) -> Response:
    """Read what the kit answers to a stroke."""
    read_hum_stroke(studio, session_id, slot_id, file.file.read())
    return go(f"/sessions/{session_id}/bench/hum?sel=d{slot_id}")


@router.get("/{slot_id}/goal.wav")
def goal(studio: Here, session_id: Id, slot_id: Id, side: Side) -> Response:
    """Return how a tap sounds on a head at its goal."""
    data = goal_sound(studio, session_id, slot_id, side)
    return Response(data, media_type="audio/wav")
