"""One drum planned whole: recipe, reasons, predicted card, range, and what to be careful with."""

from dataclasses import dataclass, replace

from emblar.core.errors import InputError, NoSolutionError
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.reasons import Reason, reasons_for
from emblar.core.planning.recipe import (
    DEFAULT_RELATION,
    Recipe,
    Relation,
    Scored,
    Wish,
    choose,
    default_semitones,
    workable_range_hz,
)
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured

EASE_SEMITONES = 1.0
HEARING = "Wear hearing protection while tuning, and take breaks."
FORCE = "Stop where the key needs force; keep the face off the head's line."
CAN = "Lift properly, and secure what lies in the kick so that it cannot roll."


@dataclass(frozen=True, slots=True)
class Request:
    """What was asked of a drum by hand; None leaves it to Emblar."""

    relation: Relation | None = None
    semitones: float | None = None
    pitch_hz: float | None = None
    batter: str | None = None
    dampers: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class School:
    """One relation of the heads as it would be on this drum."""

    relation: Relation
    semitones: float
    chosen: bool
    batter_hz: float
    reso_hz: float | None
    sustain_s: float


@dataclass(frozen=True, slots=True)
class DrumPlan:
    """The plan for one drum."""

    owned: OwnedDrum
    voice: str
    relation: Relation
    recipe: Recipe
    reasons: tuple[Reason, ...]
    schools: tuple[School, ...]
    card: dict[str, Measured]
    target: dict[str, Measured]
    missing: dict[str, str]
    range_hz: tuple[float, float]
    cautions: tuple[str, ...]


def plan_drum(owned: OwnedDrum, target: Target, request: Request) -> DrumPlan:
    """Plan one drum.

    Raises
    ------
    InputError
        Neither the record nor a wish says which pitch.
    NoSolutionError
        The drum cannot reach the pitch.
    """
    pitch = request.pitch_hz or target.value("pitch")
    if pitch is None:
        why = target.missing.get("pitch", "it was not measured")
        raise InputError(
            f"{owned.name}: the record does not tell the pitch of {target.voice} ({why}). "
            "Wish a pitch by hand."
        )
    relation = request.relation or DEFAULT_RELATION[owned.kind]
    usual = default_semitones(owned, relation)
    semitones = usual if request.semitones is None else request.semitones
    wish = Wish(pitch, semitones, batter=request.batter, dampers=request.dampers)
    if request.semitones is None:
        recipe, ordered = _choose_bearable(owned, wish, target)
    else:
        recipe, ordered = choose(owned, wish, target)
    reasons = reasons_for(owned, recipe, ordered, target)
    if recipe.semitones != semitones:
        reasons.insert(1, _eased(recipe, semitones))
    schools = _schools(owned, wish, recipe, relation, target)
    return DrumPlan(
        owned=owned,
        voice=target.voice,
        relation=relation,
        recipe=recipe,
        reasons=tuple(reasons),
        schools=schools,
        card=predicted_card(recipe.prediction, owned.kind),
        target=dict(target.values),
        missing=dict(target.missing),
        range_hz=workable_range_hz(owned, recipe),
        cautions=_cautions(owned, recipe),
    )


def _choose_bearable(owned: OwnedDrum, wish: Wish, target: Target) -> tuple[Recipe, list[Scored]]:
    """Choose, easing the relation towards equal heads while the reso would tear."""
    try:
        return choose(owned, wish, target)
    except NoSolutionError:
        if wish.semitones < EASE_SEMITONES:
            raise
    return _choose_bearable(owned, replace(wish, semitones=wish.semitones - EASE_SEMITONES), target)


def _eased(recipe: Recipe, wanted: float) -> Reason:
    return Reason(
        "relation",
        f"Reso {recipe.semitones:g} semitones above the batter: at the usual {wanted:g} its film "
        "would tear at this pitch.",
        {"semitones": recipe.semitones, "usual_semitones": wanted},
    )


def _schools(
    owned: OwnedDrum, wish: Wish, recipe: Recipe, chosen: Relation, target: Target
) -> tuple[School, ...]:
    """Return each bearable relation with the same heads and dampers at the same drum pitch."""
    found = []
    names: tuple[Relation, ...] = ("equal", "higher", "lower")
    for name in names if owned.reso is not None else names[:1]:
        semitones = recipe.semitones if name == chosen else default_semitones(owned, name)
        same = Wish(wish.pitch_hz, semitones, batter=recipe.batter, dampers=recipe.dampers)
        try:
            other, _ = choose(owned, same, target)
        except NoSolutionError:
            continue
        found.append(
            School(
                name,
                semitones,
                name == chosen,
                other.lugs.batter_hz,
                other.lugs.reso_hz,
                other.prediction.sustain.value,
            )
        )
    return tuple(found)


def _cautions(owned: OwnedDrum, recipe: Recipe) -> tuple[str, ...]:
    found = [limit.text for limit in recipe.prediction.limits]
    if any(limit.severity in ("stop", "caution") for limit in recipe.prediction.limits):
        found.append(FORCE)
    if owned.kind == "kick" and recipe.dampers:
        found.append(CAN)
    return (*found, HEARING)
