"""Three drums with choices changed, at their drum pitch: what practice is held against."""

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any

from emblar.core.acoustics.drum import Drum
from emblar.core.acoustics.forward import Prediction, predict
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.catalogue import SHIPPED
from emblar.core.notes import cents
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.predicted import predicted_card
from emblar.core.quantities.registry import steps

DRUMS = {
    "tom": OwnedDrum(
        "12 × 8 in tom", "tom", 12, 8, 6, "flanged", "maple-lacquer", "single-clear", "single-clear"
    ),
    "snare": OwnedDrum(
        "14 × 5.5 in snare",
        "snare",
        14,
        5.5,
        10,
        "flanged",
        "maple-lacquer",
        "single-coated",
        "snare-side",
    ),
    "kick": OwnedDrum(
        "22 × 16 in kick",
        "kick",
        22,
        16,
        10,
        "wood",
        "maple-lacquer",
        "single-clear",
        "front-opaque",
    ),
}
TUNED = {"tom": (110.0, 0.0), "snare": (190.0, 4.0), "kick": (50.0, 2.0)}
"""Drum pitch in Hz, and the reso above the batter in semitones."""
OWNED = ("hoop", "edge", "shell", "depth_in", "diameter_in", "port_in", "rods", "shell_hole_in")
Card = dict[str, float]


def built(kind: str, changes: Mapping[str, Any]) -> Drum:
    """Return one of the three drums with choices changed, for the model."""
    request = {k: v for k, v in changes.items() if k not in ("semitones", "pitch", "front_off")}
    owned = replace(DRUMS[kind], **{k: request.pop(k) for k in OWNED if k in request})
    if changes.get("front_off"):
        owned = replace(owned, reso=None)
    return model(SHIPPED, owned, **request)


@lru_cache(maxsize=512)
def _predicted(kind: str, changes: tuple[tuple[str, Any], ...]) -> Prediction:
    request = dict(changes)
    drum = built(kind, request)
    pitch, semitones = TUNED[kind]
    lugs = lug_pitches_for(drum, request.get("pitch", pitch), request.get("semitones", semitones))
    return predict(drum, lugs.batter_hz, lugs.reso_hz)


def predicted(kind: str, **changes: Any) -> Prediction:
    """Return one of the three drums with choices changed, at its drum pitch."""
    return _predicted(kind, tuple(changes.items()))


@lru_cache(maxsize=512)
def _card(kind: str, changes: tuple[tuple[str, Any], ...]) -> Card:
    result = predicted_card(_predicted(kind, changes), kind)
    return {name: quantity.value for name, quantity in result.items()}


def card(kind: str, **changes: Any) -> Card:
    """Return the card of one of the three drums with choices changed."""
    return _card(kind, tuple(changes.items()))


def moved(after: Card, before: Card, *names: str) -> dict[str, float]:
    """Return by how many steps quantities changed."""
    return {n: steps()[n].apart(after[n], before[n]) for n in names}


def in_words(title: str, by: Mapping[str, float]) -> str:
    """Return changes in words: ``coated: click -1.2, sustain -0.5``."""
    return f"{title}: " + ", ".join(f"{name} {value:+.1f}" for name, value in by.items())


def at_same_lugs(kind: str, **changes: Any) -> float:
    """Return by how many cents the drum pitch moves if only these choices change."""
    plain = built(kind, {})
    pitch, semitones = TUNED[kind]
    lugs = lug_pitches_for(plain, pitch, semitones)
    result = predict(built(kind, changes), lugs.batter_hz, lugs.reso_hz)
    return cents(result.drum_pitch.value, pitch)
