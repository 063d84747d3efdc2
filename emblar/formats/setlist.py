"""``emblar.setlist/1`` in, ``emblar.setlist-plan/1`` out: several songs on one kit."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

from pydantic import Field

from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.evening.setlist import Offer, SetDrum, Setlist, Song
from emblar.formats.codec import Strict, publish
from emblar.formats.drum import LugHz
from emblar.formats.setup import Side

publish(SetDrum)

Name = Annotated[str, Field(min_length=1, max_length=120)]


class OfferFile(Strict):
    """One way to set a drum up for a song, and what it costs the sound in audible steps."""

    batter: Name
    batter_hz: LugHz
    reso: Name | None = None
    reso_hz: LugHz | None = None
    dampers: list[str] = Field(default_factory=list)
    wires: str = ""
    striker: str = ""
    port_in: float | None = Field(default=None, gt=0.0, le=40.0)
    steps: float = Field(default=0.0, ge=0.0, le=1000.0)

    def offer(self, catalogue: Catalogue) -> Offer:
        """Return the offer for the planner.

        Raises
        ------
        CatalogueError
            A damper or the setting of the wires is not in the catalogue.
        """
        for row in self.dampers:
            catalogue.damper(row)
        if self.wires:
            catalogue.wires(self.wires)
        setup = Setup(
            batter=self.batter,
            reso=self.reso,
            batter_hz=self.batter_hz,
            reso_hz=self.reso_hz,
            dampers=tuple(sorted(self.dampers)),
            striker=self.striker,
            wires=self.wires,
            port_in=self.port_in,
        )
        return Offer(setup, self.steps)


class SongFile(Strict):
    """A song and, by drum, the ways to set it up, the planned one first."""

    name: Name
    drums: dict[str, Annotated[list[OfferFile], Field(min_length=1, max_length=20)]]


class SetlistFile(Strict):
    """Songs in the order asked for, on the drums there are."""

    schema_: Literal["emblar.setlist/1"] = Field(default="emblar.setlist/1", alias="schema")
    drums: dict[str, SetDrum]
    songs: list[SongFile] = Field(min_length=1, max_length=40)
    free_order: bool = False
    minute_worth: float | None = Field(default=None, ge=0.0, le=100.0)
    """What a minute between two songs is worth in audible steps."""

    def for_planner(self, catalogue: Catalogue) -> tuple[dict[str, SetDrum], tuple[Song, ...]]:
        """Return the drums and songs for the planner.

        Raises
        ------
        CatalogueError
            A damper or a setting of the wires is not in the catalogue.
        """
        songs = tuple(
            Song(
                s.name, {n: tuple(o.offer(catalogue) for o in rows) for n, rows in s.drums.items()}
            )
            for s in self.songs
        )
        return self.drums, songs


class ChangeFile(Strict):
    """What is done on a drum before a song; ``tuned`` in cents per head."""

    minutes: float
    heads: list[Side]
    tuned: dict[Side, float]
    dampers_on: list[str]
    dampers_off: list[str]
    wires: str
    striker: str


class PlacedSong(Strict):
    """A song in its place: which way each drum is set up (from 0), and the changes before it."""

    name: str
    chosen: dict[str, int]
    changes: dict[str, ChangeFile]
    minutes: float


class SetlistPlanFile(Strict):
    """The songs in order."""

    schema_: Literal["emblar.setlist-plan/1"] = Field(
        default="emblar.setlist-plan/1", alias="schema"
    )
    songs: list[PlacedSong]
    minutes: float
    steps: float
    score: float


def setlist_plan_file(
    songs: Sequence[Song], setlist: Setlist, names: Mapping[str, str] | None = None
) -> SetlistPlanFile:
    """Return a setlist as written to a file; ``names`` are the drums' if keys are not."""
    called = names or {}
    placed = []
    for i, chosen, changes in zip(setlist.order, setlist.chosen, setlist.changes, strict=True):
        rows = {
            called.get(key, key): ChangeFile(
                minutes=c.minutes,
                heads=list(c.heads),
                tuned=dict(c.tuned),
                dampers_on=list(c.on),
                dampers_off=list(c.off),
                wires=c.wires,
                striker=c.striker,
            )
            for key, c in changes.items()
            if not c.nothing
        }
        placed.append(
            PlacedSong(
                name=songs[i].name,
                chosen={called.get(key, key): index for key, index in chosen.items()},
                changes=rows,
                minutes=sum(c.minutes for c in changes.values()),
            )
        )
    return SetlistPlanFile(
        songs=placed, minutes=setlist.minutes, steps=setlist.steps, score=setlist.score
    )
