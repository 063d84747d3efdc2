"""Whose data a request is about."""

from typing import Annotated

from fastapi import Depends

from emblar.actions.scope import HERE, Scope


def scope_of() -> Scope:
    """Return the scope of whoever asks: the one studio, as long as there are no accounts."""
    return HERE


Here = Annotated[Scope, Depends(scope_of)]
"""The scope, as a route asks for it."""
