"""Plan: section, ladder, rulers, reasons and what can be changed by hand."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from markupsafe import Markup

from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import (
    construction,
    constructions_for,
    damper,
    dampers_for,
    strikers,
    strikers_for,
    wire_settings,
)
from emblar.core.drum import Setup, Wish
from emblar.core.naming import lower_first, voice_title
from emblar.core.notes import note_text
from emblar.core.planning.recipe import relation_of
from emblar.core.planning.sentence import once_long
from emblar.core.planning.weighing import RENDERED
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import Step, steps
from emblar.core.voices import is_tom
from emblar.formats.plan import DrumPlanFile, OtherFile
from emblar.frame.drawing.ladder import Ladder, ladder
from emblar.frame.drawing.rulers import RulerRow, rulers
from emblar.frame.drawing.section import Section, SectionDamper, section
from emblar.frame.words import changed_by, number, pitch, semitones
from emblar.steps.brief.actions import has_front, request_of, steps_of
from emblar.steps.kit.page import Option, section_head
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.page.card import ReadingRow, reading_rows
from emblar.steps.plan.actions.planning import target_of
from emblar.steps.plan.actions.recipes import ImportedRecipes
from emblar.steps.plan.page.versions import VersionRow, stale_line, version_rows
from emblar.steps.plan.queries import PlanInfo
from emblar.steps.workspace.page import Frame, sound_href

RELATIONS = (
    ("", "let Emblar choose"),
    ("equal", "equal"),
    ("higher", "reso higher"),
    ("lower", "reso lower"),
)
PLAY_HIT_S = 1.2
SCORE_NAMES = {
    "distance": "distance from the record",
    RENDERED: "correction from the rendered stroke",
}
LEAST_SHOWN = 0.05
MOST_DIFFERENCES = 3
MOST_ALTERNATIVES = 3
SAME_SEMITONES = 0.05
LEAVE = "let Emblar choose"
PORTS = (
    ("closed", "closed"),
    ("cut", "with a hole"),
    ("ring", "cut to a ring"),
    ("off", "taken off"),
)
WISHED = ("sustain", "length", "attack", "click", "body", "ring", "wires")
"""Quantities that can be wished different from the record."""
TOM_SCHOOLS = (
    ("record", "the record's"),
    ("thirds", "in thirds"),
    ("fourths", "in fourths"),
    ("fifths", "in fifths"),
    ("key", "the song's key"),
    ("best", "each drum's best note"),
)


@dataclass(frozen=True, slots=True)
class SchoolRow:
    """One side of a disagreement on this drum."""

    name: str
    text: str
    chosen: bool
    favoured: bool


@dataclass(frozen=True, slots=True)
class SchoolTable:
    """A disagreement of the trade with its sides."""

    about: str
    rows: tuple[SchoolRow, ...]


@dataclass(frozen=True, slots=True)
class OtherRow:
    """Another way to plan the drum, and what to send to take it."""

    name: str
    says: str
    text: str
    score: str
    fields: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Alternative:
    """Another setup in one line: what changes, what that does, what to send to use it."""

    changes: str
    effect: str
    cost: str
    fields: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class HeadRow:
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
class WishRow:
    """A quantity that can be wished different: name, steps asked, what more means."""

    name: str
    steps: str
    more: str


@dataclass(frozen=True, slots=True)
class PlanForm:
    """What can be asked of the selected drum by hand."""

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
    """Further dampers beside the first: the field's name and its options."""
    strikers: tuple[Option, ...]
    wires: tuple[Option, ...]
    ports: tuple[Option, ...]
    wishes: tuple[WishRow, ...]
    wishes_say: str


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
    """Every quantity."""
    differences: Markup | None
    """The quantities that differ most."""
    largest: tuple[RulerRow, ...]
    """The same, for screens too narrow for a ruler."""
    heads: tuple[HeadRow, ...]
    alternatives: tuple[Alternative, ...]
    form: PlanForm | None
    reasons: tuple[str, ...]
    schools: tuple[SchoolTable, ...]
    others: tuple[OtherRow, ...]
    scores: tuple[ScoreRow, ...]
    cautions: tuple[str, ...]
    record_play: str
    plan_play: str
    audio_href: str
    tap_sounds: tuple[HearButton, ...]
    tom_schools: tuple[Option, ...]
    stale: str
    empty: str = ""
    """What is needed before there is a plan."""
    imported: str = ""
    versions: tuple[VersionRow, ...] = ()
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
    return replace(page, imported=_brought(imported)) if imported else page


def _brought(imported: ImportedRecipes) -> str:
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
    form = _form(around, drum) if drum and kit_plan else None
    if drum is None or kit_plan is None or file is None:
        return PlanPage(
            around,
            drum.owned.name if drum else "Plan",
            "",
            None,
            problem,
            None,
            None,
            None,
            None,
            (),
            (),
            (),
            form,
            (),
            (),
            (),
            (),
            (),
            "",
            "",
            "",
            (),
            (),
            stale="",
            empty=_empty(around),
        )
    return PlanPage(
        frame=around,
        title=_title(drum, file),
        subtitle=_subtitle(file, kit_plan.version),
        plan=file,
        problem="",
        section=_section(drum, file),
        ladder=_ladder(file),
        rulers=rulers(ruler_rows(file)),
        differences=rulers(_largest(ruler_rows(file)), "differences"),
        largest=tuple(_largest(ruler_rows(file))),
        heads=_heads(file),
        alternatives=_alternatives(file),
        form=form,
        reasons=tuple(reason.text for reason in file.reasons),
        schools=_schools(file),
        others=_others(file),
        sounds=_sounds(file),
        scores=_scores(file),
        cautions=tuple(dict.fromkeys([*file.cautions, *kit_plan.warnings])),
        record_play=_record_play(around, file.voice),
        plan_play=f"/sessions/{around.session.id}/plan/{drum.id}/stroke.wav?version={kit_plan.version}",
        audio_href=_audio_href(around),
        tap_sounds=_hear(around.session.id, drum.id, kit_plan.version),
        taps=_taps(around.session.id, drum.id, file),
        tom_schools=tuple(Option(v, text, False) for v, text in TOM_SCHOOLS)
        if is_tom(file.voice)
        else (),
        stale="The drum or the record changed since this plan."
        if _stale(around, drum, file)
        else "",
        readings=_readings(around, drum),
        sentence=file.sentence(),
    )


def _readings(around: Frame, drum: KitDrum) -> tuple[ReadingRow, ...]:
    by_hand = "pitch_hz" in drum.wish
    card = around.record.voice(drum.voice) if around.record and drum.voice else None
    return () if by_hand else reading_rows(card, around.session.id)


def _hear(session_id: int, drum_id: int, version: int) -> tuple[HearButton, ...]:
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


def _subtitle(file: DrumPlanFile, version: int) -> str:
    struck = strikers()[file.striker].name
    if file.kind == "snare":
        struck += f" · {wire_settings()[file.wires].name}"
    return f"Plan {version} · {struck} · {file.minutes:.0f} min of work"


def _title(drum: KitDrum, file: DrumPlanFile) -> str:
    if file.voice == "by hand":
        return f"{drum.owned.name}, its pitch chosen by hand"
    return f"{drum.owned.name} plays {voice_title(file.voice).lower()}"


def _largest(rows: Sequence[RulerRow]) -> list[RulerRow]:
    """Return the quantities in which plan and record differ most."""
    known = [row for row in rows if row.plan_steps is not None]
    return sorted(known, key=lambda row: -abs(row.plan_steps or 0.0))[:MOST_DIFFERENCES]


def _heads(file: DrumPlanFile) -> tuple[HeadRow, ...]:
    """Return the lug pitch of each head, to the hertz it is known to."""
    lugs = file.prediction.lug_hz
    rows = [(head_name(file.kind, "batter"), lugs.batter)]
    if lugs.reso is not None:
        rows.append((head_name(file.kind, "reso"), lugs.reso))
    return tuple(HeadRow(name, f"{hz:.0f} Hz", note_text(hz)) for name, hz in rows)


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
    return number(quantity.value, quantity.unit) if quantity else "cannot tell"


def _damper_options(
    drum: KitDrum, chosen: tuple[str, ...] | None, index: int
) -> tuple[Option, ...]:
    """Return what may lie on a drum as its first, second or third damper."""
    current = chosen[index] if chosen is not None and index < len(chosen) else ""
    none = chosen is not None and not chosen
    first = (Option("", LEAVE, chosen is None), Option("none", "nothing", none))
    return (
        *(first if index == 0 else (Option("", "nothing more", not current),)),
        *(
            Option(d.id, d.name, d.id == current)
            for d in dampers_for(drum.owned.kind)
            if d.side == "batter" or drum.owned.reso
        ),
    )


def _more_dampers(
    drum: KitDrum, chosen: tuple[str, ...] | None
) -> tuple[tuple[str, tuple[Option, ...]], ...]:
    """Return as many further fields as are filled, and one more, up to three dampers in all."""
    count = min(len(chosen or ()), 2)
    return tuple((f"damper_{i + 1}", _damper_options(drum, chosen, i)) for i in range(1, count + 1))


def _form(around: Frame, drum: KitDrum) -> PlanForm:
    request: Wish = request_of(drum)
    asked_steps, kind = steps_of(drum), drum.owned.kind
    file = around.plan.drums.get(drum.id) if around.plan else None
    target = target_of(around.record, drum.voice)
    record = target.value("pitch") if target else None
    batters, resos = (constructions_for(kind, side) for side in ("batter", "reso"))
    return PlanForm(
        action=f"/sessions/{around.session.id}/plan/{drum.id}",
        relations=tuple(Option(v, text, v == (request.relation or "")) for v, text in RELATIONS),
        semitones=f"{request.semitones:g}" if request.semitones is not None else "",
        semitones_now=f"{file.semitones:+g}" if file else "",
        pitch_hz=f"{request.pitch_hz:g}" if request.pitch_hz else "",
        record_pitch=pitch(record) if record else "",
        batters=_or_leave(((c.id, c.name) for c in batters), request.batter),
        resos=_or_leave(((c.id, c.name) for c in resos), request.reso) if drum.owned.reso else (),
        dampers=_damper_options(drum, request.dampers, 0),
        more_dampers=_more_dampers(drum, request.dampers),
        strikers=_or_leave(((s.id, s.name) for s in strikers_for(kind)), request.striker),
        wires=_or_leave(((w.id, w.name) for w in wire_settings().values()), request.wires)
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


def _schools(file: DrumPlanFile) -> tuple[SchoolTable, ...]:
    tables: dict[str, list[SchoolRow]] = {}
    for school in file.schools:
        row = SchoolRow(school.name, school.text, school.chosen, school.favoured)
        tables.setdefault(school.about, []).append(row)
    return tuple(SchoolTable(about, tuple(rows)) for about, rows in tables.items())


def _others(file: DrumPlanFile) -> tuple[OtherRow, ...]:
    rows = []
    for other in file.others:
        made = construction(other.recipe.batter).name
        what = ", ".join([made, *_worn(other)])
        cost = _cost(other.score - file.score, other.minutes, len(other.bought))
        rows.append(_other_row(file, other, what, cost))
    return tuple(rows)


def _sounds(file: DrumPlanFile) -> tuple[OtherRow, ...]:
    """Return the other sounds of the same tuning."""
    return tuple(
        _other_row(file, sound, " and ".join(_worn(sound)), "No key needed")
        for sound in file.sounds
    )


def _alternatives(file: DrumPlanFile) -> tuple[Alternative, ...]:
    """Return the best other setups that differ from the plan and from each other, in one line."""
    rows: dict[str, Alternative] = {}
    for other in sorted((*file.others, *file.sounds), key=lambda one: one.score):
        changes = _changes(file, other.recipe)
        if changes and changes not in rows:
            row = _other_row(file, other, "", "")
            bought = f" · {len(other.bought)} to buy" if other.bought else ""
            cost = f"{other.minutes:.0f} min{bought}" if other.minutes >= 1.0 else "no key needed"
            rows[changes] = Alternative(changes, row.text.removeprefix(": "), cost, row.fields)
    return tuple(rows.values())[:MOST_ALTERNATIVES]


def _changes(file: DrumPlanFile, recipe: Setup) -> str:
    """Return what a setup has other than the plan, or nothing where it is the same."""
    changes, reso = [], head_name(file.kind, "reso")
    if recipe.batter != file.batter:
        changes.append(f"batter {lower_first(construction(recipe.batter).name)}")
    if recipe.reso and recipe.reso != file.reso:
        made = lower_first(construction(recipe.reso).name).removeprefix(f"{reso}, ")
        changes.append(f"{reso} {made}")
    if tuple(recipe.dampers) != tuple(file.dampers):
        names = [lower_first(damper(d).name) for d in recipe.dampers]
        changes.append(" and ".join(names) or "no muffling")
    if abs(recipe.semitones - file.semitones) > SAME_SEMITONES:
        changes.append(semitones(recipe.semitones))
    if recipe.striker != file.striker:
        changes.append(lower_first(strikers()[recipe.striker].name))
    if file.kind == "snare" and recipe.wires != file.wires:
        changes.append(lower_first(wire_settings()[recipe.wires].name))
    text = "; ".join(changes)
    return text[:1].upper() + text[1:]


def _worn(other: OtherFile) -> list[str]:
    return [damper(d).name for d in other.recipe.dampers] or ["nothing on it"]


def _other_row(file: DrumPlanFile, other: OtherFile, what: str, cost: str) -> OtherRow:
    recipe = other.recipe
    moves = once_long(other.moves)
    words = [changed_by(n, moves[n]) for n in sorted(moves, key=lambda n: -abs(moves[n]))[:3]]
    return OtherRow(
        other.name,
        other.says,
        f"{what}: {', '.join(words) or 'sounds alike'}",
        cost,
        (
            ("relation", relation_of(recipe.semitones)),
            ("semitones", f"{recipe.semitones:g}"),
            ("was", relation_of(recipe.semitones)),
            ("batter", recipe.batter),
            ("reso", recipe.reso or ""),
            ("damper", ",".join(recipe.dampers) or "none"),
            ("striker", recipe.striker),
            ("wires", recipe.wires if file.kind == "snare" else ""),
        ),
    )


def _cost(worse: float, minutes: float, buys: int) -> str:
    """Return what another way costs against this plan, its work and purchases weighed in."""
    weighed = f"{abs(worse):.1f} steps {'worse' if worse >= 0.0 else 'better'} with its work"
    bought = f" and {buys} to buy" if buys else ""
    return f"{weighed}{bought} weighed in; {minutes:.0f} min"


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
