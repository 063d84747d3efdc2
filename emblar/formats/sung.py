"""``emblar.sung/1``: a wish sung, two mouth sounds one after the other."""

from typing import Literal

from pydantic import Field

from emblar.core.planning.sung import Sung, SungWish
from emblar.formats.codec import Strict, publish

publish(Sung)


class SungFile(Strict):
    """What the second sound is next to the first; ``wished`` in steps by quantity."""

    schema_: Literal["emblar.sung/1"] = Field(default="emblar.sung/1", alias="schema")
    before: Sung
    after: Sung
    wished: dict[str, float]
    falls_more_cents: float | None


def sung_file(wish: SungWish) -> SungFile:
    """Return a wish as written to a file."""
    return SungFile(
        before=wish.before,
        after=wish.after,
        wished=wish.wished,
        falls_more_cents=wish.falls_more_cents,
    )
