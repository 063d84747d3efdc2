"""Accounts: coming in, going out, one's own logins, and for owners who else may come in."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi import Path as InPath

from emblar.core.errors import EmblarError, InputError
from emblar.frame.fields import Id, Text
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.accounts import actions
from emblar.steps.accounts.actions import LASTS, LoggedIn, TooManyAttemptsError
from emblar.steps.accounts.entrance import COOKIE, own_path
from emblar.steps.workspace.routes import go

router = APIRouter(route_class=ReadAtOnce)
LONGEST_TOKEN = 64
Token = Annotated[str, InPath(max_length=LONGEST_TOKEN)]


def _current_user(request: Request) -> LoggedIn:
    result: LoggedIn = request.state.entered
    return result


def _log_in_page(
    request: Request, next_path: str, *, name: str = "", problem: str = "", status: int = 200
) -> Response:
    known = {"to": own_path(next_path), "name": name, "problem": problem}
    return render(request, "accounts/login.html", known, status)


@router.get("/login")
def entrance(request: Request, to: Text = "/") -> Response:
    """Show the form to log in with."""
    return _log_in_page(request, to)


@router.post("/login")
def log_in(
    request: Request,
    name: Annotated[Text, Form()] = "",
    password: Annotated[Text, Form()] = "",
    to: Annotated[Text, Form()] = "/",
) -> Response:
    """Log in and go on where one wanted to."""
    address = request.client.host if request.client else ""
    device = request.headers.get("user-agent", "")
    try:
        token = actions.log_in(name, password, device, address)
    except TooManyAttemptsError as error:
        answer = _log_in_page(request, to, name=name, problem=str(error), status=429)
        answer.headers["Retry-After"] = str(error.after_s)
        return answer
    except InputError as error:
        return _log_in_page(request, to, name=name, problem=str(error), status=422)
    return _with_login(go(own_path(to)), token)


def _with_login(answer: Response, token: str) -> Response:
    answer.set_cookie(
        COOKIE,
        token,
        max_age=int(LASTS.total_seconds()),
        httponly=True,
        secure=True,
        samesite="lax",
    )
    return answer


@router.post("/logout")
def log_out(request: Request) -> Response:
    """Log out of this browser."""
    user = _current_user(request)
    actions.end_login(user, user.login.id)
    answer = go("/login")
    answer.delete_cookie(COOKIE, httponly=True, secure=True, samesite="lax")
    return answer


@router.get("/invite/{token}")
def invitation(request: Request, token: Token) -> Response:
    """Show the form to make one's account with."""
    role = actions.invited_as(token)
    known = {"token": token, "role": role, "may": actions.MAY[role], "name": "", "problem": ""}
    return render(request, "accounts/invite.html", known)


@router.post("/invite/{token}")
def accept(
    request: Request,
    token: Token,
    name: Annotated[Text, Form()] = "",
    password: Annotated[Text, Form()] = "",
) -> Response:
    """Make one's account and come in."""
    role = actions.invited_as(token)
    try:
        account = actions.accept(token, name, password)
    except EmblarError as error:
        known = {
            "token": token,
            "role": role,
            "may": actions.MAY[role],
            "name": name,
            "problem": str(error),
        }
        return render(request, "accounts/invite.html", known, 422)
    device = request.headers.get("user-agent", "")
    address = request.client.host if request.client else ""
    return _with_login(go("/"), actions.log_in(account.name, password, device, address))


@router.get("/account")
def show(request: Request) -> Response:
    """Show one's own logins, and to an owner who may come in."""
    return _page(request, "")


def _page(request: Request, link: str) -> Response:
    user = _current_user(request)
    owner = user.account.role == "owner"
    people = actions.accounts(user.studio) if owner else []
    known = {
        "who": user,
        "logins": actions.logins(user),
        "people": people,
        "roles": actions.MAY,
        "link": link,
        "open": actions.invitations(user.studio) if owner else [],
    }
    return render(request, "accounts/page.html", known)


@router.post("/account/password")
def password(
    request: Request, old: Annotated[Text, Form()] = "", password: Annotated[Text, Form()] = ""
) -> Response:
    """Change one's password."""
    actions.change_password(_current_user(request), old, password)
    return go("/account")


@router.post("/account/logins/{login_id}/end")
def end_login(request: Request, login_id: Id) -> Response:
    """End a login of one's own."""
    actions.end_login(_current_user(request), login_id)
    return go("/account")


@router.post("/account/people/invite")
def invite(request: Request, role: Annotated[Text, Form()] = "") -> Response:
    """Make an invitation; its link is shown once."""
    user = _current_user(request)
    token = actions.invite(user.studio, role, made_by=user.account.id)
    # The host is a known one: others are not answered (web/app.py).
    return _page(request, str(request.url_for("invitation", token=token)))


@router.post("/account/invitations/{invitation_id}/revoke")
def revoke(request: Request, invitation_id: Id) -> Response:
    """End an open invitation."""
    actions.revoke_invitation(_current_user(request).studio, invitation_id)
    return go("/account")


@router.post("/account/people/{account_id}/end")
def end_account(request: Request, account_id: Id) -> Response:
    """End an account."""
    actions.end_account(_current_user(request).studio, account_id)
    return go("/account")
