"""What every response carries and every request is held to.

Conventions
-----------
Requests that change something must come from a page of ours (``Sec-Fetch-Site``, else ``Origin``).
"""

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from emblar.core.errors import BadAudioError
from emblar.platform.settings import settings
from emblar.platform.sound.decode import LARGEST_BYTES, check_size

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; "
    "font-src 'self'; connect-src 'self' blob:; media-src 'self' blob:; form-action 'self'; "
    "base-uri 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}
SAFE_METHODS = ("GET", "HEAD", "OPTIONS")
FORM_OVERHEAD = 64 * 1024
LARGEST_BODY = LARGEST_BYTES + FORM_OVERHEAD
TOO_LARGE = "The request is too large. Nothing was kept."
LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


class Guard:
    """ASGI middleware: security headers, own pages only, bodies of a bearable size."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Handle one request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if not scope["path"].startswith("/static/"):
                    # Where people log in, a shared computer must not show their pages afterwards.
                    private = "no-store" if settings().asks_who else "no-cache"
                    headers.setdefault("Cache-Control", private)
            await send(message)

        headers = Headers(scope=scope)
        if scope["method"] not in SAFE_METHODS and not _from_own_page(headers):
            await _refuse(send_with_headers, 403, "This came from another site and was not done.")
            return
        known = headers.get("content-length", "")
        length = int(known) if known.isascii() and known.isdigit() else 0
        if length > LARGEST_BODY:
            await _drain(receive)
            await _refuse(send_with_headers, 413, _too_large(length))
            return
        await self.app(scope, receive, send_with_headers)


def _from_own_page(headers: Headers) -> bool:
    site = headers.get("sec-fetch-site")
    if site is not None:
        return site in ("same-origin", "none")
    origin = headers.get("origin")
    if origin is None:
        return True
    known = urlsplit(origin)
    return known.scheme in ("http", "https") and known.netloc == headers.get("host")


def _too_large(length: int) -> str:
    try:
        check_size(length)
    except BadAudioError as error:
        return f"{error} Nothing was kept."
    return TOO_LARGE


async def _drain(receive: Receive) -> None:
    """Read and drop the body, so that the browser gets to read the answer."""
    while True:
        message = await receive()
        if message["type"] == "http.disconnect" or not message.get("more_body", False):
            return


async def _refuse(send: Send, status: int, text: str) -> None:
    body = text.encode()
    await send(
        {
            "type": "http.response.start",
            "status": status,
            "headers": [
                (b"content-type", b"text/plain; charset=utf-8"),
                (b"content-length", str(len(body)).encode()),
            ],
        }
    )
    await send({"type": "http.response.body", "body": body})
