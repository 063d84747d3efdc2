"""One change by hand changes one thing: the rest of the plan is held, and what follows is said."""

from collections.abc import Mapping
from typing import Any

from emblar.core.acoustics.limits import head_name
from emblar.core.planning.kit import OwnedDrum
from emblar.formats.plan import DrumPlanFile
from emblar.steps.brief.actions import front_wish, has_front

SOUND = ("steps", "pitch_hz")
"""Wishes that say how it is to sound; all others say what it is made of."""
NAMES = {
    "relation": "relation of the heads",
    "batter": "batter",
    "dampers": "muffling",
    "striker": "what it is struck with",
    "wires": "wires",
    "port": "front head",
    "pitch_hz": "pitch",
    "steps": "sound",
}


def changed_by_hand(before: Mapping[str, Any], wish: Mapping[str, Any]) -> set[str]:
    """Return which wishes differ; the interval of the heads counts as their relation."""
    keys = set(before) | set(wish)
    result = {key for key in keys if before.get(key) != wish.get(key)}
    return {"relation" if key == "semitones" else key for key in result}


def held(
    wish: Mapping[str, Any], changed: set[str], plan: DrumPlanFile, owned: OwnedDrum
) -> dict[str, Any] | None:
    """Return a wish with everything else as it is planned now.

    Parameters
    ----------
    wish, changed
        What is asked by hand, and which of it is new.
    plan
        The drum's plan so far.

    Returns
    -------
    dict or None
        None where another sound is asked for: then everything may change.
    """
    if "steps" in changed or not changed:
        return None
    as_is: dict[str, Any] = {
        "batter": plan.batter,
        "dampers": list(plan.dampers),
        "striker": plan.striker,
    }
    if plan.reso is not None:
        as_is |= {"reso": plan.reso, "semitones": plan.semitones, "relation": plan.relation}
    if owned.kind == "snare":
        as_is["wires"] = plan.wires
    if has_front(owned):
        as_is["port"] = front_wish(plan.reso, plan.port_in, owned)
    # A hole goes with its head, and a damper on the front with the front.
    if changed & {"port", "reso"}:
        for name in ("port", "reso", *(("dampers",) if "port" in changed else ())):
            as_is.pop(name, None)
    if "relation" in changed:
        as_is.pop("semitones", None)
        as_is.pop("relation", None)
    free = {key: value for key, value in as_is.items() if key not in changed}
    return {**free, **wish}


def what_followed(
    changed: set[str], before: DrumPlanFile, after: DrumPlanFile, *, kept_rest: bool
) -> str:
    """Return what was changed by hand, and what changed with it, in words."""
    reso = head_name(after.kind, "reso")
    names = {**NAMES, "reso": reso}
    text = " and ".join(names[name] for name in names if name in changed) or "plan"
    parts = [f"{text} changed by hand"]
    old, new = before.prediction.lug_hz, after.prediction.lug_hz
    if round(old.batter) != round(new.batter):
        parts.append(f"batter lugs {old.batter:.0f} → {new.batter:.0f} Hz")
    if old.reso and new.reso and round(old.reso) != round(new.reso):
        parts.append(f"{reso} lugs {old.reso:.0f} → {new.reso:.0f} Hz")
    also = [
        names[name]
        for name in ("batter", "reso", "dampers", "striker", "wires")
        if name not in changed and getattr(before, name) != getattr(after, name)
    ]
    if also:
        why = "" if kept_rest else ", or no head bears it"
        parts.append(f"with it {' and '.join(also)}{why}")
    return "; ".join(parts)
