"""``emblar.drum/1`` in, ``emblar.prediction/1`` out."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from emblar.core.acoustics.calibration import MeasuredTuning
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH, METRES_PER_MIL, Drum, Film, PlacedDamper
from emblar.core.acoustics.forward import Mode, Prediction
from emblar.core.acoustics.inverse import LugPitches
from emblar.core.acoustics.strike import heard_inside
from emblar.core.catalogue import (
    USUAL_EDGE,
    USUAL_STRIKER,
    USUAL_WIRES_SETTING,
    Catalogue,
    eased_by,
)
from emblar.core.errors import DrumError
from emblar.core.notes import spread_hz
from emblar.core.planning.kit import RANGES, check_rods
from emblar.core.quantities import Measured
from emblar.formats.codec import Strict, publish

publish(Measured, Mode)


def _between(name: str) -> Any:
    """Return the range of a field as a constraint that also shows in the schema."""
    return Field(ge=RANGES[name].low, le=RANGES[name].high)


LugHz = Annotated[float, _between("lug_hz")]
PortInches = Annotated[float, _between("port_in")]


class HeadFile(Strict):
    """One head: plies from outside in, in mil; lug pitch in Hz with the other head silenced."""

    plies_mil: list[float] = Field(min_length=1, max_length=3)
    coated: bool = False
    fluid: bool = False
    ring: bool = False
    dot: bool = False
    vented: bool = False
    woven: bool = False
    opaque: bool = False
    patch: bool = False
    lug_hz: LugHz | None = None
    rods_hz: list[LugHz] | None = Field(default=None, min_length=4, max_length=20)
    """Lug pitch next to each rod in order round the head, instead of ``lug_hz``."""

    @model_validator(mode="after")
    def _plies_in_range(self) -> Self:
        allowed = RANGES["plies"]
        for ply in self.plies_mil:
            if not allowed.low <= ply <= allowed.high:
                raise ValueError(
                    f"plies_mil: {ply:g} is outside {allowed.low:g} to {allowed.high:g}"
                )
        return self

    @property
    def mean_lug_hz(self) -> float | None:
        """Return the head's lug pitch, the mean over its rods where they are told, Hz."""
        if self.rods_hz is not None:
            return sum(self.rods_hz) / len(self.rods_hz)
        return self.lug_hz

    def film(self) -> Film:
        """Return the head for the model."""
        return Film(
            tuple(ply * METRES_PER_MIL for ply in self.plies_mil),
            coated=self.coated,
            fluid=self.fluid,
            ring=self.ring,
            dot=self.dot,
            vented=self.vented,
            patch=self.patch,
            woven=self.woven,
            opaque=self.opaque,
        )


class DamperFile(Strict):
    """A damper by its place and what it takes, or by its id in the catalogue."""

    id: str | None = None
    side: Literal["batter", "reso"] = "batter"
    radius: float = Field(default=0.85, ge=0.0, le=1.0)
    resistance_n_s_per_m: float = Field(default=0.0, ge=0.0, le=200.0)
    mass_kg: float = Field(default=0.0, ge=0.0, le=1.0)

    def placed(self, catalogue: Catalogue) -> tuple[PlacedDamper, ...]:
        """Return the damper for the model, on each head that it touches."""
        if self.id is not None:
            return catalogue.damper(self.id).placed()
        return (PlacedDamper(self.side, self.radius, self.resistance_n_s_per_m, self.mass_kg),)


class TakeFile(Strict):
    """One tuning of this very drum as measured: what its prediction learns from."""

    batter_hz: LugHz
    reso_hz: LugHz | None = None
    drum_pitch_hz: Annotated[float, _between("drum_pitch_hz")] | None = None
    drum_pitch_sd_cents: float = Field(default=10.0, gt=0.0, le=200.0)
    sustain_s: float | None = Field(default=None, gt=0.0, le=30.0)
    sustain_sd_s: float | None = Field(default=None, gt=0.0, le=30.0)

    def take(self, drum: Drum) -> MeasuredTuning:
        """Return the take for the model; a sustain without a spread is trusted to 15 %."""
        pitch = sustain = None
        if self.drum_pitch_hz is not None:
            sd = spread_hz(self.drum_pitch_hz, self.drum_pitch_sd_cents)
            pitch = Measured(self.drum_pitch_hz, sd, "Hz")
        if self.sustain_s is not None:
            sustain = Measured(self.sustain_s, self.sustain_sd_s or 0.15 * self.sustain_s, "s")
        return MeasuredTuning(drum, self.batter_hz, self.reso_hz, pitch, sustain)


class WishFile(Strict):
    """What the drum should do: pitch in Hz, reso lug pitch above the batter's in semitones."""

    drum_pitch_hz: Annotated[float, _between("drum_pitch_hz")]
    relation_semitones: Annotated[float, _between("relation_semitones")] = 0.0


class DrumFile(Strict):
    """A drum with heads at lug pitches, or with a wish instead of them."""

    schema_: Literal["emblar.drum/1"] = Field(alias="schema")
    kind: Literal["tom", "snare", "kick"]
    diameter_in: Annotated[float, _between("diameter_in")]
    depth_in: Annotated[float, _between("depth_in")]
    rods: Annotated[int, _between("rods")]
    batter: HeadFile
    reso: HeadFile | None
    port_in: PortInches | None = None
    shell_hole_in: Annotated[float, _between("shell_hole_in")] | None = None
    dampers: list[DamperFile] = Field(default_factory=list)
    hoop: str = "flanged"
    shell: str = "maple-lacquer"
    edge: str = USUAL_EDGE
    striker: str | None = None
    wires: str = USUAL_WIRES_SETTING
    wish: WishFile | None = None
    takes: list[TakeFile] = Field(default_factory=list, max_length=200)

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        try:
            check_rods(self.rods)
        except DrumError as error:
            raise ValueError(str(error)) from error
        if self.port_in is not None and self.port_in >= self.diameter_in:
            raise ValueError(
                f"port_in: {self.port_in:g} is not smaller than the head ({self.diameter_in:g})"
            )
        if self.reso is None and self.kind != "kick":
            raise ValueError(f"reso: a {self.kind} needs a reso head; null is for kicks only")
        if self.reso is None and self.port_in is not None:
            raise ValueError("port_in: there is no front head to have a port")
        for name, head in (("batter", self.batter), ("reso", self.reso)):
            if head is None:
                continue
            if head.rods_hz is not None and len(head.rods_hz) != self.rods:
                raise ValueError(
                    f"{name}.rods_hz: {len(head.rods_hz)} pitches for {self.rods} rods; "
                    "give one for each"
                )
            if self.wish is None and head.mean_lug_hz is None:
                raise ValueError(f"{name}.lug_hz: give a lug pitch, or a wish instead")
        for take in self.takes:
            if (take.reso_hz is None) != (self.reso is None):
                raise ValueError("takes.reso_hz: give it where the drum has a reso head")
        return self

    def drum(self, catalogue: Catalogue) -> Drum:
        """Return the drum for the model.

        Raises
        ------
        CatalogueError
            A hoop, shell, edge, damper, striker or setting of the wires is not known.
        """
        named = [catalogue.damper(d.id) for d in self.dampers if d.id is not None]
        striker = self.striker or USUAL_STRIKER[self.kind]
        struck = catalogue.strike(striker, named, hoop=self.hoop, shell=self.shell)
        if self.kind == "kick" and (self.reso is None or self.port_in is not None):
            struck = heard_inside(struck, prior_coefficients())
        return Drum(
            kind=self.kind,
            diameter_m=self.diameter_in * METRES_PER_INCH,
            depth_m=self.depth_in * METRES_PER_INCH,
            rods=self.rods,
            batter=self.batter.film(),
            reso=self.reso.film() if self.reso else None,
            port_radius_m=self.port_in * METRES_PER_INCH / 2.0 if self.port_in else None,
            shell_hole_m=self.shell_hole_in * METRES_PER_INCH / 2.0 if self.shell_hole_in else None,
            dampers=tuple(place for d in self.dampers for place in d.placed(catalogue)),
            shell_loss_share=catalogue.loss_share(self.hoop, self.shell, self.edge, named),
            strike=struck,
            wires=catalogue.wires(self.wires),
            eased=eased_by(named),
        )

    def given_lugs(self) -> LugPitches | None:
        """Return the lug pitches given; None where a wish is given instead."""
        if self.wish is not None:
            return None
        batter = self.batter.mean_lug_hz
        assert batter is not None
        return LugPitches(batter, self.reso.mean_lug_hz if self.reso else None)


class PerHead(Strict):
    """One number per head; null where there is no head."""

    batter: float
    reso: float | None


class LimitFile(Strict):
    """A limit that is reached."""

    code: str
    severity: Literal["stop", "caution", "note"]
    side: Literal["batter", "reso"]
    text: str


class WarbleFile(Strict):
    """Beats per second of the (1,1) mode that uneven rods split; null where not told."""

    batter: float | None
    reso: float | None


class PredictionFile(Strict):
    """What a drum does at its lug pitches."""

    schema_: Literal["emblar.prediction/1"] = Field(default="emblar.prediction/1", alias="schema")
    lug_hz: PerHead
    drum_pitch_hz: float
    drum_pitch_sd_cents: float
    upper_mode_hz: float | None
    sustain_s: float
    sustain_sd_s: float
    bend_cents: float
    bend_sd_cents: float
    film_stress_mpa: PerHead
    rod_load_n: PerHead
    tension_n_per_m: PerHead
    limits: list[LimitFile]
    warble_hz: WarbleFile | None = None
    measured_share: dict[str, float] | None = None
    """How much of the prior's uncertainty the drum's own takes took away, per quantity."""
    modes: list[Mode] | None = None
    card: dict[str, Measured] | None = None


def prediction_file(prediction: Prediction, lugs: LugPitches) -> PredictionFile:
    """Return a prediction as written to a file."""
    stress, load = prediction.film_stress_pa, prediction.rod_load_n
    return PredictionFile(
        lug_hz=PerHead(batter=lugs.batter_hz, reso=lugs.reso_hz),
        drum_pitch_hz=prediction.drum_pitch.value,
        drum_pitch_sd_cents=prediction.drum_pitch_sd_cents,
        upper_mode_hz=prediction.upper_mode_hz,
        sustain_s=prediction.sustain.value,
        sustain_sd_s=prediction.sustain.sd,
        bend_cents=prediction.bend_cents.value,
        bend_sd_cents=prediction.bend_cents.sd,
        film_stress_mpa=PerHead(
            batter=stress["batter"] / 1e6, reso=stress["reso"] / 1e6 if "reso" in stress else None
        ),
        rod_load_n=PerHead(batter=load["batter"], reso=load.get("reso")),
        tension_n_per_m=PerHead(
            batter=prediction.tensions.batter_n_per_m, reso=prediction.tensions.reso_n_per_m
        ),
        limits=[
            LimitFile(code=x.code, severity=x.severity, side=x.side, text=x.text)
            for x in prediction.limits
        ],
    )
