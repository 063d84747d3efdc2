"""What to do when a drum chokes or rings too long, and tricks for a fat or a hard sound.

Conventions
-----------
The words are in ``cures.toml``. Cures come in the order a tech tries them, the cheapest first. What
each does is the model's card after it less that before it, in audible steps. The reso goes down by
``LOOSENED`` semitones, the batter up so that the drum pitch stays.
"""

import math
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from typing import Any, Literal

from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.errors import EmblarError
from emblar.core.matching.moves import drum_of, effect_of
from emblar.core.naming import lower_first
from emblar.core.planning.kit import OwnedDrum

Purpose = Literal["choke", "dry", "fat", "smack"]
LOOSENED = 2.0
LEAST_RELATION = -3.0
LOOSER = {"tight": "medium", "medium": "loose"}


@dataclass(frozen=True, slots=True)
class Cure:
    """One thing to do: in words, what it asks of the plan, and what it does in steps."""

    id: str
    purpose: Purpose
    title: str
    what: str
    source: str
    asks: dict[str, Any]
    """By the names of what is asked by hand: ``wires``, ``semitones``, ``dampers``."""
    effect: dict[str, float]
    """By the model, steps per quantity."""


@lru_cache(maxsize=1)
def _rows() -> dict[str, dict[str, Any]]:
    text = (resources.files(__package__) / "cures.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)


def cures(catalogue: Catalogue, owned: OwnedDrum, setup: Setup) -> tuple[Cure, ...]:
    """Return what cures a drum that chokes, in order, then what dries it, then the tricks.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    owned, setup
        The drum, and how it is set up.
    """
    return tuple(_all(catalogue, owned, setup))


def _all(catalogue: Catalogue, owned: OwnedDrum, setup: Setup) -> Iterator[Cure]:
    kind = owned.kind
    if kind == "snare" and setup.wires in LOOSER:
        yield _wires(catalogue, "wires-looser", owned, setup)
    loosened = _loosened(catalogue, owned, setup)
    if loosened is not None:
        yield loosened
    for gone in reversed(setup.dampers):
        left = tuple(d for d in setup.dampers if d != gone)
        yield _cure(
            catalogue,
            "take-off",
            owned,
            setup,
            replace(setup, dampers=left),
            {"dampers": list(left)},
            now=lower_first(catalogue.damper(gone).name),
        )
    for name, row in _rows().items():
        if kind not in row.get("kinds", ()) or name in setup.dampers:
            continue
        part = catalogue.damper(name)
        if owned.diameter_in >= part.least_in and (part.side != "reso" or setup.reso is not None):
            on = (*setup.dampers, name)
            yield _cure(
                catalogue, name, owned, setup, replace(setup, dampers=on), {"dampers": list(on)}
            )


def _wires(catalogue: Catalogue, name: str, owned: OwnedDrum, setup: Setup) -> Cure:
    looser, called = LOOSER[setup.wires], catalogue.wire_settings
    return _cure(
        catalogue,
        name,
        owned,
        setup,
        replace(setup, wires=looser),
        {"wires": looser},
        now=lower_first(called[setup.wires].name),
        then=lower_first(called[looser].name),
    )


def _loosened(catalogue: Catalogue, owned: OwnedDrum, setup: Setup) -> Cure | None:
    """Return the setup with a slacker reso and a tighter batter, or None where there is none."""
    if setup.reso_hz is None:
        return None
    semitones = round(12.0 * math.log2(setup.reso_hz / setup.batter_hz) - LOOSENED, 1)
    if semitones < LEAST_RELATION:
        return None
    drum = drum_of(catalogue, owned, setup)
    try:
        pitch = predict(drum, setup.batter_hz, setup.reso_hz).drum_pitch.value
        lugs = lug_pitches_for(drum, pitch, semitones)
    except EmblarError:
        return None
    after = replace(setup, batter_hz=lugs.batter_hz, reso_hz=lugs.reso_hz)
    other = head_name(owned.kind, "reso")
    return _cure(
        catalogue,
        "reso-lower",
        owned,
        setup,
        after,
        {"semitones": semitones},
        other=other,
        now=f"{setup.reso_hz:.0f}",
        then=f"{lugs.reso_hz:.0f}",
        now_batter=f"{setup.batter_hz:.0f}",
        then_batter=f"{lugs.batter_hz:.0f}",
    )


def _cure(
    catalogue: Catalogue,
    name: str,
    owned: OwnedDrum,
    before: Setup,
    after: Setup,
    asks: dict[str, Any],
    **words: str,
) -> Cure:
    row = _rows()[name]
    what = row["what"].format(**words)
    return Cure(
        id=name,
        purpose=row["for"],
        title=row["title"].format(**words),
        what=what[:1].upper() + what[1:],
        source=row["source"],
        asks=asks,
        effect=effect_of(catalogue, owned, before, after),
    )
