"""Whose data a request is about."""

from typing import Annotated

from fastapi import Depends, Request

from emblar.platform.scope import HERE, Scope


def scope_of(request: Request) -> Scope:
    """Return the scope of whoever came in; where nobody is asked, the one studio there is."""
    result: Scope = getattr(request.state, "whose", HERE)
    return result


Here = Annotated[Scope, Depends(scope_of)]
"""The scope, as a route asks for it."""
