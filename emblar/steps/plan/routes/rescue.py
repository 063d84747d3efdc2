"""Rescue: the few changes to a cheap kit that bring most for a budget."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.rescue import usual_head_price
from emblar.frame.fields import Id, Text, as_number
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.plan.actions.rescue import check_drum, drum_of_fix, rescue_of, take_fix
from emblar.steps.plan.page.rescue import rescue_page
from emblar.steps.workspace.routes import go, load

router = APIRouter(prefix="/sessions/{session_id}/plan/rescue", route_class=ReadAtOnce)


def _number(name: str, text: str) -> float:
    try:
        return float(as_number(text))
    except ValueError as error:
        raise InputError(f"“{text[:40]}” is not a number.", field=name) from error


@router.get("")
def show(
    studio: Here, request: Request, session_id: Id, budget: Text = "", head: Text = ""
) -> Response:
    """Show the changes."""
    _, around = load(studio, session_id, "plan", "")
    price = head or f"{usual_head_price():g}"
    problem, result = "", None
    if budget:
        try:
            known = rescue_of(studio, session_id, _number("budget", budget), _number("head", price))
            result = known, [drum_of_fix(studio, session_id, fix) for fix in known.fixes]
        except EmblarError as error:
            problem = str(error)
    page = rescue_page(studio.catalogue(), session_id, budget, price, result, problem)
    return render(request, "plan/rescue.html", {"page": page, "frame": around})


@router.post("/{drum_id}")
def use(
    studio: Here,
    session_id: Id,
    drum_id: Id,
    budget: Annotated[Text, Form()] = "",
    head: Annotated[Text, Form()] = "",
) -> Response:
    """Ask for one of the changes."""
    check_drum(studio, session_id, drum_id)
    take_fix(studio, session_id, drum_id, _number("budget", budget), _number("head", head))
    return go(f"/sessions/{session_id}/plan?sel=d{drum_id}")
