"""The web application."""

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles

from emblar import __version__
from emblar.web.errors import add_error_handlers
from emblar.web.routers import brief, kit, later, listen, plan, sessions, sheet, shelf, sounds
from emblar.web.security import Guard
from emblar.web.templating import HERE


def create_app() -> FastAPI:
    """Return the application; the database is reached at the first request that needs it."""
    app = FastAPI(title="Emblar", version=__version__, docs_url=None, redoc_url=None)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for router in (sessions, brief, listen, kit, plan, sheet, shelf, later, sounds):
        app.include_router(router.router)
    add_error_handlers(app)
    app.add_middleware(Guard)
    return app
