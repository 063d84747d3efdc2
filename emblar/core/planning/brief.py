"""What is asked and what there is: brief, shelf, and the weights of the search.

Conventions
-----------
Diameters in inches, tempo in beats a minute. Heads, dampers and strikers are ids of the catalogue.
"""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from importlib import resources
from typing import Annotated, Literal

from annotated_types import Interval

from emblar.core.catalogue import USUAL_STRIKER, Catalogue
from emblar.core.errors import InputError
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.microphones import KickMicrophone
from emblar.core.planning.schools import checked_schools

Condition = Literal["fresh", "used", "worn"]
Force = Literal["light", "medium", "hard"]
Rebound = Literal["soft", "any", "lively"]
Stage = Literal["studio", "live", "both"]
LEAVE_ROOM_STEPS = {"sustain": 1.0, "length": 1.0, "ring": 0.5, "click": 0.5}
"""What a plan that leaves the desk room to take away aims above the record, in steps."""


@dataclass(frozen=True, slots=True)
class OwnedHead:
    """Heads of one construction and size that lie on the shelf."""

    construction: str
    diameter_in: Annotated[float, Interval(gt=0, le=30)]
    count: Annotated[int, Interval(ge=0, le=100)] = 1
    condition: Condition = "fresh"


@dataclass(frozen=True, slots=True)
class Shelf:
    """Everything there is: drums with what is on them, loose heads, dampers, sticks and beaters."""

    drums: tuple[OwnedDrum, ...]
    heads: tuple[OwnedHead, ...] = ()
    dampers: tuple[str, ...] = ()
    strikers: tuple[str, ...] = ()
    now_on: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Dampers that are on a drum now, by its name."""
    catalogue: Catalogue = field(kw_only=True)
    """The catalogue that ids of heads, dampers, sticks and beaters refer to."""


@dataclass(frozen=True, slots=True)
class Brief:
    """What is asked of the kit."""

    song: str = ""
    style: str = ""
    key: str = ""
    tempo_bpm: float | None = None
    kick_notes_per_beat: float | None = None
    tom_notes_per_beat: float | None = None
    """The fastest figures; None where nobody said."""
    brushes: bool = False
    force: Force = "medium"
    buries_beater: bool = False
    rebound: Rebound = "any"
    """How the batters are to give a stick or beater back."""
    stage: Stage = "studio"
    kick_microphone: KickMicrophone = ""
    microphones: str = ""
    """What else is planned of microphones, in words; goes on the sheet."""
    schools: Mapping[str, str] = field(default_factory=dict)
    """A player's own side of a disagreement (``schools``), by what it is about."""
    engineer_wants_hole: bool = False
    never_cut: bool = True
    only_owned: bool = False
    budget_heads: int = 4
    keep_heads: bool = False
    """Nothing is swapped: only tuning and muffling."""
    leave_room: bool = True
    hands: int = 1
    minutes: float | None = None

    def __post_init__(self) -> None:
        if self.tempo_bpm is not None and not 20.0 <= self.tempo_bpm <= 400.0:
            raise InputError(f"tempo_bpm: {self.tempo_bpm:g} is outside 20 to 400 a minute.")
        if not 1 <= self.hands <= 10:
            raise InputError(f"hands: {self.hands} is outside 1 to 10.")
        checked_schools(self.schools)

    @property
    def most_bought(self) -> int:
        """How many heads may be bought."""
        return 0 if self.only_owned else self.budget_heads

    def gap_s(self, voice: str) -> float | None:
        """Return the time between the fastest notes of a voice in s.

        None without a tempo and a fastest figure: what nobody said is not warned of.
        """
        notes = self.kick_notes_per_beat if voice == "kick" else self.tom_notes_per_beat
        if self.tempo_bpm is None or notes is None or voice == "snare":
            return None
        return 60.0 / self.tempo_bpm / notes


@dataclass(frozen=True, slots=True)
class Weights:
    """How much a step of each quantity counts, what each cost is in steps, minutes of work."""

    distance: Mapping[str, float]
    cost: Mapping[str, float]
    feel: Mapping[str, float]
    """Batter tensions in N/m between soft and lively, by kind of drum."""
    work: Mapping[str, float]
    usual: Mapping[str, float]
    """How far apart the heads are usually tuned at most, semitones, by kind of drum."""

    def changed(self, **costs: float) -> "Weights":
        """Return a copy with other costs.

        Raises
        ------
        InputError
            There is no such cost.
        """
        unknown = sorted(set(costs) - set(self.cost))
        if unknown:
            raise InputError(
                f"“{', '.join(unknown)}” is not a cost. Choose from {', '.join(self.cost)}."
            )
        return replace(self, cost={**self.cost, **costs})


@lru_cache(maxsize=1)
def usual_weights() -> Weights:
    """Return the weights that ship with Emblar."""
    text = (resources.files(__package__) / "weights.toml").read_text(encoding="utf-8")
    tables = tomllib.loads(text)
    plain = {
        name: {k: float(v) for k, v in rows.items() if not isinstance(v, str)}
        for name, rows in tables.items()
    }
    return Weights(**{name: plain[name] for name in ("distance", "cost", "feel", "work", "usual")})


def strikers_of(shelf: Shelf, kind: Literal["kick", "snare", "tom"]) -> tuple[str, ...]:
    """Return what this shelf has to strike a kind of drum with; the usual if it names nothing.

    Beaters are chosen from; one pair of sticks plays the whole kit.
    """
    members = [
        s.id
        for s in shelf.catalogue.strikers_for(kind)
        if s.id in shelf.strikers and not s.only_if_asked
    ]
    usual = USUAL_STRIKER[kind]
    if kind != "kick":
        members = [usual] if usual in members or not members else members[:1]
    return tuple(members) or (usual,)
