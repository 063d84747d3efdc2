"""Tuning by ear alone: strokes while a drum is cranked, kept with the work on it."""

from dataclasses import dataclass

from emblar.core.errors import InputError
from emblar.core.tuning.sweep import Sweep, SweepPoint, read_sweep, sweep
from emblar.formats.bench import BenchFile
from emblar.platform.sound.clips import read_clip_sound
from emblar.platform.studio import Studio
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import bench, change_work

MOST_POINTS = 200


@dataclass(frozen=True, slots=True)
class SweepView:
    """A drum's sweep: the drum at the bench, its strokes in order, and what they tell."""

    bench: Bench
    points: tuple[SweepPoint, ...]
    curve: Sweep


def swept(studio: Studio, session_id: int, slot_id: int) -> SweepView:
    """Return a drum's sweep so far."""
    current = bench(studio, session_id, slot_id)
    points = tuple(SweepPoint(p.hz, p.t60_s, p.ring_db) for p in current.sweep)
    return SweepView(current, points, sweep(points))


def sweep_stroke(studio: Studio, session_id: int, slot_id: int, data: bytes) -> int:
    """Read the strokes of a recording into a drum's sweep; return how many.

    Raises
    ------
    BadAudioError
        No stroke can be read; nothing was kept.
    InputError
        The sweep is full.
    """
    current = bench(studio, session_id, slot_id)
    voice = {"tom": "tom-1"}.get(current.drum.owned.kind, current.drum.owned.kind)
    result = read_sweep(read_clip_sound(data), voice)

    def keep(file: BenchFile) -> None:
        if len(file.sweep) + len(result) > MOST_POINTS:
            raise InputError("This sweep is full. Begin it again.")
        file.sweep += result

    change_work(studio, session_id, slot_id, keep)
    return len(result)


def take_sweep_back(studio: Studio, session_id: int, slot_id: int, *, all_of_it: bool) -> None:
    """Remove the last stroke of a sweep, or all of it.

    Raises
    ------
    InputError
        There is none.
    """

    def remove(file: BenchFile) -> None:
        if not file.sweep:
            raise InputError("There is no stroke to remove.")
        file.sweep = [] if all_of_it else file.sweep[:-1]

    change_work(studio, session_id, slot_id, remove)
