"""``emblar.brief/1`` in: what is asked, what there is, what the record says."""

from typing import Annotated, Literal, Self

from pydantic import Field, field_validator, model_validator

from emblar.core.catalogue import USUAL_EDGE, Catalogue
from emblar.core.drum import Wish
from emblar.core.errors import CatalogueError, EmblarError
from emblar.core.planning.brief import (
    Brief,
    OwnedHead,
    Rebound,
    Shelf,
    Stage,
    Weights,
    usual_weights,
)
from emblar.core.planning.kit import LONGEST_READ, OwnedDrum, check_range
from emblar.core.planning.microphones import KickMicrophone
from emblar.core.planning.problem import Problem
from emblar.core.planning.schools import checked_schools
from emblar.core.planning.target import Target, moved
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from emblar.core.voices import VoiceName
from emblar.formats.codec import Strict, publish

publish(Measured, OwnedHead, Wish)

Side = Literal["batter", "reso"]


class ShelfDrumFile(Strict):
    """A drum with what is on it now."""

    name: str = Field(min_length=1, max_length=LONGEST_READ)
    kind: Literal["kick", "snare", "tom"]
    diameter_in: float
    depth_in: float
    rods: int
    hoop: str = "flanged"
    shell: str = "maple-lacquer"
    edge: str = USUAL_EDGE
    batter: str
    reso: str | None
    port_in: float | None = None
    shell_hole_in: float | None = None
    dampers: list[str] = Field(default_factory=list)
    findings: list[str] = Field(default_factory=list)
    """What an inspection found, by id."""

    @model_validator(mode="after")
    def _is_a_drum(self) -> Self:
        try:
            self.owned()
        except EmblarError as error:
            raise ValueError(f"{self.name}: {error}") from error
        return self

    def check_parts(self, catalogue: Catalogue) -> None:
        """Check what is on the drum.

        Raises
        ------
        CatalogueError
            A head or damper is not in the catalogue.
        """
        try:
            for head in (self.batter, self.reso):
                if head is not None:
                    catalogue.construction(head)
            for on_it in self.dampers:
                catalogue.damper(on_it)
        except CatalogueError as error:
            raise CatalogueError(f"{self.name}: {error}") from error

    def owned(self) -> OwnedDrum:
        """Return the drum for the planner."""
        values = self.model_dump(exclude={"dampers", "findings"})
        return OwnedDrum(**values, findings=tuple(self.findings))


class ShelfFile(Strict):
    """Everything there is; dampers and strikers null means all of the catalogue."""

    drums: list[ShelfDrumFile]
    heads: list[OwnedHead] = Field(default_factory=list)
    dampers: list[str] | None = None
    strikers: list[str] | None = None

    @model_validator(mode="after")
    def _names_differ(self) -> Self:
        names = [d.name for d in self.drums]
        twice = sorted({n for n in names if names.count(n) > 1})
        if twice:
            raise ValueError(f"drums: {', '.join(twice)} is there twice; give each its own name")
        return self

    def shelf(self, catalogue: Catalogue) -> Shelf:
        """Return the shelf for the planner.

        Raises
        ------
        CatalogueError
            A head or damper is not in the catalogue.
        """
        for head in self.heads:
            catalogue.construction(head.construction)
        for drum in self.drums:
            drum.check_parts(catalogue)
        return Shelf(
            tuple(d.owned() for d in self.drums),
            tuple(self.heads),
            tuple(catalogue.dampers if self.dampers is None else self.dampers),
            tuple(catalogue.strikers if self.strikers is None else self.strikers),
            {d.name: tuple(d.dampers) for d in self.drums},
            catalogue=catalogue,
        )


CLOCK = r"^([01]\d|2[0-3]):[0-5]\d$"
ERRANDS = ("shop_opens", "shop_closes", "shop_minutes")
"""What is asked of the evening, not of the plan."""


class AskFile(Strict):
    """What is asked of the kit."""

    song: str = ""
    style: str = ""
    key: str = ""
    tempo_bpm: Annotated[float, Field(ge=20, le=400)] | None = None
    kick_notes_per_beat: Annotated[float, Field(gt=0, le=16)] | None = None
    tom_notes_per_beat: Annotated[float, Field(gt=0, le=16)] | None = None
    brushes: bool = False
    force: Literal["light", "medium", "hard"] = "medium"
    buries_beater: bool = False
    rebound: Rebound = "any"
    stage: Stage = "studio"
    kick_microphone: KickMicrophone = ""
    microphones: str = Field(default="", max_length=300)
    schools: dict[str, str] = Field(default_factory=dict)
    """A player's own side of a disagreement, by what it is about."""
    engineer_wants_hole: bool = False
    never_cut: bool = True
    only_owned: bool = False
    budget_heads: int = Field(default=4, ge=0, le=40)
    keep_heads: bool = False
    leave_room: bool = True
    hands: int = Field(default=1, ge=1, le=10)
    minutes: float | None = Field(default=None, gt=0)
    shop_opens: str = Field(default="10:00", pattern=CLOCK)
    shop_closes: str = Field(default="", pattern=rf"^$|{CLOCK}")
    """When the shop closes, as 18:30; empty where nobody goes."""
    shop_minutes: int = Field(default=40, ge=1, le=600)
    """The way there and back with the buying."""

    @field_validator("schools")
    @classmethod
    def _are_schools(cls, value: dict[str, str]) -> dict[str, str]:
        try:
            return checked_schools(value)
        except EmblarError as error:
            raise ValueError(str(error)) from error

    def brief(self) -> Brief:
        """Return the brief for the planner."""
        return Brief(**self.model_dump(exclude=set(ERRANDS)))


LARGEST_QUANTITY = 1e6
"""No quantity of a drum sound is larger, in its unit."""
SMALLEST_QUANTITY = 1e-6
"""And none but 0 is smaller."""


def _check_values(voice: str, quantities: dict[str, Measured]) -> None:
    """Raise ``ValueError`` where a quantity of the record cannot be what it says."""
    for name, quantity in quantities.items():
        if steps()[name].kind == "ratio" and quantity.value <= 0.0:
            raise ValueError(f"{voice}: {name} is {quantity.value:g}; it must be above 0")
        size = abs(quantity.value)
        if size > LARGEST_QUANTITY or 0.0 < size < SMALLEST_QUANTITY:
            raise ValueError(f"{voice}: {name} cannot be {quantity.value:g}")
    try:
        if "pitch" in quantities:
            check_range("drum_pitch_hz", quantities["pitch"].value)
    except EmblarError as error:
        raise ValueError(f"{voice}: {error}") from error


class BriefFile(Strict):
    """A whole question to the planner."""

    schema_: Literal["emblar.brief/1"] = Field(alias="schema")
    ask: AskFile = Field(default_factory=AskFile)
    shelf: ShelfFile
    record: dict[str, dict[str, Measured]] = Field(default_factory=dict)
    """Per voice the record's quantities by name."""
    wishes: dict[str, dict[str, float]] = Field(default_factory=dict)
    """Per voice how many steps above the record a quantity is wished."""
    locks: dict[str, Wish] = Field(default_factory=dict)
    costs: dict[str, float] = Field(default_factory=dict)
    """Costs in steps other than the usual ones."""

    @model_validator(mode="after")
    def _names_are_known(self) -> Self:
        known = steps()
        for table in (self.record, self.wishes):
            for voice, values in table.items():
                plain = VoiceName(voice).is_tuned
                if not plain:
                    raise ValueError(f"{voice}: drums play kick, snare, tom-1, tom-2, …")
                for name in values:
                    if name not in known:
                        raise ValueError(
                            f"{voice}: “{name}” is not a quantity. Choose from {', '.join(known)}"
                        )
        for voice, quantities in self.record.items():
            _check_values(voice, quantities)
        for name, lock in self.locks.items():
            if name not in {d.name for d in self.shelf.drums}:
                raise ValueError(f"locks: no drum is called {name}")
            if lock.port == "ring" and self.ask.never_cut:
                raise ValueError(f"locks: {name} is to be cut, but ask.never_cut forbids it")
        return self

    def targets(self) -> list[Target]:
        """Return the record's card per voice, moved by the wishes."""
        out = []
        for voice, values in self.record.items():
            out.append(moved(Target(voice, dict(values), {}), self.wishes.get(voice, {})))
        return out

    def problem(self, catalogue: Catalogue) -> Problem:
        """Return what is to be planned.

        Raises
        ------
        CatalogueError
            A head or damper is not in the catalogue.
        """
        return Problem(
            targets=self.targets(),
            shelf=self.shelf.shelf(catalogue),
            brief=self.ask.brief(),
            weights=self.weights(),
            locks=dict(self.locks),
        )

    def weights(self) -> Weights:
        """Return the weights of the search."""
        return usual_weights().changed(**self.costs)
