"""One drum planned whole: recipe, reasons, predicted card, range, and what to be careful with."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from emblar.core.acoustics.drum import Drum, Kind
from emblar.core.acoustics.forward import Prediction, predict, settling
from emblar.core.catalogue import dampers
from emblar.core.errors import InputError, NoSolutionError
from emblar.core.planning.brief import Brief, Shelf, usual_weights
from emblar.core.planning.findings import findings
from emblar.core.planning.kit import OwnedDrum, check_range, model
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.recipe import Relation, relation_of, workable_range_hz
from emblar.core.planning.search import DrumSearch, Locks, Port
from emblar.core.planning.steps import steps
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Recipe, Weighed
from emblar.core.planning.why import Explainer, Reason, School, fit_warnings
from emblar.core.quantities import Measured
from emblar.core.synthesis.stroke import Partial, Voice, settle_span_s

HEARING = "Wear hearing protection while tuning, and take breaks."
FORCE = "Stop where the key needs force; keep the face off the head's line."
CAN = "Lift properly, and secure what lies in the kick so that it cannot roll."
LEGS = "Turned legs: see that the drum stands fast, and mind floors and shins."
CUT = (
    "A cut cannot be undone: try a borrowed or old head first. Head off the drum and clamped, "
    "sharp blade away from the hand, deburr, reinforcing ring."
)
NOTHING_ASKED = Brief()
SETTLINGS = 2
LEAST_STEPS = 0.5


@dataclass(frozen=True, slots=True)
class Request:
    """What was asked of a drum by hand; None leaves it to Emblar."""

    relation: Relation | None = None
    semitones: float | None = None
    pitch_hz: float | None = None
    batter: str | None = None
    dampers: tuple[str, ...] | None = None
    reso: str | None = None
    striker: str | None = None
    wires: str | None = None
    port: Port | None = None

    def locks(self) -> Locks:
        """Return what the search is to leave as it is."""
        return Locks(
            self.batter, self.reso, self.dampers, self.striker, self.wires, self.semitones,
            self.relation, self.port,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Other:
    """Another way to plan the drum: what it is best at, and what it moves against the chosen."""

    name: str
    says: str
    weighed: Weighed
    moves: dict[str, float]


@dataclass(frozen=True, slots=True)
class DrumPlan:
    """The plan for one drum."""

    owned: OwnedDrum
    voice: str
    weighed: Weighed
    prediction: Prediction
    reasons: tuple[Reason, ...]
    schools: tuple[School, ...]
    others: tuple[Other, ...]
    card: dict[str, Measured]
    target: dict[str, Measured]
    missing: dict[str, str]
    range_hz: tuple[float, float]
    cautions: tuple[str, ...]

    @property
    def recipe(self) -> Recipe:
        """Return what to put on and where to tune."""
        return self.weighed.recipe

    @property
    def relation(self) -> Relation:
        """Return the relation of the heads by name."""
        return relation_of(self.recipe.semitones)


def plan_drum(
    owned: OwnedDrum,
    target: Target,
    request: Request,
    *,
    brief: Brief = NOTHING_ASKED,
    shelf: Shelf | None = None,
    thorough: bool = True,
) -> DrumPlan:
    """Plan one drum.

    Parameters
    ----------
    owned
        The drum with what is on it.
    target
        The record's card of the voice it is to play.
    request
        What stays as asked by hand.
    brief, shelf
        What is asked of the kit, and what loose heads, dampers and strikers there are; by default
        every damper and striker of the catalogue.
    thorough
        Look round the best recipes once more and measure their strokes; without it a change by
        hand is answered at once.

    Raises
    ------
    InputError
        Neither the record nor a wish says which pitch.
    NoSolutionError
        The drum cannot reach the pitch; what it can is in the message.
    """
    pitch = request.pitch_hz or target.value("pitch")
    if pitch is None:
        why = target.missing.get("pitch", "it was not measured")
        raise InputError(
            f"{owned.name}: the record does not tell the pitch of {target.voice} ({why}). "
            "Wish a pitch by hand."
        )
    check_range("drum_pitch_hz", pitch)
    if request.semitones is not None:
        check_range("relation_semitones", request.semitones)
    if request.port == "cut" and brief.never_cut and owned.port_in is None:
        raise InputError(
            f"{owned.name}: the brief forbids cutting. Allow a port there first; a cut cannot be "
            "undone."
        )
    asked = replace(target, values={**target.values, "pitch": _wished(target, pitch)})
    there = shelf or Shelf((owned,), (), tuple(dampers()), ())
    there = replace(there, drums=(owned,))
    weights = usual_weights()
    search = DrumSearch(0, asked, there, brief, weights, request.locks())
    found = search.best()
    if not found:
        raise NoSolutionError(
            f"{owned.name}: {pitch:.1f} Hz is past what its heads bear so. Choose another drum for "
            "this voice, another relation of the heads, or another pitch."
        )
    if thorough:
        found = search.finalists(found)
    best = found[0]
    if best.short_cents:
        size = "a smaller" if best.short_cents < 0 else "a larger"
        raise NoSolutionError(
            f"{owned.name}: {pitch:.1f} Hz is past what its heads bear; the nearest is "
            f"{best.card['pitch']:.1f} Hz, {abs(best.short_cents):.0f} cents off. Choose "
            f"{size} drum for this voice, or another pitch."
        )
    recipe = best.recipe
    drum = model(
        owned if recipe.port_in == owned.port_in else replace(owned, port_in=recipe.port_in),
        batter=recipe.batter, reso=recipe.reso, dampers=recipe.dampers, striker=recipe.striker,
        wires_setting=recipe.wires,
    )  # fmt: skip
    row, prediction = _settled_at(best, drum, owned.kind, pitch)
    explain = Explainer(row, asked, there, brief, weights)
    card = predicted_card(prediction, owned.kind)
    warnings = [r.text for r in fit_warnings([row], there, brief)]
    return DrumPlan(
        owned=owned,
        voice=target.voice,
        weighed=row,
        prediction=prediction,
        reasons=tuple(explain.reasons()),
        schools=tuple(explain.schools()),
        others=tuple(_others(best, found)),
        card=card,
        target=dict(target.values),
        missing=dict(target.missing),
        range_hz=workable_range_hz(drum, prediction.tensions),
        cautions=(*_found(owned, recipe), *warnings, *_cautions(owned, row, prediction)),
    )


def _settled_at(row: Weighed, drum: Drum, kind: Kind, wish_hz: float) -> tuple[Weighed, Prediction]:
    """Bring a recipe's lug pitches to where a medium stroke settles at the wished pitch."""
    recipe = row.recipe
    for _ in range(SETTLINGS):
        found = settling(drum, recipe.batter_hz, recipe.reso_hz)
        fundamental = Partial(found.drum_pitch_hz, found.sustain_s, 1.0)
        voice = Voice((fundamental,), (), found.bend_cents, settle_span_s(kind))
        share = wish_hz / voice.settled_hz()
        reso = recipe.reso_hz * share if recipe.reso_hz is not None else None
        recipe = replace(recipe, batter_hz=recipe.batter_hz * share, reso_hz=reso)
    return replace(row, recipe=recipe), predict(drum, recipe.batter_hz, recipe.reso_hz)


def _wished(target: Target, pitch: float) -> Measured:
    told = target.values.get("pitch")
    if told is not None and told.value == pitch:
        return told
    return Measured(pitch, 0.0, "Hz")


def _others(best: Weighed, found: list[Weighed]) -> list[Other]:
    """Return the ways that are best at one thing and differ from the chosen one."""
    ways: list[tuple[str, str, Callable[[Weighed], tuple[float, float]]]] = [
        ("closest", "nearest, whatever it costs", lambda w: (w.distance, w.total)),
        ("least work", "fewest minutes", lambda w: (w.minutes, w.total)),
        ("buy nothing", "only heads that are there", lambda w: (len(w.bought), w.total)),
    ]
    out: list[Other] = []
    for name, says, key in ways:
        row = min(found, key=key)
        if row is best or any(o.weighed is row for o in out) or key(row)[0] >= key(best)[0]:
            continue
        if name == "buy nothing" and (row.bought or not best.bought):
            continue
        moves = {
            n: steps()[n].apart(v, best.card[n])
            for n, v in row.card.items()
            if n in best.card and n != "pitch"
        }
        moves = {n: v for n, v in moves.items() if abs(v) >= LEAST_STEPS}
        out.append(Other(name, says, row, moves))
    return out


def _found(owned: OwnedDrum, recipe: Recipe) -> list[str]:
    """Return what an inspection found; a spent head only while it stays on."""
    rows = [findings()[name] for name in owned.findings]
    return [
        f"{owned.name} has {row.name}: {row.advice}."
        for row in rows
        if row.changes is None or getattr(recipe, row.changes) == getattr(owned, row.changes)
    ]


def _cautions(owned: OwnedDrum, best: Weighed, prediction: Prediction) -> tuple[str, ...]:
    found = [limit.text for limit in prediction.limits]
    if any(limit.severity in ("stop", "caution") for limit in prediction.limits):
        found.append(FORCE)
    if best.cut:
        found.append(CUT)
    if any(d.startswith("leg") for d in best.recipe.dampers):
        found.append(LEGS)
    if owned.kind == "kick" and "sand-can" in best.recipe.dampers:
        found.append(CAN)
    return (*found, HEARING)
