"""The application that answers shared links and nothing else.

Conventions
-----------
It runs at a port of its own, so that what strangers reach has no other
routes: what is not shared is not there.
"""

from fastapi import FastAPI
from starlette.middleware.body_limit import RequestBodyLimitMiddleware

from emblar import __version__
from emblar.frame.errors import add_error_handlers
from emblar.frame.security import Guard
from emblar.frame.templating import mount_static
from emblar.steps.share.routes import shared

LARGEST_BODY = 16 * 1024


def create_share_app() -> FastAPI:
    """Return the application for shared links."""
    app = FastAPI(
        title="Emblar, shared", version=__version__, docs_url=None, redoc_url=None, openapi_url=None
    )
    mount_static(app)
    app.include_router(shared.router)
    add_error_handlers(app)
    app.add_middleware(RequestBodyLimitMiddleware, max_body_size=LARGEST_BODY)
    app.add_middleware(Guard)
    return app
