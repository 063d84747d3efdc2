"""Errors to answers: what happened, what was kept, what to do. The only place that does so."""

import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, PlainTextResponse, Response
from starlette.exceptions import HTTPException

from emblar.core.errors import ConflictError, EmblarError, NotFoundError, ServiceError
from emblar.formats.errors import at_field
from emblar.frame.security import HEADERS, TOO_LARGE
from emblar.frame.templating import render

log = logging.getLogger("emblar.frame")


def _status(error: EmblarError) -> int:
    if isinstance(error, NotFoundError):
        return 404
    if isinstance(error, ConflictError):
        return 409
    return 503 if isinstance(error, ServiceError) else 422


def _answer(request: Request, status: int, text: str, field: str = "") -> Response:
    """Return one line for scripts, which put it at its field or above the work, else a page."""
    if "hx-request" in request.headers or "text/html" not in request.headers.get("accept", ""):
        headers = {"Emblar-Field": field} if field.isascii() and field.isprintable() else {}
        return PlainTextResponse(text, status, headers)
    answer: HTMLResponse = render(request, "error.html", {"text": text, "status": status}, status)
    return answer


def add_error_handlers(app: FastAPI) -> None:
    """Translate every error that can reach the user."""

    @app.exception_handler(EmblarError)
    def ours(request: Request, error: EmblarError) -> Response:
        return _answer(request, _status(error), str(error), getattr(error, "field", ""))

    @app.exception_handler(RequestValidationError)
    def form(request: Request, error: RequestValidationError) -> Response:
        if any(item["loc"][:1] == ("path",) for item in error.errors()):
            return _answer(request, 404, "There is no such page.")
        field, text = at_field(error.errors())
        return _answer(request, 422, text, field)

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> Response:
        description = {404: "There is no such page.", 413: TOO_LARGE}
        text = description.get(error.status_code, str(error.detail))
        return _answer(request, error.status_code, text)

    @app.exception_handler(Exception)
    def unexpected(request: Request, error: Exception) -> Response:
        log.error("unexpected error at %s", request.url.path, exc_info=error)
        text = "An error of ours: this was not done. What was saved before is still there."
        answer = _answer(request, 500, text)
        # This one is answered outside of everything else that sets them.
        answer.headers.update(HEADERS)
        return answer
