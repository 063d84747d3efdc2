"""Plan: section, ladder, rulers, reasons and what can be changed by hand."""

from dataclasses import dataclass

from markupsafe import Markup

from emblar.actions.plan import request_of, target_of
from emblar.core.catalogue import construction, constructions_for, damper, dampers_for
from emblar.core.planning.plan_drum import Request
from emblar.core.planning.recipe import DEFAULT_RELATION
from emblar.core.planning.steps import Step, steps
from emblar.formats.plan import DrumPlanFile, QuantityFile
from emblar.store.drums import KitDrum
from emblar.web.drawing.ladder import Ladder, ladder
from emblar.web.drawing.rulers import RulerRow, rulers
from emblar.web.drawing.section import Section, SectionDamper, section
from emblar.web.pages.frame import Frame
from emblar.web.pages.kit import Option, section_head
from emblar.web.pages.words import number, pitch, semitones, voice_title

RELATIONS = (("equal", "equal"), ("higher", "reso higher"), ("lower", "reso lower"))
PLAY_HIT_S = 1.2
LEAVE = "let Emblar choose"


@dataclass(frozen=True, slots=True)
class SchoolRow:
    """One relation of the heads, as compared in Why."""

    text: str
    result: str
    chosen: bool


@dataclass(frozen=True, slots=True)
class PlanForm:
    """What can be asked of the selected drum by hand."""

    action: str
    relations: tuple[Option, ...]
    semitones: float
    pitch_hz: str
    record_pitch: str
    batters: tuple[Option, ...]
    dampers: tuple[Option, ...]


@dataclass(frozen=True, slots=True)
class PlanPage:
    """Everything the Plan screen shows."""

    frame: Frame
    title: str
    subtitle: str
    plan: DrumPlanFile | None
    problem: str
    section: Markup | None
    ladder: Markup | None
    rulers: Markup | None
    form: PlanForm | None
    reasons: tuple[str, ...]
    schools: tuple[SchoolRow, ...]
    cautions: tuple[str, ...]
    record_play: str
    plan_play: str
    audio_href: str
    stale: bool


def plan_page(around: Frame) -> PlanPage:
    """Return the Plan screen."""
    drum, kit_plan = around.drum, around.plan
    file = kit_plan.drums.get(drum.id) if drum and kit_plan else None
    problem = kit_plan.problems.get(drum.id, "") if drum and kit_plan else ""
    form = _form(around, drum) if drum and kit_plan else None
    if drum is None or kit_plan is None or file is None:
        return PlanPage(
            around, drum.owned.name if drum else "Plan", "", None, problem, None, None, None,
            form, (), (), (), "", "", "", stale=False,
        )  # fmt: skip
    return PlanPage(
        frame=around,
        title=drum.owned.name,
        subtitle=_subtitle(file, kit_plan.version),
        plan=file,
        problem="",
        section=_section(drum, file),
        ladder=_ladder(file),
        rulers=rulers(ruler_rows(file)),
        form=form,
        reasons=tuple(reason.text for reason in file.reasons),
        schools=_schools(file),
        cautions=tuple(file.cautions),
        record_play=_record_play(around, file.voice),
        plan_play=f"/sessions/{around.session.id}/plan/{drum.id}/stroke.wav?version={kit_plan.version}",
        audio_href=_audio_href(around),
        stale=_stale(around, drum, file),
    )


def _subtitle(file: DrumPlanFile, version: int) -> str:
    wanted = voice_title(file.voice).lower() if file.voice != "by hand" else "a pitch by hand"
    return f"Plan {version} · plays {wanted} · {semitones(file.semitones)}"


def _stale(around: Frame, drum: KitDrum, file: DrumPlanFile) -> bool:
    """Whether drum or record changed since the plan was made."""
    target = target_of(around.found, drum.voice)
    record = target.value("pitch") if target else None
    planned = file.target["pitch"].value if "pitch" in file.target else None
    moved = record is not None and planned is not None and abs(record - planned) > 0.05
    voice = file.voice if file.voice != "by hand" else None
    return moved or drum.voice != voice or drum.owned.reso != file.reso


def _section(drum: KitDrum, file: DrumPlanFile) -> Markup:
    lugs, reso = file.prediction.lug_hz, None
    if file.reso:
        reso = section_head(construction(file.reso), lugs.reso)
    placed = [damper(d) for d in file.dampers]
    return section(
        Section(
            f"{drum.owned.name} as planned, cut from the side",
            drum.owned.diameter_in,
            drum.owned.depth_in,
            drum.owned.rods,
            section_head(construction(file.batter), lugs.batter),
            reso,
            file.port_in,
            [SectionDamper(d.name, d.side == "batter", d.radius) for d in placed],
        )
    )


def _ladder(file: DrumPlanFile) -> Markup:
    record = file.target.get("pitch")
    planned = file.card["pitch"]
    return ladder(
        Ladder(
            file.prediction.lug_hz.batter,
            file.prediction.lug_hz.reso,
            planned.value,
            planned.sd,
            record.value if record else None,
            record.sd if record else 0.0,
            file.range_hz,
        )
    )


def ruler_rows(file: DrumPlanFile) -> list[RulerRow]:
    """Return record and plan per quantity, apart in steps."""
    rows = []
    for name, step in steps().items():
        record, planned = file.target.get(name), file.card.get(name)
        if record is None and planned is None:
            continue
        if record is None or planned is None:
            why = file.missing.get(name, "not told") if record is None else "not predicted"
            rows.append(RulerRow(name, _shown(record), _shown(planned), None, 0.0, 0.0, why))
            continue
        rows.append(_ruler_row(name, step, record, planned))
    return rows


def _ruler_row(name: str, step: Step, record: QuantityFile, planned: QuantityFile) -> RulerRow:
    return RulerRow(
        name,
        _shown(record),
        _shown(planned),
        step.apart(planned.value, record.value),
        step.width(planned.value, planned.sd),
        step.width(record.value, record.sd),
        "",
    )


def _shown(quantity: QuantityFile | None) -> str:
    return number(quantity.value, quantity.unit) if quantity else "cannot tell"


def _form(around: Frame, drum: KitDrum) -> PlanForm:
    asked: Request = request_of(drum)
    relation = asked.relation or DEFAULT_RELATION[drum.owned.kind]
    file = around.plan.drums.get(drum.id) if around.plan else None
    target = target_of(around.found, drum.voice)
    record = target.value("pitch") if target else None
    chosen_dampers = ",".join(asked.dampers) if asked.dampers is not None else None
    batters = constructions_for(drum.owned.kind, "batter")
    return PlanForm(
        action=f"/sessions/{around.session.id}/plan/{drum.id}",
        relations=tuple(Option(v, text, v == relation) for v, text in RELATIONS),
        semitones=file.semitones if file else 0.0,
        pitch_hz=f"{asked.pitch_hz:g}" if asked.pitch_hz else "",
        record_pitch=pitch(record) if record else "",
        batters=(
            Option("", LEAVE, asked.batter is None),
            *(Option(c.id, c.name, c.id == asked.batter) for c in batters),
        ),
        dampers=(
            Option("", LEAVE, chosen_dampers is None),
            Option("none", "nothing", chosen_dampers == ""),
            *(
                Option(d.id, d.name, d.id == chosen_dampers)
                for d in dampers_for(drum.owned.kind)
                if d.side == "batter" or drum.owned.reso
            ),
        ),
    )


def _schools(file: DrumPlanFile) -> tuple[SchoolRow, ...]:
    titles = dict(RELATIONS)
    rows = []
    for school in file.schools:
        lugs = f"lugs {school.batter_hz:.0f}"
        if school.reso_hz:
            lugs += f" / {school.reso_hz:.0f} Hz"
        result = f"{lugs}, sustain {school.sustain_s:.2f} s"
        rows.append(SchoolRow(titles[school.relation], result, school.chosen))
    return tuple(rows)


def _record_play(around: Frame, voice: str) -> str:
    if around.found is None:
        return ""
    own = [h for h in around.found.analysis.hits if h.voice == voice]
    chosen = next((h for h in own if h.clean), own[0] if own else None)
    return f"{chosen.time_s:.3f},{PLAY_HIT_S}" if chosen else ""


def _audio_href(around: Frame) -> str:
    return f"/audio/{around.found.reference.audio_id}" if around.found else ""
