"""Plan: section, ladder, rulers, reasons and what can be changed by hand."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from markupsafe import Markup

from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import (
    Catalogue,
)
from emblar.core.naming import voice_title
from emblar.core.notes import note_text
from emblar.core.planning.weighing import RENDERED
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import Step, steps
from emblar.core.voices import is_tom
from emblar.formats.plan import DrumPlanFile
from emblar.frame.drawing.ladder import Ladder, ladder
from emblar.frame.drawing.rulers import RulerRow, rulers
from emblar.frame.drawing.section import Section, SectionDamper, section
from emblar.frame.words import number
from emblar.steps.kit.page import Option, section_head
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.page.card import ReadingRow, reading_rows
from emblar.steps.plan.actions.planning import KitPlan, target_of
from emblar.steps.plan.actions.recipes import ImportedRecipes
from emblar.steps.plan.page.alternatives import (
    AlternativeLine,
    OtherRow,
    SchoolTable,
    best_alternatives,
    other_rows,
    school_tables,
    sound_rows,
)
from emblar.steps.plan.page.by_hand import PlanForm, plan_form
from emblar.steps.plan.page.versions import VersionLine, stale_line, version_rows
from emblar.steps.plan.queries import PlanInfo
from emblar.steps.workspace.page import Frame, sound_href

PLAY_HIT_S = 1.2
SCORE_NAMES = {
    "distance": "distance from the record",
    RENDERED: "correction from the rendered stroke",
}
LEAST_SHOWN = 0.05
MOST_DIFFERENCES = 3
TOM_SCHOOLS = (
    ("record", "the record's"),
    ("thirds", "in thirds"),
    ("fourths", "in fourths"),
    ("fifths", "in fifths"),
    ("key", "the song's key"),
    ("best", "each drum's best note"),
)


@dataclass(frozen=True, slots=True)
class PlannedHead:
    """A head with the lug pitch to tune it to."""

    name: str
    lug_hz: str
    note: str


@dataclass(frozen=True, slots=True)
class ScoreRow:
    """One part of the score."""

    name: str
    steps: str


@dataclass(frozen=True, slots=True)
class HearButton:
    """One way to hear the plan."""

    text: str
    key: str
    says: str
    href: str


@dataclass(frozen=True, slots=True)
class PlanPage:
    """Everything the Plan screen shows."""

    frame: Frame
    title: str
    subtitle: str = ""
    plan: DrumPlanFile | None = None
    problem: str = ""
    section: Markup | None = None
    ladder: Markup | None = None
    rulers: Markup | None = None
    """Every quantity."""
    differences: Markup | None = None
    """The quantities that differ most."""
    largest: tuple[RulerRow, ...] = ()
    """The same, for screens too narrow for a ruler."""
    heads: tuple[PlannedHead, ...] = ()
    alternatives: tuple[AlternativeLine, ...] = ()
    form: PlanForm | None = None
    reasons: tuple[str, ...] = ()
    schools: tuple[SchoolTable, ...] = ()
    others: tuple[OtherRow, ...] = ()
    scores: tuple[ScoreRow, ...] = ()
    cautions: tuple[str, ...] = ()
    record_play: str = ""
    plan_play: str = ""
    audio_href: str = ""
    tap_sounds: tuple[HearButton, ...] = ()
    tom_schools: tuple[Option, ...] = ()
    stale: str = ""
    empty: str = ""
    """What is needed before there is a plan."""
    imported: str = ""
    versions: tuple[VersionLine, ...] = ()
    taps: tuple[HearButton, ...] = ()
    """How a tap sounds on each planned head: what to tune to."""
    sounds: tuple[OtherRow, ...] = ()
    """Other sounds of the same tuning."""
    sentence: str = ""
    """The plan as a tech says it."""
    readings: tuple[ReadingRow, ...] = ()
    """The ways to hear the drum's pitch on the record, where there is more than one."""


def plan_page(
    around: Frame,
    imported: ImportedRecipes | None = None,
    *,
    changed: Sequence[str] = (),
    listed: Sequence[PlanInfo] = (),
) -> PlanPage:
    """Return the Plan screen.

    Parameters
    ----------
    around
        The frame.
    imported
        What came of recipes just brought.
    changed, listed
        What changed since the newest plan, and every version of it.
    """
    page = replace(_plan_page(around), versions=version_rows(around, listed))
    if page.plan is not None and changed:
        page = replace(page, stale=stale_line(changed))
    return replace(page, imported=_import_words(imported)) if imported else page


def _import_words(imported: ImportedRecipes) -> str:
    pairs = ", ".join(f"{drum} as {row}" if row != drum else drum for row, drum in imported.given)
    left = f" No drum here for: {', '.join(imported.left)}." if imported.left else ""
    return f"Planned by the imported recipes: {pairs}.{left}"


def _empty(around: Frame) -> str:
    """Return what is needed before there is a plan."""
    if not around.drums:
        return "No plan yet. Choose a kit in Kit first."
    if not any(drum.voice or drum.wish for drum in around.drums):
        return "No plan yet. Match your drums to the record in Kit first."
    return "No plan yet. Plan the kit to get heads, lug pitches and muffling for each drum."


def _plan_page(around: Frame) -> PlanPage:
    drum, kit_plan = around.drum, around.plan
    file = kit_plan.drums.get(drum.id) if drum and kit_plan else None
    problem = kit_plan.problems.get(drum.id, "") if drum and kit_plan else ""
    form = plan_form(around, drum) if drum and kit_plan else None
    if drum is None or kit_plan is None or file is None:
        name = drum.owned.name if drum else "Plan"
        return PlanPage(around, name, problem=problem, form=form, empty=_empty(around))
    return _planned_page(around, drum, file, kit_plan)


def _planned_page(around: Frame, drum: KitDrum, file: DrumPlanFile, kit_plan: KitPlan) -> PlanPage:
    """Return the screen of a drum that is planned."""
    rows = ruler_rows(file)
    largest = _largest(rows)
    tom_schools = (Option(value, text, False) for value, text in TOM_SCHOOLS)
    moved = "The drum or the record changed since this plan."
    return PlanPage(
        frame=around,
        title=_title(drum, file),
        subtitle=_subtitle(around.catalogue, file, kit_plan.version),
        plan=file,
        section=_section(around.catalogue, drum, file),
        ladder=_ladder(file),
        rulers=rulers(rows),
        differences=rulers(largest, "differences"),
        largest=tuple(largest),
        heads=_heads(file),
        alternatives=best_alternatives(around.catalogue, file),
        form=plan_form(around, drum),
        reasons=tuple(reason.text for reason in file.reasons),
        schools=school_tables(file),
        others=other_rows(around.catalogue, file),
        sounds=sound_rows(around.catalogue, file),
        scores=_scores(file),
        cautions=tuple(dict.fromkeys([*file.cautions, *kit_plan.warnings])),
        record_play=_record_play(around, file.voice),
        plan_play=f"/sessions/{around.session.id}/plan/{drum.id}/stroke.wav?version={kit_plan.version}",
        audio_href=_audio_href(around),
        tap_sounds=_sound_buttons(around.session.id, drum.id, kit_plan.version),
        taps=_taps(around.session.id, drum.id, file),
        tom_schools=tuple(tom_schools) if is_tom(file.voice) else (),
        stale=moved if _stale(around, drum, file) else "",
        readings=_readings(around, drum),
        sentence=file.sentence(around.catalogue),
    )


def _readings(around: Frame, drum: KitDrum) -> tuple[ReadingRow, ...]:
    by_hand = "pitch_hz" in drum.wish
    card = around.record.voice(drum.voice) if around.record and drum.voice else None
    return () if by_hand else reading_rows(card, around.session.id)


def _sound_buttons(session_id: int, drum_id: int, version: int) -> tuple[HearButton, ...]:
    drum = f"/sessions/{session_id}/plan/{drum_id}"
    return (
        HearButton("stroke", "h", "Hear one stroke", f"{drum}/stroke.wav?version={version}"),
        HearButton(
            "soft to loud",
            "v",
            "Hear strokes from soft to loud",
            f"{drum}/ramp.wav?version={version}",
        ),
        HearButton("groove", "g", "Hear this drum groove", f"{drum}/groove.wav?version={version}"),
        HearButton(
            "whole kit",
            "t",
            "Hear the kit together",
            f"/sessions/{session_id}/plan/kit.wav?version={version}",
        ),
    )


def _taps(session_id: int, drum_id: int, file: DrumPlanFile) -> tuple[HearButton, ...]:
    bench = f"/sessions/{session_id}/bench/{drum_id}/goal.wav?side="
    reso = head_name(file.kind, "reso")
    result = [
        HearButton("batter tap", "b", "Hear a tap on the batter as planned", f"{bench}batter")
    ]
    if file.reso is not None:
        result.append(
            HearButton(f"{reso} tap", "r", f"Hear a tap on the {reso} as planned", f"{bench}reso")
        )
    return tuple(result)


def _subtitle(catalogue: Catalogue, file: DrumPlanFile, version: int) -> str:
    struck = catalogue.strikers[file.striker].name
    if file.kind == "snare":
        struck += f" · {catalogue.wire_settings[file.wires].name}"
    return f"Plan {version} · {struck} · {file.minutes:.0f} min of work"


def _title(drum: KitDrum, file: DrumPlanFile) -> str:
    if file.voice == "by hand":
        return f"{drum.owned.name}, its pitch chosen by hand"
    return f"{drum.owned.name} plays {voice_title(file.voice).lower()}"


def _largest(rows: Sequence[RulerRow]) -> list[RulerRow]:
    """Return the quantities in which plan and record differ most."""
    known = [row for row in rows if row.plan_steps is not None]
    return sorted(known, key=lambda row: -abs(row.plan_steps or 0.0))[:MOST_DIFFERENCES]


def _heads(file: DrumPlanFile) -> tuple[PlannedHead, ...]:
    """Return the lug pitch of each head, to the hertz it is known to."""
    lugs = file.prediction.lug_hz
    rows = [(head_name(file.kind, "batter"), lugs.batter)]
    if lugs.reso is not None:
        rows.append((head_name(file.kind, "reso"), lugs.reso))
    return tuple(PlannedHead(name, f"{hz:.0f} Hz", note_text(hz)) for name, hz in rows)


def _stale(around: Frame, drum: KitDrum, file: DrumPlanFile) -> bool:
    """Whether drum or record changed since the plan was made."""
    target = target_of(around.record, drum.voice)
    record = target.value("pitch") if target else None
    planned = file.target["pitch"].value if "pitch" in file.target else None
    moved = record is not None and planned is not None and abs(record - planned) > 0.05
    voice = file.voice if file.voice != "by hand" else None
    return (
        moved
        or drum.voice != voice
        or (file.drum is not None and file.drum.owned().as_inspected() != drum.owned)
    )


def _section(catalogue: Catalogue, drum: KitDrum, file: DrumPlanFile) -> Markup:
    lugs, reso = file.prediction.lug_hz, None
    if file.reso:
        reso = section_head(catalogue.construction(file.reso), lugs.reso)
    placed = [catalogue.damper(d) for d in file.dampers]
    return section(
        Section(
            f"{drum.owned.name} as planned, cut from the side",
            drum.owned.diameter_in,
            drum.owned.depth_in,
            drum.owned.rods,
            section_head(catalogue.construction(file.batter), lugs.batter),
            reso,
            file.port_in,
            [SectionDamper(d.name, d.side == "batter", d.radius, d.on_head) for d in placed],
            head_name(file.kind, "reso"),
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


def _ruler_row(name: str, step: Step, record: Measured, planned: Measured) -> RulerRow:
    return RulerRow(
        name,
        _shown(record),
        _shown(planned),
        step.apart(planned.value, record.value),
        step.width(planned.value, planned.sd),
        step.width(record.value, record.sd),
        "",
    )


def _shown(quantity: Measured | None) -> str:
    return number(quantity.value, quantity.unit, quantity.sd) if quantity else "cannot tell"


def _scores(file: DrumPlanFile) -> tuple[ScoreRow, ...]:
    parts = [
        ScoreRow(SCORE_NAMES.get(name, name), f"{value:.1f}")
        for name, value in file.costs.items()
        if abs(value) >= LEAST_SHOWN
    ]
    return (*parts, ScoreRow("together", f"{file.score:.1f}"))


def _record_play(around: Frame, voice: str) -> str:
    if around.record is None:
        return ""
    voice_hits = [h for h in around.record.analysis.hits if h.voice == voice]
    chosen = next((h for h in voice_hits if h.clean), voice_hits[0] if voice_hits else None)
    return f"{chosen.time_s:.3f},{PLAY_HIT_S}" if chosen else ""


def _audio_href(around: Frame) -> str:
    return sound_href(around.session.id, around.record.recording.audio_id) if around.record else ""
