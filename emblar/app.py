"""The web application."""

import socket
from urllib.parse import urlsplit

from fastapi import FastAPI
from starlette.middleware.body_limit import RequestBodyLimitMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware

from emblar import __version__
from emblar.frame.errors import add_error_handlers
from emblar.frame.security import LARGEST_BODY, LOOPBACK, Guard
from emblar.frame.templating import mount_static
from emblar.platform.settings import settings
from emblar.steps.accounts import routes as account
from emblar.steps.accounts.entrance import Entrance
from emblar.steps.bench.routes import cures
from emblar.steps.bench.routes import drum as bench
from emblar.steps.bench.routes import muffling as muffle
from emblar.steps.brief import routes as brief
from emblar.steps.evening import routes as evening
from emblar.steps.health import routes as patterns
from emblar.steps.health.metrics import Metrics, RequestMetrics
from emblar.steps.kit import routes as kit
from emblar.steps.listen.routes import record as listen
from emblar.steps.listen.routes import sounds
from emblar.steps.log import routes as log
from emblar.steps.match.routes import comparison as match
from emblar.steps.match.routes import journey, pads, round_kit
from emblar.steps.plan.routes import kit_plan as plan
from emblar.steps.plan.routes import rescue, sung
from emblar.steps.practice import routes as practice
from emblar.steps.sessions import routes as sessions
from emblar.steps.setlist import routes as setlist
from emblar.steps.share.page.links import reached_by
from emblar.steps.share.routes import links as share
from emblar.steps.share.routes import network, shared
from emblar.steps.sheet import routes as sheet
from emblar.steps.shelf import routes as shelf


def create_app() -> FastAPI:
    """Return the application; the database is reached at the first request that needs it.

    It answers to the address it is served at and to this machine's own names: a page of another
    site that has its name point here gets nothing.
    """
    app = FastAPI(title="Emblar", version=__version__, docs_url=None, redoc_url=None)
    mount_static(app)
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
        network,
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
    app.add_middleware(RequestMetrics, metrics=app.state.metrics)
    return app


def known_hosts() -> list[str]:
    """Return the host names that are answered: a forged one must not get into a link."""
    config = settings()
    names = {config.host, *LOOPBACK, *(name.strip() for name in config.known_hosts.split(","))}
    if config.asks_who:
        names |= {reached_by(config.host), socket.gethostname(), f"{socket.gethostname()}.local"}
        names.add(urlsplit(config.share_url).hostname or "")
    return sorted(names - {"", "*"})
