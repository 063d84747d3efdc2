"""``emblar.journey/1``, ``way/1``, ``pads/1`` and ``round/1``: what Match keeps of a session."""

from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import Field

from emblar.core.matching.round import Loudness, Standing
from emblar.core.matching.way_back import WayBack
from emblar.formats.codec import Strict
from emblar.formats.comparison import ComparisonFile
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


class RodTurnFile(Strict):
    """One rod, 1 is the first: so many turns of the key down first, then up."""

    rod: int
    down: float
    up: float


class WayFile(Strict):
    """The way from one setup of a drum to another."""

    schema_: Literal["emblar.way/1"] = Field(default="emblar.way/1", alias="schema")
    drum: str
    fit: dict[str, str] = Field(description="heads to fit, by side")
    anew: list[str] = Field(description="heads to bring up anew")
    turns: dict[str, list[RodTurnFile]]
    stood_hz: dict[str, float] = Field(description="lug pitches to bring the heads to after it")
    put_on: list[str]
    take_off: list[str]
    wires: str | None
    striker: str | None
    minutes: float


def way_file(drum: str, way: WayBack) -> WayFile:
    """Return the published form of a way."""
    turns = {
        side: [RodTurnFile(rod=t.rod + 1, down=t.down, up=t.up) for t in rods]
        for side, rods in way.turns.items()
    }
    return WayFile(
        drum=drum,
        fit=way.fit,
        anew=list(way.refit),
        turns=turns,
        stood_hz={side: round(hz, 2) for side, hz in way.pitches.items()},
        put_on=list(way.damp),
        take_off=list(way.undamp),
        wires=way.wires or None,
        striker=way.striker or None,
        minutes=way.minutes,
    )


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
    """A drum compared with the others: dB against the middle of the toms, or of the kit."""

    name: str
    lufs: float
    level_db: float
    sd_db: float
    heard: bool


class RoundFile(Strict):
    """Every drum of a kit struck in turn."""

    schema_: Literal["emblar.round/1"] = Field(default="emblar.round/1", alias="schema")
    drums: list[RoundDrumFile]


def round_file(played: Mapping[str, Loudness], standings: Sequence[Standing]) -> RoundFile:
    """Return the published form of a round of the kit."""
    return RoundFile(
        drums=[
            RoundDrumFile(
                name=s.name,
                lufs=round(played[s.name].lufs, 2),
                level_db=round(s.level_db, 2),
                sd_db=round(s.sd_db, 2),
                heard=s.is_audible,
            )
            for s in standings
        ]
    )
