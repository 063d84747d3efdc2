"""``emblar.plan/1``: one drum's plan as kept and handed on."""

from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.acoustics.drum import Tensions
from emblar.core.acoustics.forward import Mode, Prediction
from emblar.core.acoustics.limits import Limit
from emblar.core.planning.plan_drum import DrumPlan
from emblar.core.quantities import Measured
from emblar.formats.drum import PredictionFile, Strict, prediction_file


class QuantityFile(Strict):
    """A number with its standard deviation and unit."""

    value: float
    sd: float
    unit: str


class ModeFile(Strict):
    """One mode of the planned drum."""

    m: int
    frequency_hz: float
    t60_s: float
    level_db: float


class ReasonFile(Strict):
    """A reason with the numbers it was made from."""

    about: str
    text: str
    numbers: dict[str, float]


class SchoolFile(Strict):
    """One relation of the heads as it would be on this drum."""

    relation: Literal["equal", "higher", "lower"]
    semitones: float
    chosen: bool
    batter_hz: float
    reso_hz: float | None
    sustain_s: float


class DrumPlanFile(Strict):
    """The plan for one drum."""

    schema_: Literal["emblar.plan/1"] = Field(default="emblar.plan/1", alias="schema")
    name: str
    kind: Literal["kick", "snare", "tom"]
    voice: str
    relation: Literal["equal", "higher", "lower"]
    semitones: float
    batter: str
    reso: str | None
    port_in: float | None
    dampers: list[str]
    prediction: PredictionFile
    modes: list[ModeFile]
    card: dict[str, QuantityFile]
    target: dict[str, QuantityFile]
    missing: dict[str, str]
    range_hz: tuple[float, float]
    reasons: list[ReasonFile]
    schools: list[SchoolFile]
    cautions: list[str]

    def predicted(self) -> Prediction:
        """Return the prediction as it was computed."""
        p = self.prediction
        stress = {"batter": p.film_stress_mpa.batter * 1e6}
        load = {"batter": p.rod_load_n.batter}
        if p.film_stress_mpa.reso is not None and p.rod_load_n.reso is not None:
            stress["reso"], load["reso"] = p.film_stress_mpa.reso * 1e6, p.rod_load_n.reso
        sd_hz = p.drum_pitch_hz * (2.0 ** (p.drum_pitch_sd_cents / 1200.0) - 1.0)
        return Prediction(
            drum_pitch=Measured(p.drum_pitch_hz, sd_hz, "Hz"),
            drum_pitch_sd_cents=p.drum_pitch_sd_cents,
            upper_mode_hz=p.upper_mode_hz,
            sustain=Measured(p.sustain_s, p.sustain_sd_s, "s"),
            bend_cents=Measured(p.bend_cents, p.bend_sd_cents, "ct"),
            modes=tuple(Mode(m.m, m.frequency_hz, m.t60_s, m.level_db) for m in self.modes),
            tensions=Tensions(p.tension_n_per_m.batter, p.tension_n_per_m.reso),
            film_stress_pa=stress,
            rod_load_n=load,
            limits=tuple(Limit(x.code, x.severity, x.side, 0.0, 0.0, x.text) for x in p.limits),
        )


def _quantities(values: dict[str, Measured]) -> dict[str, QuantityFile]:
    return {n: QuantityFile(value=q.value, sd=q.sd, unit=q.unit) for n, q in values.items()}


def drum_plan_file(plan: DrumPlan) -> DrumPlanFile:
    """Return a plan as written to a file."""
    recipe = plan.recipe
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
        prediction=prediction_file(recipe.prediction, recipe.lugs),
        modes=[ModeFile(**asdict(mode)) for mode in recipe.prediction.modes],
        card=_quantities(plan.card),
        target=_quantities(plan.target),
        missing=plan.missing,
        range_hz=plan.range_hz,
        reasons=[ReasonFile(**asdict(reason)) for reason in plan.reasons],
        schools=[SchoolFile(**asdict(school)) for school in plan.schools],
        cautions=list(plan.cautions),
    )
