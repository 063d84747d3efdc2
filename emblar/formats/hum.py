"""``emblar.hum-asked/1`` in, ``emblar.hum/1`` out: what a kit answers to one stroke."""

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from emblar.core.tuning.hum import Answer, Beside, Ringing
from emblar.formats.codec import Strict, publish

publish(Answer, names={"audible": "heard"})
publish(Beside, Ringing)


class HumAsked(Strict):
    """Which drum a recording strikes, and which others are listened for."""

    schema_: Literal["emblar.hum-asked/1"] = Field(alias="schema")
    struck: list[Ringing] = Field(default_factory=list, max_length=100)
    beside: list[Beside] = Field(min_length=1, max_length=40)


class HumMapFile(Strict):
    """What the drums next to a struck one answer."""

    schema_: Literal["emblar.hum/1"] = Field(default="emblar.hum/1", alias="schema")
    answers: list[Answer]


def hum_file(answers: Sequence[Answer]) -> HumMapFile:
    """Return the published form of what drums answer."""
    return HumMapFile(answers=list(answers))
