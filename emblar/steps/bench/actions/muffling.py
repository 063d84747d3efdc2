"""Muffling one thing at a time: strokes before and after each, kept with the work on a drum."""

from collections.abc import Callable
from dataclasses import dataclass

from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.tuning.muffling import MOVED, Layer, MufflingStep, next_step
from emblar.formats.bench import BenchFile
from emblar.formats.setup import SetupFile
from emblar.formats.stored import lenient
from emblar.platform.sound.clips import read_clip_sound
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench.actions.sound import expected_sustain_s, struck
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import bench, change_setup, change_work, finish_job
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.listen.actions.measuring import measured_record
from emblar.steps.plan.actions.planning import task_of

MOST_LAYERS = 60
MOST_ON = 8


@dataclass(frozen=True, slots=True)
class MufflingView:
    """A drum while it is muffled.

    ``of_record`` says whether the wish is the record, or where that does not tell, the plan.
    """

    bench: Bench
    target: Target
    of_record: bool
    planned: tuple[str, ...]
    on: tuple[str, ...]
    layers: tuple[Layer, ...]
    step: MufflingStep
    others: tuple[str, ...]
    """What else could be laid on it."""


def muffling(studio: Studio, session_id: int, slot_id: int) -> MufflingView:
    """Return a drum while it is muffled, and what to do next."""
    current = bench(studio, session_id, slot_id)
    target, of_record = _wished(studio, session_id, current)
    on = tuple(_setup(current).dampers)
    layers = tuple(current.layers)
    planned = tuple(current.plan.dampers)
    step = next_step(target, planned, on, layers)
    free = [
        d.id
        for d in studio.catalogue().dampers_for(current.drum.owned.kind)
        if d.id not in {*on, *planned}
    ]
    return MufflingView(current, target, of_record, planned, on, layers, step, tuple(free))


def muffled_stroke(studio: Studio, session_id: int, slot_id: int, data: bytes) -> None:
    """Read a stroke with what lies on the drum now, and keep it.

    Raises
    ------
    BadAudioError
        Its pitch cannot be told, so it may be of another drum; nothing was kept.
    InputError
        There are too many strokes.
    """
    current = bench(studio, session_id, slot_id)
    _, card, _ = struck(current, read_clip_sound(data))
    measured = {name: q for name in MOVED if isinstance(q := card[name], Measured)}
    on = tuple(_setup(current).dampers)
    layer = Layer(
        dampers=on, card=measured, expected_s=expected_sustain_s(studio.catalogue(), current)
    )

    def keep(file: BenchFile) -> None:
        if len(file.layers) >= MOST_LAYERS:
            raise InputError("There are too many strokes. Begin again.")
        file.layers.append(layer)

    change_work(studio, session_id, slot_id, keep)


def lay(studio: Studio, session_id: int, slot_id: int, damper_id: str) -> None:
    """Keep that a damper was laid on.

    Raises
    ------
    CatalogueError
        There is no such damper.
    InputError
        It lies there already, or is not used on such a drum.
    """
    made = studio.catalogue().damper(damper_id)

    def laid(kind: str, on: list[str]) -> list[str]:
        if kind not in made.kinds:
            raise InputError(f"{made.name} is not used on a {kind}.", field="damper")
        if damper_id in on:
            raise InputError(f"{made.name} lies on it already.", field="damper")
        if len(on) >= MOST_ON:
            raise InputError(
                "There is enough on this drum. Take something off first.", field="damper"
            )
        return [*on, damper_id]

    _change(studio, session_id, slot_id, laid)


def take_off(studio: Studio, session_id: int, slot_id: int, damper_id: str) -> None:
    """Keep that a damper was taken off.

    Raises
    ------
    InputError
        It does not lie on the drum.
    """

    def off(_: str, on: list[str]) -> list[str]:
        if damper_id not in on:
            raise InputError(
                f"{studio.catalogue().damper(damper_id).name} does not lie on it.", field="damper"
            )
        return [d for d in on if d != damper_id]

    _change(studio, session_id, slot_id, off)


def take_stroke_back(studio: Studio, session_id: int, slot_id: int, *, all_of_it: bool) -> None:
    """Remove the last stroke, or all of them; what lies on the drum stays.

    Raises
    ------
    InputError
        There is none.
    """

    def remove(file: BenchFile) -> None:
        if not file.layers:
            raise InputError("There is no stroke to remove.")
        file.layers = [] if all_of_it else file.layers[:-1]

    change_work(studio, session_id, slot_id, remove)


def _change(
    studio: Studio, session_id: int, slot_id: int, change: Callable[[str, list[str]], list[str]]
) -> None:
    """Change what lies on a drum, by its kind and what lies there; nobody else does meanwhile."""
    with studio.together() as unit:
        # Whoever changes the work on this drum waits until this is kept.
        change_work(unit, session_id, slot_id, lambda _: None)
        current = bench(unit, session_id, slot_id)
        on = change(current.drum.owned.kind, list(_setup(current).dampers))
        with in_session(unit, session_id) as db:
            drum = kit_store.get(db, session_id, slot_id)
            change_setup(db, session_id, drum, dampers=on)


def _setup(state: Bench) -> SetupFile:
    return lenient(SetupFile, state.setup.document, "This setup")


def _wished(studio: Studio, session_id: int, state: Bench) -> tuple[Target, bool]:
    """Return what the drum is to sound like, and whether that is the record as wished."""
    try:
        target = task_of(state.drum, measured_record(studio, session_id)).target
    except EmblarError:
        target = Target("", {}, {})
    if any(name in target.values for name in MOVED):
        return target, True
    card = {name: Measured(q.value, q.sd, q.unit) for name, q in state.plan.card.items()}
    return Target(target.voice, card, {}), False


def muffling_done(studio: Studio, session_id: int, slot_id: int) -> None:
    """Leave what lies on the drum as it is; the bench's own job is done with it."""
    current = bench(studio, session_id, slot_id)
    if any(job.id == "dampers" for job in current.jobs):
        finish_job(studio, session_id, slot_id, "dampers")
