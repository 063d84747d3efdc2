"""The demo session: The Tin Orchard at Quillfeather Rooms, “Low Ferry”, all made up."""

from collections.abc import Callable
from datetime import datetime, timedelta

import numpy as np

from emblar.core.catalogue import SHIPPED
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.synthesis.low_ferry import TEMPO_BPM, render_low_ferry
from emblar.core.synthesis.practice import PracticeDrum, practice_drum
from emblar.formats.brief import AskFile
from emblar.platform.settings import current_time
from emblar.platform.sound.encode import encode
from emblar.platform.studio import HERE, Studio
from emblar.service.demo_past import ARTIST, STUDIO, make_finished, make_rehearsals
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import bench, finish_job, keep_readings
from emblar.steps.kit.actions.drums import add_drum, kit, match_by_size
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import bring_recording, one_recording, run_analysis
from emblar.steps.match.actions.comparison import bring_take
from emblar.steps.plan.actions.planning import plan_kit
from emblar.steps.sessions.actions.editing import (
    SessionBrief,
    all_sessions,
    delete_session,
    start_session,
)
from emblar.steps.shelf.actions import add_head

NAME = "Low Ferry"
KIT = (
    OwnedDrum(
        "Rack 10", "tom", 10, 7, 6, "flanged", "birch-lacquer", "single-clear", "single-clear"
    ),
    OwnedDrum(
        "Rack 12", "tom", 12, 8, 6, "flanged", "birch-lacquer", "double-coated", "single-clear"
    ),
    OwnedDrum(
        "Floor 16", "tom", 16, 15, 8, "flanged", "birch-lacquer", "double-clear", "single-clear"
    ),
    OwnedDrum("Snare 14", "snare", 14, 6.5, 10, "cast", "steel", "single-coated", "snare-side"),
    OwnedDrum(
        "Kick 22", "kick", 22, 16, 10, "wood", "birch-lacquer", "kick-ring-clear", "front-opaque"
    ),
)


SEED = 12
READ_CENTS = 4.0
TAKE_RATE_HZ = 44100
TAKE_FORCES = (0.3, 0.5, 0.8, 1.0, 1.3)
LOOSE = (
    ("double-coated", 10.0, 1, "fresh"),
    ("single-dot-coated", 14.0, 2, "fresh"),
    ("double-coated", 16.0, 1, "used"),
)


def ensure_demo(say: Callable[[str], None], studio: Studio = HERE) -> int:
    """Put the demo session in unless one of that name is there; return its id."""
    for session in all_sessions(studio):
        if session.name == NAME and session.artist == ARTIST:
            return session.id
    say("Making the demo: three made-up sessions (once, about a minute) …")
    session = start_session(
        studio,
        SessionBrief(
            name=NAME,
            artist=ARTIST,
            studio=STUDIO,
            wish="The toms of the record, a snare with some body, nothing that rings on.",
            downbeat_at=tomorrow_evening(),
            ask=AskFile(
                style="slow rock",
                key="E minor",
                tempo_bpm=TEMPO_BPM,
                kick_notes_per_beat=2.0,
                tom_notes_per_beat=4.0,
            ),
        ),
    )
    try:
        for head in LOOSE:
            add_head(studio, *head)
        for owned in KIT:
            add_drum(studio, session.id, owned)
        # What was done before comes first: it leaves its readings on the same drums.
        make_rehearsals(studio, session.id)
        make_finished(studio, session.id)
        _fill(studio, session.id)
    except BaseException:
        delete_session(studio, session.id)
        raise
    return session.id


def tomorrow_evening() -> datetime:
    """Return 19:00 tomorrow, as the clock on this machine shows it."""
    evening = current_time().astimezone().replace(hour=19, minute=0, second=0, microsecond=0)
    return evening + timedelta(days=1)


def _fill(studio: Studio, session_id: int) -> None:
    song = render_low_ferry()
    flac = encode(song.samples, song.sample_rate_hz, container="FLAC", subtype="PCM_16")
    recording = bring_recording(studio, session_id, "low-ferry.flac", flac, "drums")
    run_analysis(recording.id)
    state = one_recording(studio, session_id, recording.id)
    if state.state != "done":
        raise RuntimeError(f"the demo could not be analysed: {state.message}")
    match_by_size(studio, session_id)
    plan_kit(studio, session_id)
    _begin_at_the_bench(studio, session_id)
    _take_the_snare(studio, session_id)


def _drum(studio: Studio, session_id: int, name: str) -> KitDrum:
    return next(drum for drum in kit(studio, session_id) if drum.owned.name == name)


def _room(drum: KitDrum, present: Bench, *, off_cents: float, uneven: float) -> PracticeDrum:
    """Return a drum of the kit as it stands in the room, so far from its plan."""
    higher = 2.0 ** (off_cents / 1200.0)
    lugs = {side: head.planned_hz * higher for side, head in present.heads.items()}
    return practice_drum(
        model(SHIPPED, drum.owned), lugs["batter"], lugs.get("reso"), uneven=uneven, seed=SEED
    )


def _begin_at_the_bench(studio: Studio, session_id: int) -> None:
    """Have one tom tapped round as found, and looked over: its first rod is next."""
    drum = _drum(studio, session_id, "Rack 10")
    current = bench(studio, session_id, drum.id)
    room = _room(drum, current, off_cents=-90.0, uneven=0.12)
    for side in current.heads:
        read = [(rod, float(hz), READ_CENTS) for rod, hz in enumerate(room.rod_pitches_hz(side))]
        keep_readings(studio, session_id, drum.id, side, read, how="microphone")
    for job in ("as-found", "inspect"):
        finish_job(studio, session_id, drum.id, job)


def _take_the_snare(studio: Studio, session_id: int) -> None:
    """Record the snare as it is, a little low."""
    drum = _drum(studio, session_id, "Snare 14")
    room = _room(drum, bench(studio, session_id, drum.id), off_cents=-35.0, uneven=0.0)
    strokes = [room.strike(force=f, rate=TAKE_RATE_HZ, seconds=1.5) for f in TAKE_FORCES]
    sound = np.concatenate(strokes)
    flac = encode(
        0.7 * sound / np.abs(sound).max(), TAKE_RATE_HZ, container="FLAC", subtype="PCM_16"
    )
    run_analysis(bring_take(studio, session_id, drum.id, "snare as it is.flac", flac).id)
