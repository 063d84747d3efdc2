"""Sheet: everything the tech needs at the drum, from the newest plan."""

from collections.abc import Iterable

from emblar.core.acoustics.inverse import turns_for
from emblar.core.catalogue import (
    Catalogue,
)
from emblar.core.errors import InputError
from emblar.core.notes import note_text
from emblar.core.planning.findings import findings
from emblar.core.planning.kit import OwnedDrum, model, wearing
from emblar.core.planning.microphones import microphone_note
from emblar.formats.plan import DrumPlanFile
from emblar.formats.sheet import SheetDrum, SheetFile, SheetHead, WorkStep
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record
from emblar.steps.plan.actions.planning import KitPlan, latest_plan
from emblar.steps.sessions.actions.editing import brief_of, one_session


def sheet(studio: Studio, session_id: int) -> SheetFile:
    """Return the setup sheet of a session's kit.

    Raises
    ------
    InputError
        Nothing is planned yet.
    """
    catalogue = studio.catalogue()
    info = one_session(studio, session_id)
    plan, result, drums = (
        latest_plan(studio, session_id),
        analysed_record(studio, session_id),
        kit(studio, session_id),
    )
    if plan is None or not plan.drums:
        raise InputError("Nothing is planned yet, so nothing can be printed. Plan the kit first.")
    request = brief_of(info)
    planned = [(drum, plan.drums[drum.id]) for drum in drums if drum.id in plan.drums]
    return SheetFile(
        session=info.name,
        artist=info.artist,
        song=info.name,
        plan_version=plan.version,
        drums=[_drum(catalogue, drum, file, result) for drum, file in planned],
        unplanned=_unplanned(drums, plan),
        cymbals=_cymbals(result),
        microphones=request.microphones,
        minutes=sum(file.minutes for _, file in planned),
        available_minutes=request.minutes * request.hands if request.minutes is not None else None,
        order=_order(planned),
        shopping=_counted(name for drum, file in planned for name in to_buy(catalogue, drum, file)),
        packing=_counted(_packed(catalogue, planned)),
        warnings=list(plan.warnings),
    )


def _order(planned: list[tuple[KitDrum, DrumPlanFile]]) -> list[WorkStep]:
    """Return the order of work: drums with new heads first, which settle while the others are done.

    Then kick, snare, toms from the largest down; times are one person's, one after the other.
    """
    kinds = {"kick": 0, "snare": 1, "tom": 2}

    def key(row: tuple[KitDrum, DrumPlanFile]) -> tuple[int, int, float]:
        drum, file = row
        return -len(_new_heads(drum, file)), kinds[file.kind], -drum.owned.diameter_in

    steps, until = [], 0.0
    for drum, file in sorted(planned, key=key):
        until += file.minutes
        steps.append(
            WorkStep(
                drum=drum.owned.name,
                what=_what(drum, file),
                minutes=file.minutes,
                until_minutes=until,
            )
        )
    return steps


def _new_heads(drum: KitDrum, file: DrumPlanFile) -> list[str]:
    pairs = ((file.batter, drum.owned.batter), (file.reso, drum.owned.reso))
    return [head for head, current in pairs if head is not None and head != current]


def _what(drum: KitDrum, file: DrumPlanFile) -> str:
    """Return what is to be done on a drum, in a few words."""
    new = len(_new_heads(drum, file))
    parts = [f"fit {new} new {'head' if new == 1 else 'heads'}"] if new else []
    if file.cut:
        parts.append("cut the port")
    if file.kind == "kick" and file.reso is None and drum.owned.reso is not None:
        parts.append("take the front off")
    parts.append("tune both heads" if file.reso else "tune the batter")
    if file.kind == "snare":
        parts.append("set the wires")
    if file.dampers:
        parts.append("add the muffling")
    return ", ".join(parts)


def to_buy(catalogue: Catalogue, drum: KitDrum, file: DrumPlanFile) -> list[str]:
    """Return the heads to buy for a drum: those planned, and those that are spent."""
    size = f"{drum.owned.diameter_in:g} in"
    names = [f"{catalogue.construction(head).name}, {size}" for head in file.bought]
    known = file.drum.findings if file.drum is not None else drum.owned.findings
    spent = {findings()[name].changes: findings()[name].by_log for name in known}
    for side, head, current in (
        ("batter", file.batter, drum.owned.batter),
        ("reso", file.reso, drum.owned.reso),
    ):
        if side in spent and head is not None and head == current:
            why = "one that is due" if spent[side] else "pitted one"
            names.append(f"{catalogue.construction(head).name}, {size}, in place of the {why}")
    return names


def _packed(catalogue: Catalogue, planned: list[tuple[KitDrum, DrumPlanFile]]) -> list[str]:
    """Return what has to be there besides the drums: heads, dampers, sticks, beaters, the key."""
    names = [
        f"{catalogue.construction(head).name}, {drum.owned.diameter_in:g} in"
        for drum, file in planned
        for head, current in ((file.batter, drum.owned.batter), (file.reso, drum.owned.reso))
        if head is not None and head != current and head not in file.bought
    ]
    names += [catalogue.damper(d).name for _, file in planned for d in file.dampers]
    names += dict.fromkeys(catalogue.strikers[file.striker].name for _, file in planned)
    return [*names, "drum key"]


def _counted(names: Iterable[str]) -> list[str]:
    every = list(names)
    return [f"{every.count(n)} × {n}" if every.count(n) > 1 else n for n in dict.fromkeys(every)]


def _unplanned(drums: list[KitDrum], plan: KitPlan) -> list[str]:
    missing = [drum for drum in drums if drum.id not in plan.drums]
    return [
        plan.problems.get(drum.id, f"{drum.owned.name} was added after plan {plan.version}.")
        for drum in missing
    ]


def _head(
    catalogue: Catalogue, head: str, lug_hz: float, tension: float, present: str | None
) -> SheetHead:
    made = catalogue.construction(head)
    return SheetHead(
        construction=made.name,
        film=made.film_label,
        lug_hz=lug_hz,
        lug_note=note_text(lug_hz),
        tension_n_per_m=tension,
        on_drum_now=head == present,
    )


def _doubt_in_turns(catalogue: Catalogue, owned: OwnedDrum, plan: DrumPlanFile) -> float:
    """Return by how many turns of every batter rod the plan's pitch may be off, one sd."""
    predicted = plan.prediction
    built = model(catalogue, wearing(owned, plan.reso, plan.port_in), batter=plan.batter)
    lug = predicted.lug_hz.batter
    higher = lug * 2.0 ** (predicted.drum_pitch_sd_cents / 1200.0)
    return turns_for(built, "batter", lug, higher).value


def _drum(
    catalogue: Catalogue, drum: KitDrum, plan: DrumPlanFile, record: AnalysedRecord | None
) -> SheetDrum:
    owned, predicted = drum.owned, plan.prediction
    reso = None
    if plan.reso and predicted.lug_hz.reso and predicted.tension_n_per_m.reso:
        reso = _head(
            catalogue, plan.reso, predicted.lug_hz.reso, predicted.tension_n_per_m.reso, owned.reso
        )
    card = record.voice(plan.voice) if record else None
    return SheetDrum(
        name=owned.name,
        kind=owned.kind,
        size=f"{owned.diameter_in:g} × {owned.depth_in:g} in",
        rods=owned.rods,
        hoop=catalogue.hoops[owned.hoop].name,
        shell=catalogue.shells[owned.shell].name,
        voice=plan.voice,
        batter=_head(
            catalogue,
            plan.batter,
            predicted.lug_hz.batter,
            predicted.tension_n_per_m.batter,
            owned.batter,
        ),
        reso=reso,
        port_in=plan.port_in,
        cut=plan.cut,
        microphone=microphone_note(
            owned.kind, owned.diameter_in, front=plan.reso is not None, port_in=plan.port_in
        ),
        dampers=[catalogue.damper(d).name for d in plan.dampers],
        struck_with=catalogue.strikers[plan.striker].name,
        wires=catalogue.wire_settings[plan.wires].name if owned.kind == "snare" else "",
        minutes=plan.minutes,
        relation_semitones=plan.semitones,
        drum_pitch_hz=plan.card["pitch"].value,
        drum_pitch_note=note_text(plan.card["pitch"].value),
        drum_pitch_sd_cents=predicted.drum_pitch_sd_cents,
        drum_pitch_sd_turns=_doubt_in_turns(catalogue, owned, plan),
        record_pitch_hz=card.fundamental_hz if card else None,
        record_pitch_sd_cents=card.fundamental_sd_cents if card else None,
        sustain_s=predicted.sustain_s,
        sustain_sd_s=predicted.sustain_sd_s,
        record_sustain_s=card.decay_s if card else None,
        limits=predicted.limits,
        cautions=plan.cautions,
        to_buy=to_buy(catalogue, drum, plan),
    )


def _cymbals(record: AnalysedRecord | None) -> list[str]:
    if record is None:
        return []
    notes = []
    for voice in record.analysis.voices:
        if voice.voice in ("hat", "cymbal"):
            bright = f", centre {voice.click_hz / 1000:.1f} kHz" if voice.click_hz else ""
            notes.append(f"{voice.voice}: {voice.hits} strokes{bright}")
    return notes
