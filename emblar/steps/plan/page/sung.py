"""Sing it: what two mouth sounds wish of a drum."""

from collections.abc import Mapping
from dataclasses import dataclass

from emblar.core.quantities.registry import steps
from emblar.steps.kit.queries.slots import KitDrum

NAMES = {"length": "length", "click": "brightness"}


@dataclass(frozen=True, slots=True)
class SungPage:
    """Everything the Sing it page shows."""

    drum: str
    base: str
    plan: str
    big: str
    lines: tuple[str, ...]
    wished: tuple[tuple[str, str], ...]
    """What is sent to take the wish up."""


def sung_page(
    session_id: int,
    drum: KitDrum,
    wished: Mapping[str, float] | None,
    falls_more: float | None,
) -> SungPage:
    """Return the page; ``wished`` is None before anything was sung."""
    root = f"/sessions/{session_id}/plan"
    plan = f"{root}?sel=d{drum.id}"
    base = f"{root}/sung/{drum.id}"
    if wished is None:
        return SungPage(
            drum.owned.name,
            base,
            plan,
            "Sing it twice",
            ("First as it is, then as you want it, with a pause between: “bap … boooom”.",),
            (),
        )
    words = [_words(name, by) for name, by in wished.items()]
    known = [
        f"{NAMES[name].capitalize()}: {by:+.1f} audible steps.".replace("-", "−")
        for name, by in wished.items()
    ]
    if falls_more:
        way = "falls further" if falls_more > 0.0 else "falls less far"
        known.append(
            f"Your second sound {way}, by {abs(falls_more):.0f} ct. A drum falls by how hard it is "
            "struck and how slack its head is: try that first, it is not wished here."
        )
    if not known:
        known = ["The two are alike in length and brightness. Exaggerate, and sing again."]
    big = f"{' and '.join(words).capitalize()}" if words else "No clear difference"
    fields = tuple((name, f"{by:.2f}") for name, by in wished.items())
    return SungPage(drum.owned.name, base, plan, big, tuple(known), fields)


def _words(name: str, by: float) -> str:
    step = steps()[name]
    return step.more if by > 0.0 else step.less
