"""``emblar.kitplan/1`` out: alternatives for a whole kit, with reasons and every number in them."""

from collections.abc import Iterable
from typing import Literal

from pydantic import Field

from emblar.core.acoustics.forward import predict
from emblar.core.drum import Setup
from emblar.core.planning.assign import KitAlternative, PlannedKit, Unmet
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.cautions import cautions_of
from emblar.core.planning.kit import model, wearing
from emblar.core.planning.problem import Problem
from emblar.core.planning.sentence import plan_sentence
from emblar.core.planning.weighing import Weighed
from emblar.core.planning.why import Explainer, Reason, School, fit_warnings
from emblar.formats.codec import Strict, publish

publish(Reason, School, Setup, Unmet)


class VoicePlanFile(Strict):
    """One voice on one drum."""

    drum: str
    recipe: Setup
    card: dict[str, float]
    apart: dict[str, float]
    costs: dict[str, float]
    score: float
    minutes: float
    bought: list[str]
    cut: bool
    missed_cents: float
    sentence: str = ""
    """The plan in one sentence."""
    cautions: list[str] = Field(default_factory=list)
    """What to be careful about with this drum."""
    reasons: list[Reason] = Field(default_factory=list)
    schools: list[School] = Field(default_factory=list)


class AlternativeFile(Strict):
    """One way of planning the kit; reasons are with the first."""

    name: str
    says: str
    score: float
    distance: float
    minutes: float
    buys: int
    cuts: int
    voices: dict[str, VoicePlanFile]
    warnings: list[Reason]


class KitPlanFile(Strict):
    """The answer of the planner."""

    schema_: Literal["emblar.kitplan/1"] = Field(default="emblar.kitplan/1", alias="schema")
    alternatives: list[AlternativeFile]
    unmet: list[Unmet]
    shopping: list[str]
    packing: list[str]


def kit_plan_file(plan: PlannedKit, problem: Problem) -> KitPlanFile:
    """Return a kit's plan as written to a file."""
    shelf, brief = problem.shelf, problem.brief
    result = []
    for index, alternative in enumerate(plan.alternatives):
        voices = {}
        for voice, row in alternative.chosen.items():
            one = voice_file(row, shelf)
            one.cautions = list(_cautions(row, problem))
            if index == 0:
                explain = Explainer(row, problem)
                one.reasons = list(explain.reasons())
                one.schools = list(explain.schools())
            voices[voice] = one
        result.append(_alternative(alternative, voices, shelf, brief))
    best = plan.best.chosen.values()
    return KitPlanFile(
        alternatives=result,
        unmet=list(plan.unmet),
        shopping=_counted(
            f"{head}, {shelf.drums[w.drum].diameter_in:g} in" for w in best for head in w.bought
        ),
        packing=_counted(
            [f"{head}, {size:g} in" for w in best for head, size in w.shelf_heads]
            + [d for w in best for d in w.setup.dampers]
            + [w.setup.striker for w in best]
        ),
    )


def _cautions(row: Weighed, problem: Problem) -> tuple[str, ...]:
    recipe, owned = row.setup, problem.shelf.drums[row.drum]
    drum = model(
        problem.shelf.catalogue,
        wearing(owned, recipe.reso, recipe.port_in),
        batter=recipe.batter,
        reso=recipe.reso,
        dampers=recipe.dampers,
        striker=recipe.striker,
        wires_setting=recipe.wires,
    )
    prediction = predict(drum, recipe.batter_hz, recipe.reso_hz)
    wish_hz = problem.target(row.voice).value("pitch") or row.card["pitch"]
    return cautions_of(row, prediction, problem.shelf, problem.brief, wish_hz=wish_hz)


def _counted(names: Iterable[str]) -> list[str]:
    every = list(names)
    return [f"{every.count(n)} × {n}" for n in dict.fromkeys(every)]


def _alternative(
    alternative: KitAlternative,
    voices: dict[str, VoicePlanFile],
    shelf: Shelf,
    brief: Brief,
) -> AlternativeFile:
    chosen = list(alternative.chosen.values())
    warnings = fit_warnings(chosen, shelf, brief)
    return AlternativeFile(
        name=alternative.name,
        says=alternative.says,
        score=alternative.total,
        distance=alternative.distance,
        minutes=alternative.minutes,
        buys=sum(len(w.bought) for w in chosen),
        cuts=sum(w.cut for w in chosen),
        voices=voices,
        warnings=list(warnings),
    )


def voice_file(row: Weighed, shelf: Shelf) -> VoicePlanFile:
    """Return one weighed recipe as written to a file, without reasons."""
    recipe, owned = row.setup, shelf.drums[row.drum]
    return VoicePlanFile(
        drum=owned.name,
        recipe=row.setup,
        card=row.card,
        apart=row.apart,
        costs=row.costs,
        score=row.total,
        minutes=row.minutes,
        bought=list(row.bought),
        cut=row.cut,
        missed_cents=row.short_cents,
        sentence=plan_sentence(
            shelf.catalogue,
            owned.kind,
            batter=recipe.batter,
            reso=recipe.reso,
            port_in=recipe.port_in,
            semitones=recipe.semitones,
            dampers=recipe.dampers,
            pitch_hz=row.card["pitch"],
            apart=row.apart,
        ),
    )
