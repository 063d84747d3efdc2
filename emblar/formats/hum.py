"""``emblar.hum-asked/1`` in, ``emblar.hum/1`` out: what a kit answers to one stroke."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.tuning.hum import Answer, Beside, Ringing
from emblar.formats.drum import Strict


class RingingFile(Strict):
    """A mode of the struck drum: Hz, T60 in s, dB re its loudest."""

    hz: float = Field(gt=0.0, le=5000.0)
    t60_s: float = Field(gt=0.0, le=30.0)
    level_db: float = Field(default=0.0, le=0.0)


class BesideFile(Strict):
    """A drum beside the struck one: its pitch in Hz, and how well it is known in cents."""

    name: str = Field(min_length=1, max_length=80)
    hz: float = Field(ge=15.0, le=1000.0)
    sd_cents: float = Field(default=20.0, gt=0.0, le=300.0)


class HumAsked(Strict):
    """Which drum a recording strikes, and which others are listened for."""

    schema_: Literal["emblar.hum-asked/1"] = Field(alias="schema")
    struck: list[RingingFile] = Field(default_factory=list, max_length=100)
    beside: list[BesideFile] = Field(min_length=1, max_length=40)

    def own(self) -> list[Ringing]:
        """Return the struck drum's modes."""
        return [Ringing(mode.hz, mode.t60_s, mode.level_db) for mode in self.struck]

    def others(self) -> list[Beside]:
        """Return the drums that are listened for."""
        return [Beside(drum.name, drum.hz, drum.sd_cents) for drum in self.beside]


class AnswerFile(Strict):
    """What a drum answers: dB re the stroke (or what it stays under), Hz, T60; or why not."""

    name: str
    level_db: float | None
    heard: bool
    hz: float | None
    t60_s: float | None
    why_not: str | None


class HumMapFile(Strict):
    """What the drums beside a struck one answer."""

    schema_: Literal["emblar.hum/1"] = Field(default="emblar.hum/1", alias="schema")
    answers: list[AnswerFile]


def hum_file(answers: Sequence[Answer]) -> HumMapFile:
    """Return the published form of what drums answer."""
    return HumMapFile(answers=[AnswerFile(**asdict(answer)) for answer in answers])
