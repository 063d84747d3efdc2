"""Log: what is known of each drum over all sessions, to look up and to take along."""

import itertools
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from statistics import fmean
from typing import Any, Protocol, TypeVar

from emblar.core.acoustics.drum import Side
from emblar.core.errors import NotFoundError
from emblar.core.tuning.ageing import (
    LearnedValue,
    Tapped,
    head_life,
    is_due,
    nights,
    overnight,
    pace,
)
from emblar.core.tuning.procedure import job_texts, name_of
from emblar.core.tuning.sweep import SweepPoint, sweep
from emblar.formats.bench import BenchFile
from emblar.formats.log import LogDrum, LogFile, LogHead, LogReading, LogSetup
from emblar.formats.setup import SetupFile
from emblar.formats.stored import readable
from emblar.platform.studio import Studio
from emblar.steps.bench import queries as bench_store
from emblar.steps.kit.queries import drums as drum_store
from emblar.steps.kit.queries.drums import StudioDrum
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.log.queries import entries as store
from emblar.steps.log.queries.entries import HeadEntry, ReadingInfo, SetupEntry, TakeEntry


@dataclass(frozen=True, slots=True)
class Round:
    """What was read on a drum as it was set up at one time: mean lug pitches, the drum's pitch."""

    setup_id: int
    time: datetime
    session: str
    batter_hz: float | None
    reso_hz: float | None
    drum_hz: float | None
    readings: int
    note: str
    """What was said of the drum as it was set up: the drummer's word, the weather."""


@dataclass(frozen=True, slots=True)
class DrumLog:
    """A drum and its past: the rounds read on it, its heads and takes; its setups if asked for."""

    drum: StudioDrum
    rounds: tuple[Round, ...]
    readings: tuple[ReadingInfo, ...]
    setups: tuple[SetupEntry, ...]
    heads: tuple[HeadEntry, ...]
    takes: tuple[TakeEntry, ...]
    used: tuple[int, ...]
    """In how many sessions each of its heads was."""
    best: tuple[tuple[str, float], ...] = ()
    """Sweet spots found by ear as (session, Hz), the newest last, where one drum is asked for."""
    lives: Mapping[tuple[str, str], LearnedValue | None] = field(default_factory=dict)
    """How many sessions heads of a side and construction lasted on all drums of the kind."""

    @property
    def due(self) -> tuple[HeadEntry, ...]:
        """The heads on it that are likely to be spent in the next session."""
        return tuple(
            head
            for head, sessions in zip(self.heads, self.used, strict=True)
            if head.removed_at is None
            and is_due(sessions, self.lives.get((head.side, head.construction)))
        )

    def overnight(self, side: Side, *, fresh: bool) -> LearnedValue | None:
        """Return how far a head moves by itself over a night, cents."""
        fitted = [(_side(h.side), h.fitted_at) for h in self.heads if h.fitted_at is not None]
        tapped = [
            Tapped(r.time, r.setup_id, side, r.rod, r.hz)
            for r in self.readings
            if r.what == "lug" and r.side == side and r.rod is not None
        ]
        return overnight(nights(tapped, fitted), fresh=fresh)

    @property
    def last_at(self) -> datetime | None:
        """When something was last read on it or recorded of it."""
        times = [r.time for r in self.rounds] + [t.time for t in self.takes]
        return max(times, default=None)

    def matches(self, words: str) -> bool:
        """Whether all of some words stand in its name, sizes, heads, sessions or notes."""
        owned = self.drum.owned
        held = [owned.name, owned.kind, f"{owned.diameter_in:g}", self.drum.lent_by]
        held += [h.construction.replace("-", " ") for h in self.heads]
        held += [r.session for r in self.rounds] + [t.session for t in self.takes]
        held += [r.note for r in self.rounds]
        text = " ".join(held).lower()
        return all(word in text for word in words.lower().split())


def _side(name: str) -> Side:
    return "reso" if name == "reso" else "batter"


def _head_lives(rows: Iterable[DrumLog]) -> dict[str, dict[tuple[str, str], LearnedValue | None]]:
    """Return how many sessions replaced heads lasted, by kind of drum, side and construction."""
    lasted: dict[str, dict[tuple[str, str], list[int]]] = defaultdict(lambda: defaultdict(list))
    for row in rows:
        for head, sessions in zip(row.heads, row.used, strict=True):
            if head.removed_at is not None and sessions:
                lasted[row.drum.owned.kind][head.side, head.construction].append(sessions)
    return {
        kind: {made: head_life(counts) for made, counts in members.items()}
        for kind, members in lasted.items()
    }


def log(studio: Studio, words: str = "") -> list[DrumLog]:
    """Return the log of every drum, those last worked on first.

    ``words`` leaves out drums that do not hold all of them.
    """
    result = [row for row in _log(studio) if row.matches(words)]
    return sorted(result, key=lambda r: (r.last_at is None, -(r.last_at or _LONG_AGO).timestamp()))


_LONG_AGO = datetime.fromisoformat("1970-01-01T00:00:00+00:00")


def learned_pace(studio: Studio) -> dict[str, LearnedValue]:
    """Return how many minutes jobs at the bench take here, by the job's name."""
    with studio.work() as db:
        documents = bench_store.documents(db, studio.studio_id)
    files = readable(BenchFile, documents, "The work so far")
    took = [(name, minutes) for file in files for name, minutes in _timed(file)]
    return pace(took, {name: text.minutes for name, text in job_texts().items()})


def _timed(file: BenchFile) -> Iterator[tuple[str, float]]:
    """Yield each job of a drum that was done, and the minutes since the one before."""
    timed = sorted((done.at, job_id, done) for job_id, done in file.jobs.items() if done.at)
    for (before, _, _), (time, job_id, done) in itertools.pairwise(timed):
        if done.state == "done":
            yield name_of(job_id), (time - before).total_seconds() / 60.0


def with_due_heads(studio: Studio, drums: Sequence[KitDrum]) -> list[KitDrum]:
    """Return drums of a kit, a head that is due told among what was found on each."""
    due = {
        row.drum.id: tuple(f"{_side(h.side)}-due" for h in row.due)
        for row in _log(studio)
        if row.due
    }
    result = []
    for drum in drums:
        known = due.get(drum.drum_id, ())
        owned = (
            replace(drum.owned, findings=(*drum.owned.findings, *known)) if known else drum.owned
        )
        result.append(replace(drum, owned=owned))
    return result


def drum_log(studio: Studio, drum_id: int) -> DrumLog:
    """Return one drum's log.

    Raises
    ------
    NotFoundError
        It is no drum of the studio.
    """
    result = next((row for row in _log(studio) if row.drum.id == drum_id), None)
    if result is None:
        raise NotFoundError("That drum is not here any more.")
    with studio.work() as db:
        documents = bench_store.of_drum(db, studio.studio_id, drum_id)
    return replace(result, best=tuple(_best_notes(documents)))


def _best_notes(documents: Iterable[tuple[str, dict[str, Any]]]) -> Iterator[tuple[str, float]]:
    """Yield where a drum sounded best, by each session's sweep by ear."""
    for session, document in documents:
        files = readable(BenchFile, [document], "The work so far")
        points = [SweepPoint(p.hz, p.t60_s, p.ring_db) for file in files for p in file.sweep]
        known = sweep(points)
        if known.hz is not None:
            yield session, known.hz


def _log(studio: Studio, *, with_setups: bool = False) -> list[DrumLog]:
    with studio.work() as db:
        drums = drum_store.listing(db, studio.studio_id)
        readings = _by_drum(store.readings(db, studio.studio_id))
        setups = _by_drum(store.setups(db, studio.studio_id) if with_setups else ())
        heads = _by_drum(store.heads(db, studio.studio_id))
        takes = _by_drum(store.takes(db, studio.studio_id))
    rows = [
        DrumLog(
            drum,
            _rounds(readings.get(drum.id, ())),
            readings.get(drum.id, ()),
            setups.get(drum.id, ()),
            heads.get(drum.id, ()),
            takes.get(drum.id, ()),
            tuple(
                _sessions_of(head, readings.get(drum.id, ()), takes.get(drum.id, ()))
                for head in heads.get(drum.id, ())
            ),
        )
        for drum in drums
    ]
    lives = _head_lives(rows)
    return [replace(row, lives=lives.get(row.drum.owned.kind, {})) for row in rows]


def _sessions_of(
    head: HeadEntry, readings: Iterable[ReadingInfo], takes: Iterable[TakeEntry]
) -> int:
    """Return in how many sessions a drum was read or recorded while a head was on it."""
    first, last = head.fitted_at or _LONG_AGO, head.removed_at
    position = {(r.time, r.session) for r in readings} | {(t.time, t.session) for t in takes}
    return len({s for when, s in position if s and when >= first and (last is None or when < last)})


class _OfDrum(Protocol):
    """Anything that is known of a drum."""

    @property
    def drum_id(self) -> int:
        """The drum."""


Row = TypeVar("Row", bound=_OfDrum)


def _by_drum(rows: Iterable[Row]) -> dict[int, tuple[Row, ...]]:
    result: dict[int, list[Row]] = defaultdict(list)
    for row in rows:
        result[row.drum_id].append(row)
    return {drum_id: tuple(members) for drum_id, members in result.items()}


def _rounds(readings: Iterable[ReadingInfo]) -> tuple[Round, ...]:
    by_setup: dict[int, list[ReadingInfo]] = defaultdict(list)
    for reading in readings:
        by_setup[reading.setup_id].append(reading)
    result = []
    for setup_id, rows in by_setup.items():
        # What was read last next to each rod.
        lugs = {
            side: list({r.rod: r.hz for r in rows if r.what == "lug" and r.side == side}.values())
            for side in ("batter", "reso")
        }
        strokes = [r.hz for r in rows if r.what == "drum"]
        result.append(
            Round(
                setup_id,
                rows[-1].time,
                rows[-1].session,
                fmean(lugs["batter"]) if lugs["batter"] else None,
                fmean(lugs["reso"]) if lugs["reso"] else None,
                strokes[-1] if strokes else None,
                len(rows),
                rows[-1].note,
            )
        )
    return tuple(sorted(result, key=lambda r: r.time))


def log_file(studio: Studio) -> LogFile:
    """Return the whole log as written to a file."""
    return LogFile(drums=[_drum_file(row) for row in _log(studio, with_setups=True)])


def _drum_file(row: DrumLog) -> LogDrum:
    owned = row.drum.owned
    return LogDrum(
        name=owned.name,
        kind=owned.kind,
        diameter_in=owned.diameter_in,
        depth_in=owned.depth_in,
        rods=owned.rods,
        lent_by=row.drum.lent_by,
        readings=[
            LogReading(
                at=r.time,
                session=r.session,
                what=r.what,
                side=r.side,
                rod=r.rod,
                hz=r.hz,
                sd_hz=r.sd_hz,
                how=r.how,
            )
            for r in row.readings
        ],
        setups=[
            LogSetup(at=s.time, session=s.session, origin=s.origin, setup=setup, note=s.note)
            for s in row.setups
            for setup in readable(SetupFile, [s.document], "This setup")
        ],
        heads=[
            LogHead(
                side=h.side,
                construction=h.construction,
                fitted_at=h.fitted_at,
                removed_at=h.removed_at,
            )
            for h in row.heads
        ],
    )
