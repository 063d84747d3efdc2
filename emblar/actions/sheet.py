"""Sheet: everything the tech needs at the drum, from the newest plan."""

from emblar.actions.kit import kit
from emblar.actions.listen import Heard, heard
from emblar.actions.plan import KitPlan, latest_plan
from emblar.core.catalogue import construction, damper, hoops, shells
from emblar.core.errors import InputError
from emblar.core.notes import note_text
from emblar.formats.plan import DrumPlanFile
from emblar.formats.sheet import SheetDrum, SheetFile, SheetHead
from emblar.store import sessions as session_store
from emblar.store.database import transaction
from emblar.store.drums import KitDrum


def sheet(session_id: int) -> SheetFile:
    """Return the setup sheet of a session's kit.

    Raises
    ------
    InputError
        Nothing is planned yet.
    """
    with transaction() as db:
        info = session_store.get(db, session_id)
    plan, found, drums = latest_plan(session_id), heard(session_id), kit(session_id)
    if plan is None or not plan.drums:
        raise InputError("Nothing is planned yet, so nothing can be printed. Plan the kit first.")
    return SheetFile(
        session=info.name,
        artist=info.artist,
        song=info.name,
        plan_version=plan.version,
        drums=[_drum(drum, plan.drums[drum.id], found) for drum in drums if drum.id in plan.drums],
        unplanned=_unplanned(drums, plan),
        cymbals=_cymbals(found),
    )


def _unplanned(drums: list[KitDrum], plan: KitPlan) -> list[str]:
    missing = [drum for drum in drums if drum.id not in plan.drums]
    return [
        plan.problems.get(drum.id, f"{drum.owned.name} was added after plan {plan.version}.")
        for drum in missing
    ]


def _head(head: str, lug_hz: float, tension: float, now: str | None) -> SheetHead:
    made = construction(head)
    return SheetHead(
        construction=made.name,
        film=made.film_label,
        lug_hz=lug_hz,
        lug_note=note_text(lug_hz),
        tension_n_per_m=tension,
        on_drum_now=head == now,
    )


def _drum(drum: KitDrum, plan: DrumPlanFile, found: Heard | None) -> SheetDrum:
    owned, predicted = drum.owned, plan.prediction
    reso = None
    if plan.reso and predicted.lug_hz.reso and predicted.tension_n_per_m.reso:
        reso = _head(plan.reso, predicted.lug_hz.reso, predicted.tension_n_per_m.reso, owned.reso)
    card = found.voice(plan.voice) if found else None
    return SheetDrum(
        name=owned.name,
        kind=owned.kind,
        size=f"{owned.diameter_in:g} × {owned.depth_in:g} in",
        rods=owned.rods,
        hoop=hoops()[owned.hoop].name,
        shell=shells()[owned.shell].name,
        voice=plan.voice,
        batter=_head(
            plan.batter, predicted.lug_hz.batter, predicted.tension_n_per_m.batter, owned.batter
        ),
        reso=reso,
        port_in=plan.port_in,
        dampers=[damper(d).name for d in plan.dampers],
        relation_semitones=plan.semitones,
        drum_pitch_hz=plan.card["pitch"].value,
        drum_pitch_note=note_text(plan.card["pitch"].value),
        drum_pitch_sd_cents=predicted.drum_pitch_sd_cents,
        record_pitch_hz=card.fundamental_hz if card else None,
        record_pitch_sd_cents=card.fundamental_sd_cents if card else None,
        sustain_s=predicted.sustain_s,
        sustain_sd_s=predicted.sustain_sd_s,
        record_sustain_s=card.decay_s if card else None,
        limits=predicted.limits,
        cautions=plan.cautions,
    )


def _cymbals(found: Heard | None) -> list[str]:
    if found is None:
        return []
    notes = []
    for voice in found.analysis.voices:
        if voice.voice in ("hat", "cymbal"):
            bright = f", centre {voice.click_hz / 1000:.1f} kHz" if voice.click_hz else ""
            notes.append(f"{voice.voice}: {voice.hits} strokes{bright}")
    return notes
