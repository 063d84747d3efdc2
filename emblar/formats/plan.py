"""``emblar.plan/2``: one drum's plan as kept and handed on."""

from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Strike, Tensions
from emblar.core.acoustics.forward import Mode, Prediction
from emblar.core.acoustics.inverse import LugPitches
from emblar.core.acoustics.limits import Limit
from emblar.core.acoustics.strike import on_surface
from emblar.core.catalogue import Catalogue
from emblar.core.drum import Setup
from emblar.core.notes import spread_hz
from emblar.core.planning.kit import stroke_on, wearing
from emblar.core.planning.plan_drum import DrumPlan, Other
from emblar.core.planning.sentence import plan_sentence
from emblar.core.planning.weighing import Weighed
from emblar.core.planning.why import Reason, School
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from emblar.formats.brief import ShelfDrumFile
from emblar.formats.codec import Strict, publish
from emblar.formats.drum import PredictionFile, prediction_file

publish(Mode, Reason, School, Setup)


class OtherFile(Strict):
    """Another way to plan the drum, and how far it moves each quantity against the chosen one."""

    name: str
    says: str
    recipe: Setup
    score: float
    minutes: float
    bought: list[str]
    moves: dict[str, float]


class DrumPlanFile(Strict):
    """The plan for one drum."""

    schema_: Literal["emblar.plan/2"] = Field(default="emblar.plan/2", alias="schema")
    name: str
    kind: Literal["kick", "snare", "tom"]
    voice: str
    relation: Literal["equal", "higher", "lower"]
    semitones: float
    batter: str
    reso: str | None
    port_in: float | None
    dampers: list[str]
    striker: str
    wires: str
    score: float
    costs: dict[str, float]
    apart: dict[str, float]
    minutes: float
    bought: list[str]
    cut: bool
    prediction: PredictionFile
    modes: list[Mode]
    card: dict[str, Measured]
    target: dict[str, Measured]
    missing: dict[str, str]
    range_hz: tuple[float, float]
    reasons: list[Reason]
    schools: list[School]
    others: list[OtherFile]
    sounds: list[OtherFile] = Field(default_factory=list)
    """The same tuning with other muffling."""
    cautions: list[str]
    drum: ShelfDrumFile | None = None
    """The drum as it was when it was planned."""

    def predicted(self, catalogue: Catalogue) -> Prediction:
        """Return the prediction as it was computed."""
        p = self.prediction
        stress = {"batter": p.film_stress_mpa.batter * 1e6}
        load = {"batter": p.rod_load_n.batter}
        if p.film_stress_mpa.reso is not None and p.rod_load_n.reso is not None:
            stress["reso"], load["reso"] = p.film_stress_mpa.reso * 1e6, p.rod_load_n.reso
        sd_hz = spread_hz(p.drum_pitch_hz, p.drum_pitch_sd_cents)
        return Prediction(
            drum_pitch=Measured(p.drum_pitch_hz, sd_hz, "Hz"),
            drum_pitch_sd_cents=p.drum_pitch_sd_cents,
            upper_mode_hz=p.upper_mode_hz,
            sustain=Measured(p.sustain_s, p.sustain_sd_s, "s"),
            bend_cents=Measured(p.bend_cents, p.bend_sd_cents, "ct"),
            modes=tuple(self.modes),
            tensions=Tensions(p.tension_n_per_m.batter, p.tension_n_per_m.reso),
            film_stress_pa=stress,
            rod_load_n=load,
            limits=tuple(Limit(x.code, x.severity, x.side, 0.0, 0.0, x.text) for x in p.limits),
            strike=self._strike(catalogue),
            wires=catalogue.wires(self.wires),
        )

    def setup(self) -> Setup:
        """Return what is planned on the drum."""
        lugs = self.prediction.lug_hz
        return Setup(
            batter=self.batter,
            reso=self.reso,
            batter_hz=lugs.batter,
            reso_hz=lugs.reso,
            dampers=tuple(self.dampers),
            striker=self.striker,
            wires=self.wires,
            port_in=self.port_in,
            semitones=self.semitones,
        )

    def weighed(self, place: int) -> Weighed:
        """Return the plan as it was weighed, for a drum at a place on the shelf."""
        card = {name: quantity.value for name, quantity in self.card.items()}
        return Weighed(
            place,
            self.voice,
            self.setup(),
            card,
            self.apart,
            self.costs,
            self.minutes,
            tuple(self.bought),
            self.cut,
            (),
        )

    def sentence(self, catalogue: Catalogue) -> str:
        """Return the plan as it is said in one sentence."""
        known = [n for n in self.card if n in self.target]
        values = {n: (self.card[n].value, self.target[n].value) for n in known}
        return plan_sentence(
            catalogue,
            self.kind,
            batter=self.batter,
            reso=self.reso,
            port_in=self.port_in,
            semitones=self.semitones,
            dampers=self.dampers,
            pitch_hz=self.card["pitch"].value,
            apart={n: steps()[n].apart(*pair) for n, pair in values.items() if n in steps()},
        )

    def _strike(self, catalogue: Catalogue) -> Strike:
        on_it = [catalogue.damper(d) for d in self.dampers]
        film = catalogue.construction(self.batter).film()
        if self.drum is None:
            return on_surface(catalogue.strike(self.striker, on_it), film, prior_coefficients())
        owned = wearing(self.drum.owned(), self.reso, self.port_in)
        struck = stroke_on(catalogue, owned, self.striker, on_it, self.port_in)
        return on_surface(struck, film, prior_coefficients())


def _other(one: Other) -> OtherFile:
    return OtherFile(
        name=one.name,
        says=one.says,
        recipe=one.weighed.setup,
        score=one.weighed.total,
        minutes=one.weighed.minutes,
        bought=list(one.weighed.bought),
        moves=one.moves,
    )


def drum_plan_file(plan: DrumPlan) -> DrumPlanFile:
    """Return a plan as written to a file."""
    recipe, row = plan.setup, plan.weighed
    lugs = LugPitches(recipe.batter_hz, recipe.reso_hz)
    return DrumPlanFile(
        name=plan.owned.name,
        kind=plan.owned.kind,
        voice=plan.voice,
        relation=plan.relation,
        semitones=recipe.semitones,
        batter=recipe.batter,
        reso=recipe.reso,
        port_in=recipe.port_in,
        dampers=list(recipe.dampers),
        striker=recipe.striker,
        wires=recipe.wires,
        score=row.total,
        costs=row.costs,
        apart=row.apart,
        minutes=row.minutes,
        bought=list(row.bought),
        cut=row.cut,
        prediction=prediction_file(plan.prediction, lugs),
        modes=list(plan.prediction.modes),
        card=dict(plan.card),
        target=dict(plan.target),
        missing=plan.missing,
        range_hz=plan.range_hz,
        reasons=list(plan.reasons),
        schools=list(plan.schools),
        others=[_other(one) for one in plan.others],
        sounds=[_other(one) for one in plan.sounds],
        cautions=list(plan.cautions),
        drum=ShelfDrumFile(**asdict(plan.owned)),
    )
