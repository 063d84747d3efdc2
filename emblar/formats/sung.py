"""``emblar.sung/1``: a wish sung, two mouth sounds one after the other."""

from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.planning.sung import SungWish
from emblar.formats.drum import Strict


class SungSound(Strict):
    """One mouth sound: seconds, the middle of its spectrum in Hz, how far its pitch falls."""

    length_s: float
    brightness_hz: float
    falls_cents: float | None


class SungFile(Strict):
    """What the second sound is beside the first; ``wished`` in steps by quantity."""

    schema_: Literal["emblar.sung/1"] = Field(default="emblar.sung/1", alias="schema")
    before: SungSound
    after: SungSound
    wished: dict[str, float]
    falls_more_cents: float | None


def sung_file(wish: SungWish) -> SungFile:
    """Return a wish as written to a file."""
    return SungFile(
        before=SungSound(**asdict(wish.before)),
        after=SungSound(**asdict(wish.after)),
        wished=wish.wished,
        falls_more_cents=wish.falls_more_cents,
    )
