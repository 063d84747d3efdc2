"""The work on one drum in order: which jobs, on which head, how long (``procedure.toml``).

Conventions
-----------
The resonant head comes first, then the batter, then the first head once more: the second has moved
it. A head that stays on is neither fitted nor seated. Times are minutes of one person.
"""

import tomllib
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import lru_cache
from importlib import resources

from emblar.core.acoustics.drum import Kind, Side
from emblar.core.planning.kick_window import Manner


@dataclass(frozen=True, slots=True)
class Work:
    """What is to be done on a drum.

    Parameters
    ----------
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    changes
        Heads to fit new, and whether each may be pressed down to crack its collar.
    has_reso, damped
        Whether there is a second head, and whether muffling is planned.
    front_off
        Whether a front head comes off for good.
    kick
        How a kick's batter is brought up, None for other drums.
    """

    kind: Kind
    changes: dict[Side, bool]
    has_reso: bool
    damped: bool
    front_off: bool = False
    kick: Manner | None = None


@dataclass(frozen=True, slots=True)
class Job:
    """One job: its id (``even-batter``), which text tells it, on which head, how many minutes."""

    id: str
    text: str
    side: Side | None
    minutes: float

    @property
    def name(self) -> str:
        """What it is, on whichever head."""
        return name_of(self.id)

    @property
    def tunes(self) -> bool:
        """Whether rods are turned and tapped in this job."""
        return self.text.split("-")[0] in ("even", "settle", "again")


def name_of(job_id: str) -> str:
    """Return what a job is, on whichever head: its id without the head."""
    return job_id.removesuffix("-batter").removesuffix("-reso")


@dataclass(frozen=True, slots=True)
class JobText:
    """What a job says; with places for the head, its goal and what is planned."""

    title: str
    what: str
    expect: str
    minutes: float
    caution: str = ""
    snare: dict[str, str] = field(default_factory=dict)
    """Text fields that differ on a snare."""
    snare_side: dict[str, str] = field(default_factory=dict)
    """What differs on a snare's snare side, by field."""

    def on(self, kind: Kind, side: Side | None) -> "JobText":
        """Return the text for one head of a kind of drum."""
        if kind != "snare":
            return self
        other = self.snare | (self.snare_side if side == "reso" else {})
        return replace(
            self,
            what=other.get("what", self.what),
            expect=other.get("expect", self.expect),
            caution=other.get("caution", self.caution),
        )


@lru_cache(maxsize=1)
def job_texts() -> dict[str, JobText]:
    """Return every job's text, by name."""
    text = (resources.files(__package__) / "procedure.toml").read_text(encoding="utf-8")
    return {name: JobText(**row) for name, row in tomllib.loads(text).items()}


def jobs(work: Work) -> tuple[Job, ...]:
    """Return the jobs of a drum in order."""
    return tuple(
        Job(f"{name}-{side}" if side else name, text, side, job_texts()[text].minutes)
        for name, text, side in _rows(work)
    )


def _rows(work: Work) -> Iterator[tuple[str, str, Side | None]]:
    yield "as-found", "as-found", None
    yield "inspect", "inspect", None
    if work.front_off:
        yield "front-off", "front-off", None
    sides: tuple[Side, ...] = ("reso", "batter") if work.has_reso else ("batter",)
    for side in sides:
        if side in work.changes:
            yield "mount", "mount", side
            yield "finger", "finger", side
            yield "seat", "seat" if work.changes[side] else "seat-gently", side
        yield "even", _evened(work, side), side
        if side in work.changes:
            yield "settle", "settle", side
    if len(sides) > 1:
        yield "again", "again", sides[0]
    if work.kind == "snare":
        yield "wires", "wires", None
    yield "place", "place", None
    if work.damped:
        yield "dampers", "dampers", None
    yield "listen", "listen", None


def _evened(work: Work, side: Side) -> str:
    """Return which text tells how a head is brought up."""
    if work.kick is None:
        return "even"
    return f"even-{work.kick}" if side == "batter" else "even-front"
