"""Why a recipe is as it is, in sentences made from its numbers.

Conventions
-----------
Every reason carries the numbers it was made from, so that it can be checked; none praises.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.catalogue import construction, constructions_for, damper
from emblar.core.notes import note_text
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.recipe import TYPICAL_CLICK_HZ, Recipe, Scored
from emblar.core.planning.steps import steps
from emblar.core.planning.target import Target


@dataclass(frozen=True, slots=True)
class Reason:
    """One reason: what it is about, the sentence, the numbers in it."""

    about: str
    text: str
    numbers: dict[str, float]


def reasons_for(
    owned: OwnedDrum, recipe: Recipe, ordered: Sequence[Scored], target: Target
) -> list[Reason]:
    """Return the reasons for a chosen recipe, most important first."""
    found = [_heads(owned, recipe, ordered, target), _pitches(recipe)]
    surface = _surface(owned, recipe, target)
    others = (surface, _damping(owned, recipe, target), _port(owned, recipe))
    return found + [reason for reason in others if reason is not None]


def _heads(owned: OwnedDrum, recipe: Recipe, ordered: Sequence[Scored], target: Target) -> Reason:
    name = construction(recipe.batter).name.capitalize()
    rings = recipe.prediction.sustain.value
    sustain = target.value("sustain")
    if sustain is None:
        return Reason(
            "batter",
            f"{name}. The record does not tell this drum's sustain, so what is on the drum stays "
            f"unless another is needed; it should ring {rings:.2f} s.",
            {"sustain_s": rings},
        )
    apart = steps()["sustain"].apart(rings, sustain)
    other = next((s for s in ordered if s.candidate.batter != recipe.batter), None)
    text = (
        f"{name}. Rings {rings:.2f} s as planned, the record {sustain:.2f} s: {_steps_text(apart)}."
    )
    numbers = {"sustain_s": rings, "record_s": sustain, "steps": apart}
    if recipe.batter == owned.batter:
        text += " It is on the drum now."
    if other is not None:
        other_name = construction(other.candidate.batter).name
        other_s = other.candidate.outline.sustain_s
        numbers |= {"next_sustain_s": other_s, "next_cost_steps": other.total_steps}
        text += f" Next best: {other_name}, {other_s:.2f} s."
    return Reason("batter", text, numbers)


def _steps_text(apart: float) -> str:
    row = steps()["sustain"]
    if abs(apart) < 1.0:
        return "less than one audible step apart"
    return f"{abs(apart):.1f} steps {row.more if apart > 0 else row.less}"


def _pitches(recipe: Recipe) -> Reason:
    drum_hz, batter = recipe.prediction.drum_pitch.value, recipe.lugs.batter_hz
    numbers = {"drum_pitch_hz": drum_hz, "batter_lug_hz": batter}
    text = (
        f"Lug pitch is not drum pitch. For {drum_hz:.1f} Hz ({note_text(drum_hz)}) with both heads "
        f"free, the batter alone must give {batter:.0f} Hz at its lugs"
    )
    if recipe.lugs.reso_hz is not None:
        numbers["reso_lug_hz"] = recipe.lugs.reso_hz
        text += f", the reso {recipe.lugs.reso_hz:.0f} Hz"
    return Reason("pitch", text + ".", numbers)


def _surface(owned: OwnedDrum, recipe: Recipe, target: Target) -> Reason | None:
    click = target.value("click")
    surfaces = {c.coated for c in constructions_for(owned.kind, "batter")}
    if click is None or len(surfaces) < 2:
        return None
    typical = TYPICAL_CLICK_HZ[owned.kind]
    coated = construction(recipe.batter).coated
    bright = click > typical
    side = "above" if bright else "below"
    nearer = "clear" if bright else "coated"
    text = (
        f"The record's first 10 ms centre on {click / 1000:.1f} kHz, {side} the usual "
        f"{typical / 1000:.1f} kHz of a {owned.kind}: a {nearer} surface is nearer."
    )
    if coated == bright:
        text += " Sustain weighed more here."
    return Reason("surface", text, {"click_hz": click, "usual_hz": typical})


def _damping(owned: OwnedDrum, recipe: Recipe, target: Target) -> Reason | None:
    sustain = target.value("sustain")
    bare = model(owned, batter=recipe.batter, reso=recipe.reso)
    alone = predict(bare, recipe.lugs.batter_hz, recipe.lugs.reso_hz).sustain.value
    numbers = {"bare_sustain_s": alone, "damped_sustain_s": recipe.prediction.sustain.value}
    if not recipe.dampers:
        if sustain is None:
            return None
        return Reason(
            "muffling",
            f"Nothing on it: bare it should ring {alone:.2f} s, the record {sustain:.2f} s.",
            numbers | {"record_s": sustain},
        )
    names = " and ".join(damper(d).name for d in recipe.dampers)
    text = (
        f"{names.capitalize()}: takes the sustain from {alone:.2f} to "
        f"{recipe.prediction.sustain.value:.2f} s. Tune first, then add the least that does it."
    )
    return Reason("muffling", text, numbers)


def _port(owned: OwnedDrum, recipe: Recipe) -> Reason | None:
    if owned.kind != "kick" or owned.reso is None:
        return None
    other_port = None if owned.port_in else 5.0
    other = replace(owned, port_in=other_port)
    drum = model(other, batter=recipe.batter, reso=recipe.reso, dampers=recipe.dampers)
    wish = recipe.prediction.drum_pitch.value
    lugs = lug_pitches_for(drum, wish, recipe.semitones)
    rings = predict(drum, lugs.batter_hz, lugs.reso_hz).sustain.value
    now = recipe.prediction.sustain.value
    numbers = {"as_is_s": now, "other_s": rings}
    if owned.port_in:
        text = (
            f"The {owned.port_in:g} in port stays. With a closed front it would ring "
            f"{rings:.2f} s instead of {now:.2f} s."
        )
    else:
        text = (
            f"The front stays closed: {now:.2f} s; with a 5 in port it would ring {rings:.2f} s. "
            "A cut cannot be undone: try a borrowed ported head first."
        )
    return Reason("port", text, numbers)
