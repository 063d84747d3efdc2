"""A form sent twice makes one thing."""

import hashlib
from collections.abc import Callable

from emblar.platform import submissions as store
from emblar.platform.studio import Studio


def only_once(studio: Studio, token: str, content: object, make: Callable[[Studio], str]) -> str:
    """Make something unless the very same form was sent before; return the address to go on at.

    Parameters
    ----------
    studio
        The studio it is made in.
    token
        What the form's page gave it; an empty one is never taken for sent before.
    content
        What was sent. Other content from the same page makes another thing.
    make
        Makes the thing, in the unit of work given to it, and returns the address.
    """
    if not token:
        return make(studio)
    key = hashlib.sha256(f"{token}\n{content!r}".encode()).hexdigest()
    with studio.together() as unit, unit.work() as db:
        before = store.claim(db, key)
        if before is not None:
            return before
        answer = make(unit)
        store.answered(db, key, answer)
        return answer
