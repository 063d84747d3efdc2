"""What can be chosen by hand for a drum, and wished different from the record."""

from collections.abc import Iterable
from dataclasses import dataclass

from emblar.core.catalogue import (
    Catalogue,
)
from emblar.core.drum import Wish
from emblar.core.quantities.registry import steps
from emblar.frame.words import pitch
from emblar.steps.brief.actions import has_front, request_of, steps_of
from emblar.steps.kit.page import Option
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions.planning import target_of
from emblar.steps.workspace.page import Frame

RELATIONS = (
    ("", "let Emblar choose"),
    ("equal", "equal"),
    ("higher", "reso higher"),
    ("lower", "reso lower"),
)
LEAVE = "let Emblar choose"
PORTS = (
    ("closed", "closed"),
    ("cut", "with a hole"),
    ("ring", "cut to a ring"),
    ("off", "taken off"),
)
WISHED = ("sustain", "length", "attack", "click", "body", "ring", "wires")
"""Quantities that can be wished different from the record."""


@dataclass(frozen=True, slots=True)
class WishRow:
    """A quantity that can be wished different: name, steps asked, what more means."""

    name: str
    steps: str
    more: str


@dataclass(frozen=True, slots=True)
class PlanForm:
    """The choices to make by hand for the selected drum."""

    action: str
    relations: tuple[Option, ...]
    semitones: str
    semitones_now: str
    pitch_hz: str
    record_pitch: str
    batters: tuple[Option, ...]
    resos: tuple[Option, ...]
    dampers: tuple[Option, ...]
    more_dampers: tuple[tuple[str, tuple[Option, ...]], ...]
    """Further dampers next to the first: the field's name and its options."""
    strikers: tuple[Option, ...]
    wires: tuple[Option, ...]
    ports: tuple[Option, ...]
    wishes: tuple[WishRow, ...]
    wishes_say: str


def _damper_options(
    catalogue: Catalogue, drum: KitDrum, chosen: tuple[str, ...] | None, index: int
) -> tuple[Option, ...]:
    """Return what may lie on a drum as its first, second or third damper."""
    current = chosen[index] if chosen is not None and index < len(chosen) else ""
    none = chosen is not None and not chosen
    first = (Option("", LEAVE, chosen is None), Option("none", "nothing", none))
    return (
        *(first if index == 0 else (Option("", "nothing more", not current),)),
        *(
            Option(d.id, d.name, d.id == current)
            for d in catalogue.dampers_for(drum.owned.kind)
            if d.side == "batter" or drum.owned.reso
        ),
    )


def _more_dampers(
    catalogue: Catalogue, drum: KitDrum, chosen: tuple[str, ...] | None
) -> tuple[tuple[str, tuple[Option, ...]], ...]:
    """Return a field for each further damper and an empty one, three dampers at most."""
    count = min(len(chosen or ()), 2)
    return tuple(
        (f"damper_{i + 1}", _damper_options(catalogue, drum, chosen, i))
        for i in range(1, count + 1)
    )


def plan_form(around: Frame, drum: KitDrum) -> PlanForm:
    """Return the form for changes by hand, filled with the choices made so far."""
    request: Wish = request_of(drum)
    asked_steps, kind = steps_of(drum), drum.owned.kind
    file = around.plan.drums.get(drum.id) if around.plan else None
    target = target_of(around.record, drum.voice)
    record = target.value("pitch") if target else None
    batters, resos = (around.catalogue.constructions_for(kind, side) for side in ("batter", "reso"))
    return PlanForm(
        action=f"/sessions/{around.session.id}/plan/{drum.id}",
        relations=tuple(Option(v, text, v == (request.relation or "")) for v, text in RELATIONS),
        semitones=f"{request.semitones:g}" if request.semitones is not None else "",
        semitones_now=f"{file.semitones:+g}" if file else "",
        pitch_hz=f"{request.pitch_hz:g}" if request.pitch_hz else "",
        record_pitch=pitch(record) if record else "",
        batters=_or_leave(((c.id, c.name) for c in batters), request.batter),
        resos=_or_leave(((c.id, c.name) for c in resos), request.reso) if drum.owned.reso else (),
        dampers=_damper_options(around.catalogue, drum, request.dampers, 0),
        more_dampers=_more_dampers(around.catalogue, drum, request.dampers),
        strikers=_or_leave(
            ((s.id, s.name) for s in around.catalogue.strikers_for(kind)), request.striker
        ),
        wires=_or_leave(
            ((w.id, w.name) for w in around.catalogue.wire_settings.values()), request.wires
        )
        if kind == "snare"
        else (),
        ports=_or_leave(PORTS, request.port) if has_front(drum.owned) else (),
        wishes=tuple(
            WishRow(n, f"{asked_steps[n]:g}" if n in asked_steps else "", steps()[n].more)
            for n in WISHED
            if n != "wires" or kind == "snare"
        ),
        wishes_say=", ".join(f"{n} {by:+g}" for n, by in asked_steps.items()),
    )


def _or_leave(rows: Iterable[tuple[str, str]], chosen: str | None) -> tuple[Option, ...]:
    """Return choices by id and name, and first of all to leave it to the plan."""
    return (
        Option("", LEAVE, chosen is None),
        *(Option(id_, name, id_ == chosen) for id_, name in rows),
    )
