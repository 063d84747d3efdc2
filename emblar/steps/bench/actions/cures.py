"""Cures: what to do when a drum chokes, and tricks, on a drum as it is at the bench."""

from dataclasses import dataclass

from emblar.core.errors import InputError
from emblar.core.tuning.cures import Cure, cures
from emblar.platform.studio import Studio
from emblar.steps.bench.actions.muffling import lay
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import bench
from emblar.steps.match.actions.comparison import setup_of_bench
from emblar.steps.plan.actions.planning import replan_drum


@dataclass(frozen=True, slots=True)
class CuresView:
    """A drum at the bench, and what can be done, in order."""

    bench: Bench
    cures: tuple[Cure, ...]


def cures_of(studio: Studio, session_id: int, slot_id: int) -> CuresView:
    """Return what can be done about a drum as it is now."""
    current = bench(studio, session_id, slot_id)
    return CuresView(
        current, cures(studio.catalogue(), current.drum.owned, setup_of_bench(current))
    )


def use_cure(studio: Studio, session_id: int, slot_id: int, cure_id: str, place: int) -> Cure:
    """Ask for a cure by hand, so that plan and bench go for it; put a trick on the drum as it is.

    Parameters
    ----------
    cure_id, place
        Which, and where it stands in the list: one cure is there for every damper.

    Raises
    ------
    InputError
        It is not offered any more.
    NoSolutionError
        The drum cannot be planned so.
    """
    view = cures_of(studio, session_id, slot_id)
    cure = view.cures[place] if 0 <= place < len(view.cures) else None
    if cure is None or cure.id != cure_id:
        raise InputError("That is not offered any more: the drum has changed. Look again.")
    if cure.purpose == "choke":
        replan_drum(studio, session_id, slot_id, {**view.bench.drum.wish, **cure.asks})
    else:
        lay(studio, session_id, slot_id, cure.id)
    return cure
