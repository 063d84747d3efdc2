"""Errors to answers: what happened, what was kept, what to do. The only place that does so."""

import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, PlainTextResponse, Response
from starlette.exceptions import HTTPException

from emblar.core.errors import EmblarError, NotFoundError, ServiceError
from emblar.formats.errors import in_words
from emblar.web.templating import render

log = logging.getLogger("emblar.web")


def _status(error: EmblarError) -> int:
    if isinstance(error, NotFoundError):
        return 404
    return 503 if isinstance(error, ServiceError) else 422


def _answer(request: Request, status: int, text: str) -> Response:
    """Return one line for scripts (htmx puts it into the page's message), else a page."""
    if "hx-request" in request.headers or "text/html" not in request.headers.get("accept", ""):
        return PlainTextResponse(text, status)
    answer: HTMLResponse = render(request, "error.html", {"text": text, "status": status}, status)
    return answer


def add_error_handlers(app: FastAPI) -> None:
    """Translate every error that can reach the user."""

    @app.exception_handler(EmblarError)
    def ours(request: Request, error: EmblarError) -> Response:
        return _answer(request, _status(error), str(error))

    @app.exception_handler(RequestValidationError)
    def form(request: Request, error: RequestValidationError) -> Response:
        return _answer(request, 422, "; ".join(in_words(error.errors())) + ".")

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> Response:
        text = "There is no such page." if error.status_code == 404 else str(error.detail)
        return _answer(request, error.status_code, text)

    @app.exception_handler(Exception)
    def unexpected(request: Request, error: Exception) -> Response:
        log.error("unexpected error at %s", request.url.path, exc_info=error)
        text = "An error of ours: this was not done. What was saved before is still there."
        return _answer(request, 500, text)
