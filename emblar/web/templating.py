"""Jinja, set up once: strict about missing variables, escaping everything."""

import secrets
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from emblar import __version__

HERE = Path(__file__).parent


def _environment() -> Environment:
    return Environment(
        loader=FileSystemLoader(HERE / "templates"),
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
