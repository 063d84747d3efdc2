"""``emblar.bench/1``: how far the work on a drum is, as kept with its session."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from emblar.core.matching.round import Loudness
from emblar.core.tuning.muffling import Layer
from emblar.core.tuning.sweep import SweepPoint
from emblar.formats.codec import Strict, publish
from emblar.formats.setup import Side

publish(Layer, Loudness, SweepPoint)

LONGEST_NOTE = 500


class HeadChange(Strict):
    """A head that was exchanged: ids and conditions, so that it can be undone.

    ``condition`` is the fitted head's before, None if it was bought for this; ``was`` the head that
    came off, None if there was none.
    """

    side: Side
    head: int = 0
    condition: str | None = None
    was: int | None = None
    was_condition: str = ""


class JobDone(Strict):
    """A job that was done or skipped, with what was noted."""

    state: Literal["done", "skipped"]
    note: str = Field(default="", max_length=LONGEST_NOTE)
    at: datetime | None = None
    """When; missing in what an earlier Emblar kept."""
    number: int = 0
    """The how-manieth job on this drum it was: a stored object does not keep its order."""
    setup_before: int = 0
    """The drum's newest setup before it; 0 in what an earlier Emblar kept."""
    setup_after: int = 0
    """Its newest setup with it: another one where the job changed the drum."""
    reading: int = 0
    """The newest reading of that setup; 0 if it had none."""
    head: HeadChange | None = None


class Turning(Strict):
    """A round of turns under way: turns per rod, the order to go in, which are done."""

    side: Side
    turns: list[float]
    order: list[int]
    done: list[int] = Field(default_factory=list)
    """Rods done, counted from 0, in the order they were."""

    @property
    def made(self) -> list[float]:
        """Return what was turned so far, per rod."""
        return [t if rod in self.done else 0.0 for rod, t in enumerate(self.turns)]

    @property
    def left(self) -> list[int]:
        """Return the rods still to turn, in order."""
        return [rod for rod in self.order if rod not in self.done]


class CauseFile(Strict):
    """What the last stroke gave away: which (``core/tuning/diagnosis.toml``), with its numbers."""

    id: str
    numbers: dict[str, float] = Field(default_factory=dict)
    head: Side | None = None


class HumFile(Strict):
    """What a drum answered to this one's stroke: dB re it, pitch in Hz, T60 in s; or why not."""

    heard: bool
    level_db: float | None = None
    hz: float | None = None
    t60_s: float | None = None
    why_not: str | None = None


class BackTo(Strict):
    """An earlier setup that a drum is being brought back to: lug pitches it stood at, Hz.

    ``plan`` is the plan's version: a newer plan has the say again.
    """

    setup: int = 0
    plan: int = Field(ge=0)
    lug_hz: dict[Side, float] = Field(default_factory=dict)
    jobs: dict[str, JobDone] = Field(default_factory=dict)
    """Jobs that are open again on the way, as they were done before."""
    before: "BackTo | None" = None
    """The setup it was being brought back to when this way was gone."""


class LeftFile(Strict):
    """A head left off its goal: its lug pitch in Hz and the distance from the goal in cents."""

    hz: float = Field(gt=0.0)
    off_cents: float


class BenchFile(Strict):
    """How far the work on a drum is: jobs by id, turns under way."""

    schema_: Literal["emblar.bench/1"] = Field(default="emblar.bench/1", alias="schema")
    jobs: dict[str, JobDone] = Field(default_factory=dict)
    turning: Turning | None = None
    causes: list[CauseFile] = Field(default_factory=list)
    """What the last stroke gave away, the surest first."""
    sweep: list[SweepPoint] = Field(default_factory=list)
    """Strokes of a sweep by ear, in the order they were struck."""
    hum: dict[str, HumFile] = Field(default_factory=dict)
    """What the others of the kit answered when this drum was struck, by the drum's id."""
    hum_before: dict[str, HumFile] = Field(default_factory=dict)
    """The same of the stroke before."""
    layers: list[Layer] = Field(default_factory=list)
    """Strokes while the drum was muffled, in the order they were struck."""
    level: Loudness | None = None
    """How loud it was in the last round of the kit."""
    level_before: Loudness | None = None
    back_to: BackTo | None = None
    """The setup it is being brought back to; its pitches are the goals then, not the plan's."""
    left: dict[Side, LeftFile] = Field(default_factory=dict)
    """Heads whose last readings are off their goal; made whenever the work is kept."""
    at: str = ""
    """The job that was chosen to be shown, if another than the next one."""
