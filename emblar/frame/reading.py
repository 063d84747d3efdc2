"""Pages are read in one transaction that changes nothing: what they show belongs together."""

import functools
from collections.abc import Callable
from typing import Any

from fastapi.routing import APIRoute

from emblar.platform.database import reading


class ReadAtOnce(APIRoute):
    """A route whose GET reads the database in one transaction, in which nothing can be changed."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **known: Any) -> None:
        """Make the route; other methods begin and end their transactions themselves."""
        if set(known.get("methods") or ()) == {"GET"}:
            endpoint = _at_once(endpoint)
        super().__init__(path, endpoint, **known)


def _at_once(endpoint: Callable[..., Any]) -> Callable[..., Any]:
    @functools.wraps(endpoint)
    def read(*given: Any, **named: Any) -> Any:
        with reading():
            return endpoint(*given, **named)

    return read
