"""A wish sung at a drum: heard, and taken up."""

from collections.abc import Mapping
from typing import Any

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import InputError
from emblar.core.planning.sung import MOST_STEPS, SungWish, read_sung
from emblar.platform.sound.clips import clip_samples
from emblar.platform.studio import Studio, in_session
from emblar.steps.kit.queries import slots as store
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions.planning import replan_drum

SINGABLE = ("length", "click")


def sung_drum(studio: Studio, session_id: int, slot_id: int) -> KitDrum:
    """Return the drum that is sung of."""
    with in_session(studio, session_id) as db:
        return store.get(db, session_id, slot_id)


def hear_sung(studio: Studio, session_id: int, slot_id: int, data: bytes) -> SungWish:
    """Return the wish of two mouth sounds; nothing is kept.

    Raises
    ------
    BadAudioError
        There are not two sounds with a pause between them.
    """
    sung_drum(studio, session_id, slot_id)
    return read_sung(clip_samples(data), ANALYSIS_RATE_HZ)


def use_sung(studio: Studio, session_id: int, slot_id: int, wished: Mapping[str, float]) -> None:
    """Add a wish to what is asked of a drum, and plan it so.

    Raises
    ------
    InputError
        It is a wish that nobody can sing.
    """
    if not wished or any(n not in SINGABLE or abs(s) > MOST_STEPS for n, s in wished.items()):
        raise InputError("This is no wish that was heard. Sing it again.")
    drum = sung_drum(studio, session_id, slot_id)
    current = dict(drum.wish.get("steps", {}))
    for name, by in wished.items():
        current[name] = max(
            -2.0 * MOST_STEPS, min(round(current.get(name, 0.0) + by, 1), 2.0 * MOST_STEPS)
        )
    request: dict[str, Any] = {**drum.wish, "steps": {n: s for n, s in current.items() if s}}
    replan_drum(studio, session_id, slot_id, request)
