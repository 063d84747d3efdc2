"""A form sent twice makes one thing."""

import hashlib
from collections.abc import Callable

from emblar.platform import submissions as store
from emblar.platform.database import together


def only_once(token: str, content: object, make: Callable[[], str]) -> str:
    """Make something unless the very same form was sent before; return the address to go on at.

    Parameters
    ----------
    token
        What the form's page gave it; an empty one is never taken for sent before.
    content
        What was sent; sent from the same page with other content it is another thing.
    make
        Makes the thing, in the same transaction, and returns the address.
    """
    if not token:
        return make()
    key = hashlib.sha256(f"{token}\n{content!r}".encode()).hexdigest()
    with together() as db:
        before = store.claim(db, key)
        if before is not None:
            return before
        answer = make()
        store.answered(db, key, answer)
        return answer
