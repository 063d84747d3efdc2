"""The entrance where others reach Emblar: who comes has an account, and does what its role may.

Conventions
-----------
A login is a cookie that scripts cannot read. A page that needs one sends whoever has none to
``/login``, and from there back; anything else is answered with 401. Guests change nothing; who may
come in, and everything at once, is the owner's.
"""

import re
from urllib.parse import urlencode

from fastapi.concurrency import run_in_threadpool
from fastapi.responses import PlainTextResponse, RedirectResponse
from starlette.datastructures import Headers
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Receive, Scope, Send

from emblar.core.errors import ServiceError
from emblar.frame.security import SAFE_METHODS
from emblar.steps.accounts.actions import LoggedIn, logged_in_user

COOKIE = "emblar-login"
FREE = ("/static/", "/login", "/invite/", "/health")
OWN = ("/logout", "/account/password", "/account/logins/")
"""What guests may send, too: it concerns themselves alone."""
SAY = re.compile(r"/sessions/\d+/share/say")
"""And what they say of a drum: whoever works here takes it up, or not."""
OWNERS = ("/log/everything", "/account/people", "/metrics", "/network/")
LOG_IN = "You are not logged in any more. Log in again; nothing was changed."
GUEST = "Guests can look, listen and comment. Nothing was changed; ask an owner to let you do more."
OWNER = "Only an owner may do that. Nothing was changed."


class Entrance:
    """ASGI middleware: lets in who has an account, as far as its role goes."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Handle one request."""
        path = scope.get("path", "")
        if scope["type"] != "http" or path.startswith(FREE):
            await self.app(scope, receive, send)
            return
        token = HTTPConnection(scope).cookies.get(COOKIE, "")
        try:
            user = await run_in_threadpool(logged_in_user, token) if token else None
        except ServiceError as error:
            await PlainTextResponse(str(error), 503)(scope, receive, send)
            return
        if user is None:
            await _to_login(scope, receive, send)
            return
        refused = _refused(user, scope["method"], path)
        if refused:
            await PlainTextResponse(refused, 403)(scope, receive, send)
            return
        state = scope.setdefault("state", {})
        state["studio"], state["entered"] = user.studio, user
        await self.app(scope, receive, send)


def _refused(user: LoggedIn, method: str, path: str) -> str:
    """Return why a role may not do something, or nothing."""
    role = user.account.role
    if role == "owner":
        return ""
    if path.startswith(OWNERS):
        return OWNER
    if role == "guest" and method not in SAFE_METHODS and not path.startswith(OWN):
        return "" if SAY.fullmatch(path) else GUEST
    return ""


async def _to_login(scope: Scope, receive: Receive, send: Send) -> None:
    headers = Headers(scope=scope)
    page = scope["method"] == "GET" and "text/html" in headers.get("accept", "")
    if not page or "hx-request" in headers:
        await PlainTextResponse(LOG_IN, 401)(scope, receive, send)
        return
    request = scope["path"] + (
        f"?{scope['query_string'].decode('latin-1')}" if scope["query_string"] else ""
    )
    answer = RedirectResponse(f"/login?{urlencode({'to': request})}", status_code=303)
    await answer(scope, receive, send)


def own_path(text: str) -> str:
    """Return a path of ours to go on at, or the first page: never another site."""
    return text if text.startswith("/") and not text.startswith(("//", "/\\")) else "/"
