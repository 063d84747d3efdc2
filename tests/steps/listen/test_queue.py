import os
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy import text

from emblar.core.drum import Setup
from emblar.core.errors import BadAudioError, ConflictError, InputError, NotFoundError
from emblar.core.planning.plan_drum import plan_drum
from emblar.platform.database import transaction
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import hum
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.brief import actions as wishes
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import (
    SessionBrief,
    brief_mark,
    change_brief,
    one_session,
    start_session,
)
from emblar.steps.sheet import actions as sheet
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM
from tests.recordings import bad_recordings

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture
def session() -> int:
    return start_session(HERE, SessionBrief("Low Ferry", artist="The Tin Orchard")).id


def count(table: str) -> int:
    with transaction() as db:
        return int(db.execute(text(f"select count(*) from {table}")).scalar_one())


def listened(session: int, groove: bytes) -> None:
    recording = listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
    listen.run_analysis(recording.id)
    assert listen.one_recording(HERE, session, recording.id).state == "done"


def test_from_a_recording_to_a_sheet(session: int, groove: bytes) -> None:
    listened(session, groove)
    for owned in (OWNED_KICK, OWNED_SNARE, OWNED_TOM):
        kit.add_drum(HERE, session, owned)
    assert {d.voice for d in kit.kit(HERE, session)} == {"kick", "snare", "tom-1"}
    made = plan.plan_kit(HERE, session)
    assert made.problems == {}
    printed = sheet.sheet(HERE, session)
    assert [d.name for d in printed.drums] == ["Kick 22", "Snare 14", "Rack 12"]
    for drum in printed.drums:
        assert drum.record_pitch_hz == pytest.approx(drum.drum_pitch_hz, rel=1e-4)
    assert printed.unplanned == []
    assert any("hat" in line for line in printed.cymbals)


def test_bringing_a_recording_puts_its_analysis_on_the_queue(session: int, groove: bytes) -> None:
    recording = listen.bring_recording(HERE, session, "groove.flac", groove, "auto")
    with transaction() as db:
        args = db.execute(text("select args from procrastinate_jobs")).scalar_one()
    assert args == {"recording_id": recording.id}
    assert recording.state == "waiting"


def test_a_studio_that_brings_many_recordings_keeps_no_other_waiting(
    session: int, groove: bytes
) -> None:
    with transaction() as db:
        db.execute(text("insert into studio (id, name) overriding system value values (2, 'B')"))
    other = Studio(2)
    theirs = start_session(other, SessionBrief("Theirs")).id
    ours = [
        listen.bring_recording(HERE, session, f"{kind}.flac", groove, kind).id
        for kind in ("drums", "mix", "auto")
    ]
    late = listen.bring_recording(other, theirs, "late.flac", groove, "drums").id
    with transaction() as db:
        rows = db.execute(
            text("select args, lock from procrastinate_jobs order by priority desc, id")
        ).all()
    assert [args["recording_id"] for args, _ in rows] == [ours[0], late, ours[1], ours[2]]
    assert len({lock for _, lock in rows}) == 2, "one analysis at a time a studio"


@pytest.mark.parametrize("name", [n for n in bad_recordings() if n != "noise.wav"])
def test_a_bad_recording_is_refused_and_nothing_is_kept(session: int, name: str) -> None:
    data, says = bad_recordings()[name]
    with pytest.raises(BadAudioError, match=says):
        listen.bring_recording(HERE, session, name, data, "auto")
    assert count("audio") == count("recording") == count("procrastinate_jobs") == 0


def test_a_recording_without_strokes_fails_with_what_to_do_and_is_not_kept(session: int) -> None:
    data, says = bad_recordings()["noise.wav"]
    recording = listen.bring_recording(HERE, session, "noise.wav", data, "auto")
    listen.run_analysis(recording.id)
    state = listen.one_recording(HERE, session, recording.id)
    assert state.state == "failed"
    assert says in state.message
    assert count("audio") == 0


def test_running_an_analysis_twice_changes_nothing(heard: int) -> None:
    before = listen.analysed_record(HERE, heard)
    recording = listen.recording_of(HERE, heard)
    assert before is not None
    assert recording is not None
    listen.run_analysis(recording.id)
    assert listen.analysed_record(HERE, heard) == before


def test_a_cancelled_analysis_does_not_replace_the_one_before(heard: int, groove: bytes) -> None:
    second = listen.bring_recording(HERE, heard, "again.flac", groove, "auto")
    listen.cancel_analysis(HERE, heard, second.id)
    listen.run_analysis(second.id)
    found = listen.analysed_record(HERE, heard)
    assert found is not None
    assert found.recording.filename == "groove.flac"


def test_an_analysis_of_a_deleted_recording_does_nothing() -> None:
    listen.run_analysis(12345)
    with pytest.raises(NotFoundError):
        listen.one_recording(HERE, 1, 12345)


def test_a_wish_by_hand_replans_one_drum_and_keeps_the_others(heard: int) -> None:
    tom = kit.add_drum(HERE, heard, OWNED_TOM)
    kick = kit.add_drum(HERE, heard, OWNED_KICK)
    before = plan.plan_kit(HERE, heard)
    after = plan.replan_drum(HERE, heard, tom.id, {"relation": "equal", "pitch_hz": 120.0})
    assert after.version == before.version + 1
    assert after.drums[kick.id] == before.drums[kick.id]
    assert after.drums[tom.id].card["pitch"].value == pytest.approx(120.0, rel=1e-4)
    with pytest.raises(InputError, match=r"has no part.*ask for a pitch"):
        kit.assign_voice(HERE, heard, "tom-1", None)
        plan.replan_drum(HERE, heard, tom.id, {"relation": "equal"})
    assert plan.latest_plan(HERE, heard) == after, "a wish that fails changes nothing"


def test_of_two_wishes_at_once_the_later_is_kept(
    planned: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    tom = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "tom")
    quick, begun = plan_drum, threading.Event()

    def slow_first(catalogue: Any, owned: Any, target: Any, request: Any, **more: Any) -> Any:
        if request.pitch_hz == 120.0:
            begun.set()
            time.sleep(0.5)
        return quick(catalogue, owned, target, request, **more)

    monkeypatch.setattr(plan, "plan_drum", slow_first)
    first = threading.Thread(
        target=plan.replan_drum, args=(HERE, planned, tom.id, {"pitch_hz": 120.0})
    )
    first.start()
    assert begun.wait(5.0)
    plan.replan_drum(HERE, planned, tom.id, {"pitch_hz": 125.0})
    first.join()
    latest = plan.latest_plan(HERE, planned)
    assert latest is not None
    assert latest.drums[tom.id].card["pitch"].value == pytest.approx(125.0, rel=1e-3)
    assert next(d for d in kit.kit(HERE, planned) if d.id == tom.id).wish["pitch_hz"] == 125.0


def test_a_way_that_cuts_is_planned_cut_and_one_that_does_not_stays_closed(session: int) -> None:
    closed = replace(OWNED_KICK, port_in=None)
    for hole, asked in ((5.0, "cut"), (None, "closed")):
        recipe = Setup(
            "single-clear", "front-opaque", 60.0, 60.0, (), "beater-felt", "medium", hole
        )
        assert wishes.wish_of(recipe, closed, port=True)["port"] == asked
        assert "port" not in wishes.wish_of(recipe, closed, port=False)
        assert wishes.wish_of(recipe, OWNED_KICK, port=True)["port"] == asked
    off = replace(recipe, reso=None, reso_hz=None)
    assert wishes.wish_of(off, closed, port=True)["port"] == "off"
    drum = kit.add_drum(HERE, session, closed)
    with pytest.raises(InputError, match="forbids cutting"):
        plan.replan_drum(HERE, session, drum.id, {"pitch_hz": 55.0, "port": "ring"})
    kept = plan.replan_drum(HERE, session, drum.id, {"pitch_hz": 55.0, "port": "closed"})
    assert kept.drums[drum.id].port_in is None


def test_a_drum_without_a_voice_is_told_on_the_sheet(heard: int) -> None:
    kit.add_drum(HERE, heard, OWNED_TOM)
    kit.add_drum(HERE, heard, replace(OWNED_TOM, name="Rack 13"))
    plan.plan_kit(HERE, heard)
    (problem,) = sheet.sheet(HERE, heard).unplanned
    assert "has no part of the record yet" in problem


def test_a_planned_drum_can_be_heard(heard: int) -> None:
    tom = kit.add_drum(HERE, heard, OWNED_TOM)
    with pytest.raises(InputError, match="not planned yet"):
        plan.planned_sound(HERE, heard, tom.id, "stroke")
    plan.plan_kit(HERE, heard)
    assert plan.planned_sound(HERE, heard, tom.id, "stroke")[:4] == b"RIFF"


def test_voices_are_suggested_by_kind_and_size(session: int, groove: bytes) -> None:
    tom = kit.add_drum(HERE, session, OWNED_TOM)
    snare = kit.add_drum(HERE, session, OWNED_SNARE)
    listened(session, groove)
    kit.match_by_size(HERE, session)
    assert {d.id: d.voice for d in kit.kit(HERE, session)} == {tom.id: "tom-1", snare.id: "snare"}
    with pytest.raises(InputError, match="is a snare"):
        kit.assign_voice(HERE, session, "kick", snare.id)


def test_a_head_for_the_wrong_drum_and_a_nameless_drum_are_refused(session: int) -> None:
    with pytest.raises(InputError, match="not made for the batter side of a tom"):
        kit.add_drum(HERE, session, replace(OWNED_TOM, batter="snare-side"))
    with pytest.raises(InputError, match="Give the drum a name"):
        kit.add_drum(HERE, session, replace(OWNED_TOM, name=" "))
    with pytest.raises(InputError, match="Give the session a name"):
        start_session(HERE, SessionBrief("  "))


def worker() -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "emblar.service.worker"],
        env=dict(os.environ),
        start_new_session=True,
    )


def wait_for(session: int, recording: int, states: set[str], seconds: float) -> str:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        state = listen.one_recording(HERE, session, recording).state
        if state in states:
            return state
        time.sleep(0.05)
    raise AssertionError(f"still {listen.one_recording(HERE, session, recording)}")


def test_a_worker_killed_midway_is_followed_by_another_and_no_hit_is_doubled(
    session: int, groove: bytes
) -> None:
    recording = listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
    first = worker()
    wait_for(session, recording.id, {"running"}, 120)
    first.send_signal(signal.SIGKILL)
    first.wait()
    second = worker()
    try:
        wait_for(session, recording.id, {"done"}, 120)
    finally:
        second.terminate()
        second.wait(10)
    found = listen.analysed_record(HERE, session)
    assert found is not None
    assert found.recording.attempts == 2
    keys = [(h.time_s, h.voice) for h in found.analysis.hits]
    assert len(keys) == len(set(keys))


def test_a_brief_changed_in_another_window_is_not_overwritten(heard: int) -> None:
    seen = brief_mark(one_session(HERE, heard))
    change_brief(HERE, heard, SessionBrief("Low Ferry", wish="Nothing that rings on."), seen=seen)
    with pytest.raises(ConflictError, match="changed in another window"):
        change_brief(HERE, heard, SessionBrief("Low Ferry", wish="More ring."), seen=seen)
    assert one_session(HERE, heard).wish == "Nothing that rings on."
    newer = brief_mark(one_session(HERE, heard))
    change_brief(HERE, heard, SessionBrief("Low Ferry", wish="More ring."), seen=newer)
    assert one_session(HERE, heard).wish == "More ring."


def test_the_planned_pitch_is_one_number_in_plan_bench_hum_and_sheet(planned: int) -> None:
    found = hum.hum_map(HERE, planned)
    heights = {d.id: d.hz for d in found.drums}
    for drum in kit.kit(HERE, planned):
        latest = plan.latest_plan(HERE, planned)
        assert latest is not None
        wanted = latest.drums[drum.id].card["pitch"].value
        now = bench.bench(HERE, planned, drum.id)
        assert (now.before.hz, now.pitch.hz) == (wanted, wanted)
        assert heights[drum.id] == wanted
        row = next(d for d in sheet.sheet(HERE, planned).drums if d.name == drum.owned.name)
        assert row.drum_pitch_hz == wanted
