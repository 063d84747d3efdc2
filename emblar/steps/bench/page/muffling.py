"""Muffle: one thing laid on at a time, a stroke before and a stroke after."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.catalogue import Catalogue
from emblar.core.naming import lower_first
from emblar.core.quantities.registry import registry, steps
from emblar.core.tuning.muffling import Effect, Layer, MufflingStep, effects, rings_past
from emblar.frame.words import number
from emblar.steps.bench.actions.muffling import MufflingView
from emblar.steps.bench.drawing.muffling import muffling as muffling_drawing

SHOWN = ("sustain", "length", "ring", "body", "attack")
HEARD = 1.0


@dataclass(frozen=True, slots=True)
class Lying:
    """Something that lies on the drum, or may."""

    id: str
    name: str


@dataclass(frozen=True, slots=True)
class LayerRow:
    """One stroke in the table: what was done, and each number with what changed, in words."""

    name: str
    cells: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class MufflePage:
    """Everything the Muffle page shows."""

    title: str
    subtitle: str
    do: str
    big: str
    then: str
    damper: Lying | None
    on: tuple[Lying, ...]
    others: tuple[Lying, ...]
    columns: tuple[str, ...]
    rows: tuple[LayerRow, ...]
    drawing: Markup | None
    base: str
    bench: str


def muffle_page(catalogue: Catalogue, view: MufflingView, session_id: int) -> MufflePage:
    """Return the page."""
    slot_id, step = view.bench.drum.id, view.step
    bench = f"/sessions/{session_id}/bench"
    wish = "the record" if view.of_record else "the plan"
    known = [
        (_lies(catalogue, layer), past.steps, past.sd_steps)
        for layer in view.layers
        if (past := rings_past(view.target, layer)) is not None
    ]
    left = [d for d in view.planned if d not in view.on]
    return MufflePage(
        title=view.bench.drum.owned.name,
        subtitle=f"Begin with nothing, add the least that does it. Held against {wish}.",
        do=step.do,
        big=_big(catalogue, step),
        then=_then(step, wish),
        damper=_muffling_on(catalogue, step.damper) if step.damper else None,
        on=tuple(_muffling_on(catalogue, d) for d in view.on),
        others=tuple(_muffling_on(catalogue, d) for d in (*left, *view.others)),
        columns=SHOWN,
        rows=tuple(_row(catalogue, view.layers, i) for i in range(len(view.layers))),
        drawing=muffling_drawing(known, f"{_big(catalogue, step)}. {_then(step, wish)}")
        if known
        else None,
        base=f"{bench}/{slot_id}/muffle",
        bench=f"{bench}?sel=d{slot_id}",
    )


def _muffling_on(catalogue: Catalogue, damper_id: str) -> Lying:
    return Lying(damper_id, catalogue.damper(damper_id).name)


def _small(catalogue: Catalogue, damper_id: str) -> str:
    name = catalogue.damper(damper_id).name
    return lower_first(name)


def _big(catalogue: Catalogue, step: MufflingStep) -> str:
    if step.do == "strike":
        return "Strike once"
    if step.do == "lay" and step.damper:
        return f"Add: {_small(catalogue, step.damper)}"
    if step.do == "take off" and step.damper:
        return f"Take off: {_small(catalogue, step.damper)}"
    return {"enough": "Enough", "too dead": "Too dead"}.get(step.do, "All of it is on")


def _then(step: MufflingStep, wish: str) -> str:
    if step.do == "strike":
        return "in the middle, firmly, with just what lies on it now"
    far = _far(step, wish)
    if step.do == "lay":
        return f"{far} Then strike again."
    if step.do == "take off":
        return f"{_worst(step, wish)} It was nearer without."
    if step.do == "enough":
        return f"{far} Leave the rest off: every damper costs loudness and attack."
    if step.do == "too dead":
        return (
            f"{far} No damper makes a drum ring longer. Tune both heads to the same pitch, or "
            "choose a head without built-in damping in Plan."
        )
    return f"{far} What is left shows in Match."


def _far(step: MufflingStep, wish: str) -> str:
    if step.too_long is None:
        return f"{wish[:1].upper()}{wish[1:]} does not tell how long it rings: judge by ear."
    if abs(step.too_long) < HEARD:
        return f"It rings as long as {wish}, as far as is heard."
    way = "longer" if step.too_long > 0.0 else "shorter"
    return f"It rings {abs(step.too_long):.1f} steps {way} than {wish}."


def _worst(step: MufflingStep, wish: str) -> str:
    """Say what lies furthest from the wish with this on."""
    if step.worst is None:
        return ""
    row = steps()[step.worst.quantity]
    word = row.more if step.worst.steps > 0.0 else row.less
    return (
        f"{registry()[row.name].shown.capitalize()}: {abs(step.worst.steps):.1f} steps {word} than "
        f"{wish}."
    )


def _lies(catalogue: Catalogue, layer: Layer) -> str:
    return ", ".join(_small(catalogue, d) for d in layer.dampers) or "nothing on it"


def _before(layers: Sequence[Layer], place: int) -> Layer | None:
    return layers[place - 1] if place else None


def _done(catalogue: Catalogue, layers: Sequence[Layer], place: int) -> str:
    """Return what was done before a stroke, in words."""
    before, current = _before(layers, place), layers[place]
    if before is None:
        return "as it was" if current.dampers else "nothing on it"
    laid = [_small(catalogue, d) for d in current.dampers if d not in before.dampers]
    off = [_small(catalogue, d) for d in before.dampers if d not in current.dampers]
    words = [f"+ {name}" for name in laid] + [f"− {name}" for name in off]
    return ", ".join(words) or "struck again"


def _row(catalogue: Catalogue, layers: Sequence[Layer], place: int) -> LayerRow:
    before, current = _before(layers, place), layers[place]
    moved = {e.quantity: e for e in effects(before, current)} if before is not None else {}
    cells = []
    for name in SHOWN:
        known = current.card.get(name)
        if known is None:
            cells.append(("not told", ""))
            continue
        cells.append((number(known.value, registry()[name].unit), _moved(moved.get(name))))
    return LayerRow(_done(catalogue, layers, place), tuple(cells))


def _moved(effect: Effect | None) -> str:
    if effect is None:
        return ""
    if abs(effect.steps) < HEARD:
        return "not heard"
    if abs(effect.steps) < effect.sd_steps:
        return "cannot tell"
    step = steps()[effect.quantity]
    return f"{abs(effect.steps):.1f} steps {step.more if effect.steps > 0.0 else step.less}"
