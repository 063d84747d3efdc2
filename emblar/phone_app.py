"""The application that a paired phone works with: the bench of one session, and nothing else.

Conventions
-----------
It runs next to the application for shared links, over HTTPS with this machine's own certificate:
without it no browser gives a page the microphone. The link that pairs leaves a cookie; ending the
link ends the phone's access.
"""

import re
from typing import Annotated

from fastapi import APIRouter, FastAPI, Request
from fastapi import Path as InPath
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import PlainTextResponse, RedirectResponse
from starlette.middleware.body_limit import RequestBodyLimitMiddleware
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Receive, Scope, Send

from emblar import __version__
from emblar.core.errors import NotFoundError
from emblar.frame.errors import add_error_handlers
from emblar.frame.here import studio_of
from emblar.frame.security import LARGEST_BODY, Guard
from emblar.frame.templating import mount_static
from emblar.platform.studio import Studio
from emblar.steps.bench.routes import cures
from emblar.steps.bench.routes import drum as bench
from emblar.steps.bench.routes import muffling as muffle
from emblar.steps.share.actions import GONE, LONGEST_TOKEN, open_share

COOKIE = "emblar-phone"
A_DAY_S = 24 * 3600
BENCH_PATH = re.compile(r"/sessions/(\d{1,10})/bench(/|$)")
FREE = ("/static/", "/p/")
door = APIRouter()


@door.get("/p/{token}")
def pair(token: Annotated[str, InPath(max_length=LONGEST_TOKEN)]) -> RedirectResponse:
    """Pair this phone: from now on it works at the bench of the link's session."""
    opened = open_share(token, count=True, phone=True)
    answer = RedirectResponse(f"/sessions/{opened.session_id}/bench", status_code=303)
    answer.set_cookie(COOKIE, token, max_age=A_DAY_S, httponly=True, secure=True, samesite="strict")
    return answer


class OnlyItsBench:
    """ASGI middleware: only the bench of the session that the phone was paired with."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Handle one request."""
        if scope["type"] != "http" or scope["path"].startswith(FREE):
            await self.app(scope, receive, send)
            return
        token = HTTPConnection(scope).cookies.get(COOKIE, "")
        requested = BENCH_PATH.match(scope["path"])
        try:
            opened = await run_in_threadpool(open_share, token, phone=True)
        except NotFoundError:
            await PlainTextResponse(GONE, 404)(scope, receive, send)
            return
        if requested is None or int(requested.group(1)) != opened.session_id:
            await PlainTextResponse("There is no such page.", 404)(scope, receive, send)
            return
        scope.setdefault("state", {})["studio"] = opened.studio
        await self.app(scope, receive, send)


def _phone_studio(request: Request) -> Studio:
    """Return the studio that the phone is paired with."""
    result: Studio = request.state.studio
    return result


def create_phone_app() -> FastAPI:
    """Return the application for paired phones."""
    app = FastAPI(
        title="Emblar, at the drum",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
    )
    app.state.only_bench = True
    mount_static(app)
    app.include_router(door)
    app.include_router(bench.router)
    app.include_router(muffle.router)
    app.include_router(cures.router)
    app.dependency_overrides[studio_of] = _phone_studio
    add_error_handlers(app)
    app.add_middleware(OnlyItsBench)
    app.add_middleware(RequestBodyLimitMiddleware, max_body_size=LARGEST_BODY)
    app.add_middleware(Guard)
    return app
