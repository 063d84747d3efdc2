"""The disagreements of the trade: what about, which sides there are, which side a recipe takes.

Conventions
-----------
A *school* is a side of a disagreement. Recipes are arrays over candidates: the interval of the
heads in semitones (reso over batter), whether something lies on the drum; a port is one for all.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.drum import Kind
from emblar.core.errors import InputError

Flags = NDArray[np.bool_]
RELATION = "relation of the heads"
SNARE_SIDE = "tension of the snare side"
PORT = "port"
MUFFLING = "muffling"
FRONT = "front head of the kick"
TIGHT_SEMITONES = 4.0
SIDES = {
    RELATION: ("equal heads", "reso higher", "reso lower"),
    SNARE_SIDE: ("tight reso", "relaxed reso"),
    PORT: ("closed front", "ported front"),
    MUFFLING: ("nothing on it", "damped"),
    FRONT: ("front level or above", "front below"),
}
FAVOURED_ON: dict[str, tuple[Kind, ...]] = {
    RELATION: ("tom",),
    SNARE_SIDE: ("snare",),
    PORT: ("kick",),
    MUFFLING: ("kick", "snare", "tom"),
    FRONT: ("kick",),
}
"""On which kinds of drum a player's own school counts; elsewhere the sides are only shown."""


def side_taken(
    about: str, name: str, semitones: NDArray[Any] | float, *, ported: bool, dressed: Flags | bool
) -> Flags:
    """Return which candidates take one side of a disagreement.

    Parameters
    ----------
    about
        What they disagree about.
    name
        Which side.
    semitones
        Reso above the batter, semitones.
    ported
        Whether there is a hole in the front head.
    dressed
        Which candidates have anything lying on them.
    """
    interval = np.asarray(semitones)
    sides = {
        (RELATION, "equal heads"): interval == 0.0,
        (RELATION, "reso higher"): interval > 0.0,
        (RELATION, "reso lower"): interval < 0.0,
        (SNARE_SIDE, "tight reso"): interval >= TIGHT_SEMITONES,
        (SNARE_SIDE, "relaxed reso"): interval < TIGHT_SEMITONES,
        (PORT, "closed front"): np.full(interval.shape, not ported),
        (PORT, "ported front"): np.full(interval.shape, ported),
        (MUFFLING, "nothing on it"): ~np.asarray(dressed),
        (MUFFLING, "damped"): np.asarray(dressed),
        (FRONT, "front level or above"): interval >= 0.0,
        (FRONT, "front below"): interval < 0.0,
    }
    return np.asarray(sides[about, name], np.bool_)


def against(
    schools: Mapping[str, str],
    kind: Kind,
    semitones: NDArray[Any],
    *,
    ported: bool,
    dressed: Flags,
    two_heads: bool,
) -> NDArray[np.float64]:
    """Return against how many of a player's own schools each candidate goes, shape (candidates,).

    Parameters
    ----------
    schools
        Which side a player takes, by what it is about.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    semitones
        Reso above the batter, semitones.
    ported
        Whether there is a hole in the front head.
    dressed
        Which candidates have anything lying on them.
    two_heads
        Whether the drum has two heads.
    """
    count = np.zeros(len(semitones))
    for about, name in schools.items():
        if kind in FAVOURED_ON[about] and (two_heads or about == MUFFLING):
            count += ~side_taken(about, name, semitones, ported=ported, dressed=dressed)
    return count


def checked_schools(schools: Mapping[str, str]) -> dict[str, str]:
    """Return schools as given, those left to Emblar taken out.

    Raises
    ------
    InputError
        There is no such disagreement, or it has no such side; what there is is in the message.
    """
    result = {about: name for about, name in schools.items() if name}
    for about, name in result.items():
        if about not in SIDES:
            raise InputError(f"schools: “{about}” is not possible. Choose {', '.join(SIDES)}.")
        if name not in SIDES[about]:
            raise InputError(f"schools: {about} is {' or '.join(SIDES[about])}, not “{name}”.")
    return result
