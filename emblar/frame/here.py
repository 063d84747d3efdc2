"""The studio that a request is about."""

from typing import Annotated

from fastapi import Depends, Request

from emblar.platform.studio import HERE, Studio


def studio_of(request: Request) -> Studio:
    """Return the studio of the logged-in user, or the only studio where no login is needed."""
    result: Studio = getattr(request.state, "studio", HERE)
    return result


Here = Annotated[Studio, Depends(studio_of)]
"""The studio, as a route asks for it."""
