"""``emblar.journey/1``, ``emblar.pads/1`` and ``emblar.round/1``: what Match keeps of a session."""

from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import Field

from emblar.core.matching.round import Loudness, Standing
from emblar.formats.comparison import ComparisonFile
from emblar.formats.drum import Strict
from emblar.formats.setup import SetupFile


class JourneyTakeFile(Strict):
    """A take with the setup it was made in."""

    take: int
    number: int = Field(description="1 is the oldest")
    filename: str
    state: str
    setup_id: int | None
    setup: SetupFile | None
    note: str
    picture: bool
    steps_off: float | None = Field(description="in all, beyond what nobody hears")


class JourneyFile(Strict):
    """The takes of a drum in order."""

    schema_: Literal["emblar.journey/1"] = Field(default="emblar.journey/1", alias="schema")
    drum: str
    takes: list[JourneyTakeFile]


class PadFile(Strict):
    """A pad, and its newest take against the record."""

    id: int
    name: str
    made_of: str
    part: str | None = Field(description="the voice of the record it is to sound like")
    takes: int
    newest: ComparisonFile | None


class PadsFile(Strict):
    """The pads of a session."""

    schema_: Literal["emblar.pads/1"] = Field(default="emblar.pads/1", alias="schema")
    pads: list[PadFile]


class RoundDrumFile(Strict):
    """A drum beside the others: dB against the middle of the toms, or of the kit."""

    name: str
    lufs: float
    level_db: float
    sd_db: float
    heard: bool


class RoundFile(Strict):
    """Every drum of a kit struck in turn."""

    schema_: Literal["emblar.round/1"] = Field(default="emblar.round/1", alias="schema")
    drums: list[RoundDrumFile]


def round_file(played: Mapping[str, Loudness], found: Sequence[Standing]) -> RoundFile:
    """Return the published form of a round of the kit."""
    return RoundFile(
        drums=[
            RoundDrumFile(
                name=s.name, lufs=round(played[s.name].lufs, 2), level_db=round(s.level_db, 2),
                sd_db=round(s.sd_db, 2), heard=s.told,
            )
            for s in found
        ]
    )  # fmt: skip
