"""A recipe for one drum: heads, lug pitches, port and dampers, chosen by rule from the card.

Conventions
-----------
The first, rule-based planner. Every head and damper of the catalogue that suits the drum is
predicted at the wished pitch; the one that comes closest in sustain wins, with small costs for work
and for losing what a damper takes. Relations are named ``equal``, ``higher`` and ``lower``; the
number of semitones is free. A cut is never proposed: a port is only weighed in a reason.
"""

import math
from dataclasses import dataclass
from typing import Literal

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.forward import (
    Outline,
    Prediction,
    drum_pitch_hz,
    outline,
    predict,
    tensions_from_lug_pitches,
)
from emblar.core.acoustics.inverse import LugPitches, lug_pitches_for
from emblar.core.catalogue import Damper, construction, constructions_for, dampers_for
from emblar.core.errors import DrumError, NoSolutionError
from emblar.core.planning.kit import OwnedDrum, check_range, model
from emblar.core.planning.steps import steps
from emblar.core.planning.target import Target

Relation = Literal["equal", "higher", "lower"]
DEFAULT_SEMITONES: dict[str, dict[Relation, float]] = {
    "tom": {"equal": 0.0, "higher": 2.0, "lower": -1.0},
    "snare": {"equal": 0.0, "higher": 5.0, "lower": -2.0},
    "kick": {"equal": 0.0, "higher": 3.0, "lower": -2.0},
}
DEFAULT_RELATION: dict[str, Relation] = {"tom": "higher", "snare": "higher", "kick": "higher"}
HEAD_SWAP_STEPS = 1.2
DAMPER_STEPS = 0.5
SURFACE_STEPS = 1.0
CAUTION_STEPS = 3.0
TYPICAL_CLICK_HZ = {"tom": 900.0, "snare": 4500.0, "kick": 1500.0}
"""Assumption: above this first-10-ms centroid a clear surface is nearer, below a coated one."""


@dataclass(frozen=True, slots=True)
class Wish:
    """What is asked of one drum: pitch in Hz, relation in semitones, and choices already made.

    ``dampers=None`` leaves the dampers to Emblar; an empty tuple means none.
    """

    pitch_hz: float
    semitones: float
    batter: str | None = None
    reso: str | None = None
    dampers: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class Recipe:
    """What to put on a drum and where to tune it, with what it should then do."""

    batter: str
    reso: str | None
    port_in: float | None
    dampers: tuple[str, ...]
    semitones: float
    lugs: LugPitches
    prediction: Prediction


@dataclass(frozen=True, slots=True)
class Candidate:
    """Heads and dampers with solved lug pitches, outlined but not fully predicted."""

    batter: str
    dampers: tuple[str, ...]
    lugs: LugPitches
    outline: Outline


@dataclass(frozen=True, slots=True)
class Scored:
    """A candidate with its distance from the record in steps, costs included."""

    candidate: Candidate
    sustain_steps: float | None
    total_steps: float


def default_semitones(owned: OwnedDrum, relation: Relation) -> float:
    """Return the usual interval of a relation for this kind of drum in semitones."""
    return DEFAULT_SEMITONES[owned.kind][relation]


def recipe_from(owned: OwnedDrum, wish: Wish, candidate: Candidate) -> Recipe:
    """Predict a candidate in full."""
    drum = model(owned, batter=candidate.batter, reso=wish.reso, dampers=candidate.dampers)
    lugs = candidate.lugs
    return Recipe(
        batter=candidate.batter,
        reso=wish.reso or owned.reso,
        port_in=owned.port_in,
        dampers=candidate.dampers,
        semitones=wish.semitones,
        lugs=lugs,
        prediction=predict(drum, lugs.batter_hz, lugs.reso_hz),
    )


def candidates(owned: OwnedDrum, wish: Wish) -> list[Candidate]:
    """Return every candidate the rules consider, in the catalogue's order.

    Lug pitches are solved with the dampers lying on the head, whose mass lowers the note a little.
    """
    check_range("drum_pitch_hz", wish.pitch_hz)
    check_range("relation_semitones", wish.semitones)
    k = prior_coefficients()
    batters = [c.id for c in constructions_for(owned.kind, "batter")]
    found = []
    for batter in [wish.batter] if wish.batter else batters:
        near: LugPitches | None = None
        for dampers in _damping(owned, wish):
            drum = model(owned, batter=batter, reso=wish.reso, dampers=dampers)
            try:
                near = lug_pitches_for(drum, wish.pitch_hz, wish.semitones, near=near)
            except NoSolutionError:
                continue
            sketch = outline(drum, near.batter_hz, near.reso_hz, k)
            found.append(Candidate(batter, dampers, near, sketch))
    return found


def _damping(owned: OwnedDrum, wish: Wish) -> list[tuple[str, ...]]:
    if wish.dampers is not None:
        return [wish.dampers]
    single = [(d.id,) for d in dampers_for(owned.kind) if _possible(d, owned)]
    return [(), *single, *_pairs(owned)]


def _possible(damper: Damper, owned: OwnedDrum) -> bool:
    return damper.side == "batter" or owned.reso is not None


def _pairs(owned: OwnedDrum) -> list[tuple[str, ...]]:
    if owned.kind == "kick" and owned.reso is not None:
        return [("pillow-batter", "pillow-front"), ("felt-strip", "pillow-front")]
    return []


def score(candidate: Candidate, owned: OwnedDrum, target: Target) -> Scored:
    """Return a candidate's distance from the record in just-noticeable steps, costs included."""
    total = DAMPER_STEPS * len(candidate.dampers)
    total += HEAD_SWAP_STEPS if candidate.batter != owned.batter else 0.0
    cautious = any(limit.severity == "caution" for limit in candidate.outline.limits)
    total += CAUTION_STEPS if cautious else 0.0
    sustain = target.value("sustain")
    apart = None
    if sustain is not None:
        apart = steps()["sustain"].apart(candidate.outline.sustain_s, sustain)
        # Too short costs double: length is easy to take away at the desk and hard to add.
        total += abs(apart) * (2.0 if apart < 0 else 1.0)
    click = target.value("click")
    if click is not None:
        wants_clear = click > TYPICAL_CLICK_HZ[owned.kind]
        coated = construction(candidate.batter).coated
        total += SURFACE_STEPS if coated == wants_clear else 0.0
    return Scored(candidate, apart, total)


def choose(owned: OwnedDrum, wish: Wish, target: Target) -> tuple[Recipe, list[Scored]]:
    """Choose a recipe.

    Returns
    -------
    recipe, all_scored
        The recipe with the fewest steps, and all candidates, best first.

    Raises
    ------
    NoSolutionError
        Nothing on this drum reaches the wished pitch, or only past what a head bears.
    """
    found = candidates(owned, wish)
    if not found:
        raise NoSolutionError(
            f"{owned.name}: no head reaches {wish.pitch_hz:.1f} Hz on this drum. "
            "Choose a drum of another size for this voice, or wish another pitch."
        )
    bearable = [c for c in found if all(x.severity != "stop" for x in c.outline.limits)]
    if not bearable:
        least = min(found, key=lambda c: max(x.value for x in c.outline.limits))
        raise NoSolutionError(
            f"{owned.name}: {wish.pitch_hz:.1f} Hz is past what its heads bear "
            f"({least.outline.limits[0].text}). Choose a smaller drum for this voice, another "
            "relation of the heads, or a lower pitch."
        )
    ordered = sorted((score(c, owned, target) for c in bearable), key=lambda s: s.total_steps)
    return recipe_from(owned, wish, ordered[0].candidate), ordered


def workable_range_hz(owned: OwnedDrum, recipe: Recipe) -> tuple[float, float]:
    """Return the lowest and highest drum pitch in Hz of a drum with the recipe's heads.

    Between the papery tension and the caution stress or rod load, whichever head meets it first, at
    the recipe's relation of lug pitches.
    """
    k = prior_coefficients()
    drum = model(owned, batter=recipe.batter, reso=recipe.reso)
    tensions = recipe.prediction.tensions
    lowest, highest = 0.0, math.inf
    pairs = (
        (drum.batter, tensions.batter_n_per_m),
        (drum.reso, tensions.reso_n_per_m),
    )
    for film, tension in pairs:
        if film is None or tension is None:
            continue
        bearable = min(
            k["stress_caution"] * film.thickness_m,
            k["rod_caution"] * drum.rods / (2.0 * math.pi * drum.radius_m(k)),
        )
        lowest = max(lowest, math.sqrt(k["papery_tension"] / tension))
        highest = min(highest, math.sqrt(bearable / tension))
    ends = []
    for share in (lowest, max(highest, lowest)):
        reso = recipe.lugs.reso_hz * share if recipe.lugs.reso_hz else None
        moved = tensions_from_lug_pitches(drum, recipe.lugs.batter_hz * share, reso, k)
        ends.append(drum_pitch_hz(drum, moved, k))
    return ends[0], ends[1]


def kind_of_voice(voice: str) -> str:
    """Return the kind of drum that plays a voice.

    Raises
    ------
    DrumError
        The voice is a hat or cymbal, which are not tuned.
    """
    if voice in ("hat", "cymbal"):
        raise DrumError(f"{voice}: hats and cymbals are noted, not tuned.")
    return "tom" if voice.startswith("tom") else voice
