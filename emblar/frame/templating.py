"""Jinja, set up once: strict about missing variables, escaping everything."""

import secrets
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse
from fastapi.staticfiles import StaticFiles
from fastapi.templating import Jinja2Templates
from jinja2 import (
    ChoiceLoader,
    Environment,
    FileSystemLoader,
    PrefixLoader,
    StrictUndefined,
    select_autoescape,
)

from emblar import __version__

FRAME = Path(__file__).parent
STEPS = FRAME.parent / "steps"
STATIC = FRAME / "static"
"""Styles and scripts that all pages share; a step's own are in its folder."""


def _environment() -> Environment:
    """Return Jinja's environment: a step's templates are named after it, ``kit/page.html``."""
    folders = STEPS.glob("*/templates")
    steps = {folder.parent.name: FileSystemLoader(folder) for folder in folders}
    return Environment(
        loader=ChoiceLoader([FileSystemLoader(FRAME / "templates"), PrefixLoader(steps)]),
        autoescape=select_autoescape(("html",)),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )


templates = Jinja2Templates(env=_environment())
templates.env.globals["version"] = __version__
templates.env.globals["new_token"] = lambda: secrets.token_urlsafe(12)


def render(
    request: Request, template: str, context: dict[str, Any], status_code: int = 200
) -> HTMLResponse:
    """Render a page."""
    return templates.TemplateResponse(request, template, context, status_code=status_code)


def mount_static(app: FastAPI) -> None:
    """Serve styles and scripts below ``/static``, those of a step below its name."""
    for folder in STEPS.glob("*/static"):
        name = folder.parent.name
        app.mount(f"/static/{name}", StaticFiles(directory=folder), name=f"{name}-static")
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
