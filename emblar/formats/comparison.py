"""``emblar.comparison/1`` and ``emblar.moves/1``: a take against the record, and what to change."""

from typing import Literal

from pydantic import Field

from emblar.core.drum import Setup
from emblar.core.matching.differences import Comparison
from emblar.core.matching.learned import Trial
from emblar.core.matching.moves import Move
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from emblar.core.tuning.cures import Cure, Purpose
from emblar.formats.brief import ShelfDrumFile
from emblar.formats.codec import Strict
from emblar.formats.drum import LugHz, PortInches
from emblar.formats.move_words import no_move_words


class ApartFile(Strict):
    """One quantity: both values and how many audible steps the take lies above the record."""

    record: float
    take: float
    unit: str
    steps: float
    sd_steps: float


class ComparisonFile(Strict):
    """A take against the record."""

    schema_: Literal["emblar.comparison/1"] = Field(default="emblar.comparison/1", alias="schema")
    voice: str
    quantities: dict[str, ApartFile]
    untold: dict[str, str]
    """Quantities that cannot be compared, and why."""


def comparison_file(voice: str, comparison: Comparison) -> ComparisonFile:
    """Return the published form of a comparison."""
    rows = {
        name: ApartFile(
            record=round(d.record.value, 4),
            take=round(d.take.value, 4),
            unit=d.record.unit,
            steps=round(d.steps, 3),
            sd_steps=round(d.sd_steps, 3),
        )
        for name, d in comparison.differences.items()
    }
    return ComparisonFile(voice=voice, quantities=rows, untold=comparison.untold)


class SeenFile(Strict):
    """What two takes say a change did, in steps, and the standard deviation of that."""

    steps: float
    sd_steps: float = Field(gt=0.0)


class TriedFile(Strict):
    """A change with a take before and one after it: as ranked moves had it, and what was seen."""

    kind: Literal["force", "strike", "wires", "damper", "turn"]
    effect: dict[str, float]
    seen: dict[str, SeenFile]

    def trial(self) -> Trial:
        """Return what is learned from."""
        seen = {name: (row.steps, row.sd_steps) for name, row in self.seen.items()}
        return Trial(self.kind, self.effect, seen)


class MovesAsked(Strict):
    """A drum as it is set up, and what the record measures of it."""

    schema_: Literal["emblar.moves/1"] = Field(alias="schema")
    voice: str
    drum: ShelfDrumFile
    batter_hz: LugHz
    reso_hz: LugHz | None = None
    dampers: list[str] = Field(default_factory=list)
    striker: str
    wires: str = "medium"
    port_in: PortInches | None = None
    target: dict[str, Measured]
    """What the record measures, by quantity."""
    tried: list[TriedFile] = Field(default_factory=list)
    """Single changes that were made on this drum before."""

    def record(self) -> Target:
        """Return the record's quantities."""
        values = {name: row for name, row in self.target.items() if name in steps()}
        return Target(self.voice, values, {})

    def setup(self) -> Setup:
        """Return how the drum is set up."""
        owned = self.drum.owned()
        return Setup(
            batter=owned.batter,
            reso=owned.reso,
            batter_hz=self.batter_hz,
            reso_hz=self.reso_hz,
            dampers=tuple(self.dampers),
            striker=self.striker,
            wires=self.wires,
            port_in=self.port_in,
        )


class SecondMoveFile(Strict):
    """The second change of a pair that only helps together."""

    kind: str
    what: str


class MoveFile(Strict):
    """One change: what, what it does in steps by the model, what it brings and costs."""

    kind: str
    what: str
    effect: dict[str, float]
    gain: float
    gain_sd: float
    minutes: float
    back: str
    tried: int = Field(
        default=0, description="earlier changes like it that its effect is scaled by"
    )
    then: SecondMoveFile | None = Field(
        default=None,
        description="the second change, where two only help together; effect, gain and minutes "
        "cover both",
    )


class CureFile(Strict):
    """One thing to do: in words, and what it does in steps by the model."""

    id: str
    purpose: Purpose
    title: str
    what: str
    source: str
    effect: dict[str, float]


class CuresFile(Strict):
    """What to do when a drum chokes, the cheapest first, then tricks."""

    schema_: Literal["emblar.cures/1"] = Field(default="emblar.cures/1", alias="schema")
    cures: list[CureFile]


def cures_file(result: tuple[Cure, ...]) -> CuresFile:
    """Return the published form of cures."""
    return CuresFile(
        cures=[
            CureFile(
                id=c.id,
                purpose=c.purpose,
                title=c.title,
                what=c.what,
                source=c.source,
                effect={name: round(e, 2) for name, e in c.effect.items()},
            )
            for c in result
        ]
    )


class MovesFile(Strict):
    """Single changes, the best first."""

    schema_: Literal["emblar.ranked-moves/1"] = Field(
        default="emblar.ranked-moves/1", alias="schema"
    )
    moves: list[MoveFile]
    says: str = ""
    """Why there is no change, where there is none."""


def moves_file(moves: list[Move], comparison: Comparison) -> MovesFile:
    """Return the published form of ranked moves.

    Parameters
    ----------
    moves
        The changes, the best first.
    comparison
        The take against the record.
    """
    return MovesFile(
        says="" if moves else no_move_words(comparison),
        moves=[
            MoveFile(
                kind=m.kind,
                what=m.what,
                effect={name: round(e, 2) for name, e in m.effect.items()},
                gain=round(m.gain, 2),
                gain_sd=round(m.gain_sd, 2),
                minutes=m.minutes,
                back=m.back,
                tried=m.tried,
                then=None if m.then is None else SecondMoveFile(kind=m.then[0], what=m.then[1]),
            )
            for m in moves
        ],
    )
