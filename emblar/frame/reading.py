"""A page reads everything in one read-only unit of work, so that what it shows is consistent."""

import functools
from collections.abc import Callable
from typing import Any

from fastapi.routing import APIRoute

from emblar.platform.studio import Studio


class ReadAtOnce(APIRoute):
    """A route whose GET opens its ``studio`` in one read-only unit of work."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **known: Any) -> None:
        """Create the route. Actions behind other methods open their own units of work."""
        if set(known.get("methods") or ()) == {"GET"}:
            endpoint = _at_once(endpoint)
        super().__init__(path, endpoint, **known)


def _at_once(endpoint: Callable[..., Any]) -> Callable[..., Any]:
    @functools.wraps(endpoint)
    def read(*given: Any, **named: Any) -> Any:
        studio = named.get("studio")
        if not isinstance(studio, Studio):
            return endpoint(*given, **named)
        with studio.together(read_only=True) as unit:
            return endpoint(*given, **{**named, "studio": unit})

    return read
