"""The demo's past: a finished session on the same drums, and months of rehearsals in the log."""

from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from sqlalchemy import insert, select, update

from emblar.core.acoustics.drum import Side
from emblar.core.catalogue import SHIPPED
from emblar.core.planning.kit import model
from emblar.core.synthesis.low_ferry import TEMPO_BPM, render_paper_lanterns
from emblar.core.synthesis.practice import PracticeDrum, practice_drum
from emblar.core.synthesis.stroke import Samples
from emblar.formats.brief import AskFile
from emblar.platform.database import transaction
from emblar.platform.settings import current_time
from emblar.platform.sound.encode import encode
from emblar.platform.studio import Studio
from emblar.platform.tables import (
    FittingRow,
    KitSlotRow,
    MeasurementRow,
    RecordingRow,
    SessionRow,
    SetupRow,
)
from emblar.service.year import MadeUpLog
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import bench, finish_job, keep_readings, note_setup
from emblar.steps.kit.actions.drums import kit, match_by_size, take_out_drum
from emblar.steps.kit.actions.saved import FROM_SESSION, bring_kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import bring_recording, run_analysis
from emblar.steps.match.actions.comparison import bring_take, note_change
from emblar.steps.plan.actions.planning import plan_kit
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.share.actions import make_share, say_here

ARTIST = "The Tin Orchard"
STUDIO = "Quillfeather Rooms"
FINISHED = "Paper Lanterns"
REHEARSALS = "Rehearsals"
DAYS_AGO = 17
MONTHS_DAYS = 150
EVERY_DAYS = 21
TUNED_CENTS = 2.0
READ_CENTS = 4.0
RATE_HZ = 44100
FORCES = (0.3, 0.5, 0.8, 1.0, 1.3)
SEED = 31


def make_finished(studio: Studio, kit_of: int) -> int:
    """Make the finished session on the drums of another session's kit; return its id."""
    ask = AskFile(style="ballad", key="D minor", tempo_bpm=TEMPO_BPM, only_owned=True)
    session_id = start_session(
        studio,
        SessionBrief(
            name=FINISHED,
            artist=ARTIST,
            studio=STUDIO,
            wish="Low, short toms; a dry snare.",
            downbeat_at=current_time() - timedelta(days=DAYS_AGO),
            ask=ask,
        ),
    ).id
    song = render_paper_lanterns()
    data = encode(song.samples, song.sample_rate_hz, container="FLAC", subtype="PCM_16")
    run_analysis(bring_recording(studio, session_id, "paper-lanterns.flac", data, "drums").id)
    bring_kit(studio, session_id, f"{FROM_SESSION}-{kit_of}")
    # This song was played without it: it is the drum that is being tuned for the other one.
    take_out_drum(studio, session_id, _named(studio, session_id, "Rack 10").id)
    match_by_size(studio, session_id)
    plan_kit(studio, session_id)
    for drum in kit(studio, session_id):
        _DemoDrum(studio, session_id, drum).tune()
    _takes(studio, session_id)
    make_share(studio, session_id, "Nell, the engineer", ["sheet", "match", "sounds"], 30)
    snare = _named(studio, session_id, "Snare 14")
    say_here(studio, session_id, snare.id, "Nell", "A little drier still?", "sustain", more=False)
    _set_back(session_id, timedelta(days=DAYS_AGO))
    return session_id


def _named(studio: Studio, session_id: int, name: str) -> KitDrum:
    return next(drum for drum in kit(studio, session_id) if drum.owned.name == name)


@dataclass(frozen=True, slots=True)
class _DemoDrum:
    """A drum of the finished session, and the room it stands in."""

    studio: Studio
    session_id: int
    slot: KitDrum

    def state(self) -> Bench:
        """Return the state of the work on it."""
        return bench(self.studio, self.session_id, self.slot.id)

    def in_the_room(self, off_cents: float, uneven: float = 0.0) -> PracticeDrum:
        """Return a practice drum, detuned from its plan and uneven."""
        higher = 2.0 ** (off_cents / 1200.0)
        lugs = {side: head.planned_hz * higher for side, head in self.state().heads.items()}
        return practice_drum(
            model(SHIPPED, self.slot.owned),
            lugs["batter"],
            lugs.get("reso"),
            uneven=uneven,
            seed=SEED,
        )

    def tune(self) -> None:
        """Finish every job, with readings close to the goal."""
        rng = np.random.default_rng(SEED + self.slot.id)
        for job in self.state().jobs:
            if job.tunes and job.side is not None:
                self.read(job.side, rng)
            finish_job(self.studio, self.session_id, self.slot.id, job.id)

    def read(self, side: Side, rng: np.random.Generator) -> None:
        goal = self.state().heads[side].goal_hz
        cents = rng.normal(0.0, TUNED_CENTS, self.slot.owned.rods)
        rows = [(rod, goal * 2.0 ** (c / 1200.0), READ_CENTS) for rod, c in enumerate(cents)]
        keep_readings(self.studio, self.session_id, self.slot.id, side, rows, how="microphone")

    def take(self, filename: str, room: PracticeDrum) -> None:
        """Record it as it is now."""
        sound: Samples = np.concatenate(
            [room.strike(force=force, rate=RATE_HZ, seconds=1.5) for force in FORCES]
        )
        data = encode(
            0.7 * sound / np.abs(sound).max(), RATE_HZ, container="FLAC", subtype="PCM_16"
        )
        run_analysis(bring_take(self.studio, self.session_id, self.slot.id, filename, data).id)


def _takes(studio: Studio, session_id: int) -> None:
    """Record the drums; on one tom a pad is tried and taken off again."""
    snare = _DemoDrum(studio, session_id, _named(studio, session_id, "Snare 14"))
    snare.take("snare, tuned.flac", snare.in_the_room(3.0))
    tom = _DemoDrum(studio, session_id, _named(studio, session_id, "Rack 12"))
    tom.take("rack 12, tuned.flac", tom.in_the_room(-4.0))
    note_setup(studio, session_id, tom.slot.id, "As planned: sits well under the vocal.")
    for filename, note in (
        ("rack 12, with a pad.flac", "Too dry with the pad."),
        ("rack 12, without it again.flac", "The pad is off again."),
    ):
        note_change(studio, session_id, tom.slot.id, "damper", "gel-pad")
        tom.take(filename, tom.in_the_room(-4.0))
        note_setup(studio, session_id, tom.slot.id, note)


def _set_back(session_id: int, by: timedelta) -> None:
    """Move a session, and everything recorded and measured in it, into the past."""
    with transaction() as db:
        setups = select(SetupRow.id).where(SetupRow.session_id == session_id)
        for table, belongs in (
            (MeasurementRow, MeasurementRow.setup_id.in_(setups)),
            (SetupRow, SetupRow.session_id == session_id),
            (RecordingRow, RecordingRow.session_id == session_id),
            (SessionRow, SessionRow.id == session_id),
        ):
            earlier = {table.created_at: table.created_at - by}
            db.execute(update(table).where(belongs).values(earlier))


def make_rehearsals(studio: Studio, kit_of: int) -> None:
    """Add months of rehearsals to the log of a session's drums."""
    first = current_time() - timedelta(days=MONTHS_DAYS)
    drums = kit(studio, kit_of)
    with transaction() as db:
        session = SessionRow(
            studio_id=studio.studio_id, name=REHEARSALS, artist=ARTIST, created_at=first
        )
        db.add(session)
        db.flush()
        log = MadeUpLog(db, studio.studio_id)
        ids = [drum.drum_id for drum in drums]
        fitted = update(FittingRow).where(FittingRow.drum_id.in_(ids))
        db.execute(fitted.values(fitted_at=first - timedelta(days=3)))
        for place, drum in enumerate(drums):
            slot = {"session_id": session.id, "drum_id": drum.drum_id, "position": place}
            db.execute(insert(KitSlotRow).values(**slot))
            log.owned[drum.drum_id] = drum.owned
        for days in range(0, MONTHS_DAYS - EVERY_DAYS, EVERY_DAYS):
            for drum in drums:
                evening = first + timedelta(days=days)
                log.tune(session.id, drum.drum_id, evening, fresh=days == 0, lugs_only=True)
