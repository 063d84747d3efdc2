"""The web application."""

import socket
from urllib.parse import urlsplit

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.middleware.body_limit import RequestBodyLimitMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware

from emblar import __version__
from emblar.settings import settings
from emblar.web.entrance import Entrance
from emblar.web.errors import add_error_handlers
from emblar.web.metrics import Measured, Metrics
from emblar.web.pages.share import reached_by
from emblar.web.routers import (
    account,
    bench,
    brief,
    cures,
    evening,
    journey,
    kit,
    listen,
    log,
    match,
    muffle,
    pads,
    patterns,
    plan,
    practice,
    rescue,
    round_kit,
    sessions,
    setlist,
    share,
    shared,
    sheet,
    shelf,
    sounds,
    sung,
)
from emblar.web.security import LARGEST_BODY, LOOPBACK, Guard
from emblar.web.templating import HERE


def create_app() -> FastAPI:
    """Return the application; the database is reached at the first request that needs it.

    It answers to the address it is served at and to this machine's own names: a page of another
    site that has its name point here gets nothing.
    """
    app = FastAPI(title="Emblar", version=__version__, docs_url=None, redoc_url=None)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for router in (
        sessions,
        brief,
        listen,
        kit,
        rescue,
        sung,
        plan,
        bench,
        muffle,
        cures,
        pads,
        round_kit,
        match,
        journey,
        sheet,
        evening,
        setlist,
        share,
        shared,
        shelf,
        practice,
        log,
        patterns,
        sounds,
    ):
        app.include_router(router.router)
    app.state.metrics = Metrics()
    add_error_handlers(app)
    hosts = known_hosts()
    if settings().asks_who:
        app.add_middleware(Entrance)
        app.include_router(account.router)
    app.add_middleware(RequestBodyLimitMiddleware, max_body_size=LARGEST_BODY)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=hosts, www_redirect=False)
    app.add_middleware(Guard)
    app.add_middleware(Measured, metrics=app.state.metrics)
    return app


def known_hosts() -> list[str]:
    """Return the host names that are answered: a forged one must not get into a link."""
    own = settings()
    names = {own.host, *LOOPBACK, *(name.strip() for name in own.known_hosts.split(","))}
    if own.asks_who:
        names |= {reached_by(own.host), socket.gethostname(), f"{socket.gethostname()}.local"}
        names.add(urlsplit(own.share_url).hostname or "")
    return sorted(names - {"", "*"})
