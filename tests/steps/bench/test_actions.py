"""Bench: a drum brought to its plan by what the bench says, and nothing lost on the way."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient

from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import BadAudioError, InputError
from emblar.core.notes import cents
from emblar.platform.sound.decode import decode
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.sound import goal_sound, read_clip, read_live, read_stroke
from emblar.steps.bench.actions.state import TOLERANCE_CENTS, Bench
from emblar.steps.bench.actions.undo import undo
from emblar.steps.bench.page.drum import bench_page
from emblar.steps.kit.actions.drums import add_drum, change_drum, kit
from emblar.steps.kit.actions.saved import copy_drum
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import SessionBrief, start_session
from emblar.steps.sessions.actions.home import home
from emblar.steps.workspace.actions import workspace
from emblar.steps.workspace.routes import load
from tests.core.tuning.test_tap_round import RATE, separate
from tests.drums import OWNED_TOM
from tests.practice import DrumInTheRoom

MOST_STEPS = 60


def drum_of(session: int, kind: str) -> KitDrum:
    return next(d for d in kit(HERE, session) if d.owned.kind == kind)


def at(session: int, drum: KitDrum) -> Bench:
    return bench.bench(HERE, session, drum.id)


def work(session: int, drum: KitDrum, room: DrumInTheRoom, *, until: str = "") -> Bench:
    """Do what the bench says until a job or the end."""
    for _ in range(MOST_STEPS):
        now = at(session, drum)
        job = now.job
        if job is None or job.id == until:
            return now
        head = now.heads[job.side] if job.side else None
        if head is None or not job.tunes:
            bench.finish_job(HERE, session, drum.id, job.id)
            if job.text == "mount" and job.side:
                room.fit(at(session, drum), job.side)
        elif head.unread:
            read_clip(HERE, session, drum.id, head.side, room.taps(head.side, head.unread))
            if at(session, drum).heads[head.side].unread:
                # A tap that could not be read is tapped once more.
                rod = at(session, drum).heads[head.side].unread[0]
                read_live(HERE, session, drum.id, head.side, [(rod, room.tap(head.side, rod))])
        elif head.advice is not None and head.advice.why == "turn":
            for rod in head.advice.order:
                room.turn(head.side, rod, head.advice.turns[rod])
            bench.turned(HERE, session, drum.id, head.side)
        else:
            bench.finish_job(HERE, session, drum.id, job.id)
    raise AssertionError(f"not done after {MOST_STEPS} steps: {at(session, drum).job}")


@pytest.mark.parametrize("kind", ["tom", "snare", "kick"])
def test_following_the_bench_brings_a_drum_to_its_plan(planned: int, kind: str) -> None:
    drum = drum_of(planned, kind)
    room = DrumInTheRoom(at(planned, drum), 3)
    now = work(planned, drum, room, until="listen")
    bench.finish_job(HERE, planned, drum.id, "listen")
    tolerance = 2.0 * TOLERANCE_CENTS[kind]
    for side, head in now.heads.items():
        off = room.off_cents(side, head.goal_hz)
        assert np.abs(off).max() < tolerance, (side, off)
        assert head.made == head.planned
    assert at(planned, drum).job is None
    assert workspace(HERE, planned, with_plan=False).tuned == {drum.id}
    assert {d.name for d in home(HERE)[0].drums if d.how == "tuned"} == {drum.owned.name}


def test_a_planned_head_that_is_fitted_leaves_the_plan_as_it_is(planned: int) -> None:
    drum = drum_of(planned, "tom")
    side: Side = "batter"
    made = next(
        c.id for c in SHIPPED.constructions_for("tom", "batter") if c.id != drum.owned.batter
    )
    plan.replan_drum(HERE, planned, drum.id, {"batter": made})
    bench.finish_job(HERE, planned, drum.id, f"mount-{side}")
    now = at(planned, drum)
    assert now.heads[side].made == now.heads[side].planned
    assert now.setup.document["slack"] == [side]
    assert plan.changed_since(HERE, planned) == ()
    assert f"mount-{side}" in {job.id for job in now.jobs}


def test_jobs_are_undone_last_first_whatever_they_are_called(planned: int) -> None:
    tom = drum_of(planned, "tom")
    for job_id in ("as-found", "inspect", "place"):
        bench.finish_job(HERE, planned, tom.id, job_id)
    undone = [undo(HERE, planned, tom.id) for _ in range(3)]
    assert undone == [f"“{name}” is open again" for name in ("place", "inspect", "as found")]


def test_readings_and_turns_are_undone_in_order(planned: int) -> None:
    drum = drum_of(planned, "tom")
    goal = at(planned, drum).heads["batter"].goal_hz
    pitches = [0.9 * goal + i for i in range(drum.owned.rods)]
    assert bench.type_readings(HERE, planned, drum.id, "batter", pitches) == drum.owned.rods
    before = at(planned, drum).heads["batter"]
    assert before.hz == pytest.approx(0.9 * goal, rel=0.03)
    assert before.advice is not None
    first, *rest = before.advice.order
    bench.turned(HERE, planned, drum.id, "batter", [first])
    assert at(planned, drum).heads["batter"].turning.left == rest  # type: ignore[union-attr]
    bench.turned(HERE, planned, drum.id, "batter")
    turned = at(planned, drum).heads["batter"]
    assert turned.turning is None
    assert len(turned.unread) == drum.owned.rods
    assert turned.rounds == 1
    for _ in before.advice.order:
        assert "to turn again" in undo(HERE, planned, drum.id)
    again = at(planned, drum).heads["batter"]
    assert again.advice == before.advice
    assert "readings removed" in undo(HERE, planned, drum.id)
    assert at(planned, drum).heads["batter"].hz is None
    with pytest.raises(InputError, match="nothing to undo"):
        undo(HERE, planned, drum.id)


def test_a_round_said_to_be_done_twice_counts_once(planned: int) -> None:
    drum = drum_of(planned, "tom")
    goal = at(planned, drum).heads["batter"].goal_hz
    bench.type_readings(HERE, planned, drum.id, "batter", [0.8 * goal] * drum.owned.rods)

    def all_turned(_: int) -> bool:
        try:
            bench.turned(HERE, planned, drum.id, "batter")
        except InputError:
            return False
        return True

    with ThreadPoolExecutor(4) as presses:
        assert sum(presses.map(all_turned, range(4))) == 1
    assert at(planned, drum).heads["batter"].rounds == 1
    with pytest.raises(InputError, match="Tap it first"):
        bench.turned(HERE, planned, drum.id, "batter", [0])


def test_turns_that_were_not_made_do_not_count_when_taps_come(planned: int) -> None:
    drum = drum_of(planned, "tom")
    goal = at(planned, drum).heads["batter"].goal_hz
    bench.type_readings(HERE, planned, drum.id, "batter", [0.9 * goal] * drum.owned.rods)
    found = at(planned, drum).heads["batter"].advice
    assert found is not None
    bench.turned(HERE, planned, drum.id, "batter", [found.order[0]])
    bench.type_readings(HERE, planned, drum.id, "batter", [0.92 * goal])
    made = at(planned, drum).setup.document["turned"]["batter"]
    assert [rod for rod, turns in enumerate(made) if turns] == [found.order[0]]


def test_a_stroke_teaches_the_drum_and_moves_what_is_left_of_the_plan(planned: int) -> None:
    drum = drum_of(planned, "tom")
    room = DrumInTheRoom(at(planned, drum), 5)
    before = work(planned, drum, room, until="listen")
    model_of = room.hidden.drum
    # A drum that is not what it is said to be: at the same lug pitches it sounds higher.
    room.hidden.drum = replace(model_of, depth_m=0.7 * model_of.depth_m)
    assert before.pitch == before.before
    hz = read_stroke(HERE, planned, drum.id, room.strike())
    after = at(planned, drum)
    assert after.measured is not None
    assert after.measured.hz == pytest.approx(hz)
    assert after.pitch.sd_cents < min(30.0, 0.6 * after.before.sd_cents)
    lugs = [float(np.mean(room.hidden.rod_pitches_hz(side))) for side in ("batter", "reso")]
    own = cents(hz, predict(model_of, *lugs).drum_pitch.value)
    assert own > 15.0
    # The prior of toms holds one stroke back.
    assert 0.5 * own < after.offset_cents < own + 10.0
    assert after.heads["batter"].goal_hz < before.heads["batter"].goal_hz


def test_a_stroke_on_a_drum_that_has_slipped_says_so(planned: int) -> None:
    drum = drum_of(planned, "tom")
    room = DrumInTheRoom(at(planned, drum), 5)
    work(planned, drum, room, until="listen")
    for side in room.hidden.tensions:
        room.hidden.tensions[side] *= 0.86
    read_stroke(HERE, planned, drum.id, room.strike())
    causes = at(planned, drum).causes
    assert "off-note" in [c.id for c in causes]
    assert causes[0].numbers["ct"] < 0.0


def test_a_stroke_of_another_drum_is_not_taken(planned: int) -> None:
    tom, kick = drum_of(planned, "tom"), drum_of(planned, "kick")
    room = DrumInTheRoom(at(planned, tom), 5)
    work(planned, tom, room, until="listen")
    with pytest.raises(BadAudioError, match="heads tapped at these pitches give"):
        read_stroke(HERE, planned, tom.id, DrumInTheRoom(at(planned, kick), 2).strike())


def test_more_taps_than_rods_are_refused_and_nothing_is_kept(planned: int) -> None:
    drum = drum_of(planned, "tom")
    room = DrumInTheRoom(at(planned, drum), 4)
    rods = tuple(range(drum.owned.rods))
    with pytest.raises(InputError, match="Tap once next to each rod"):
        read_clip(HERE, planned, drum.id, "batter", room.taps("batter", (*rods, 0)))
    assert len(at(planned, drum).heads["batter"].unread) == drum.owned.rods


def test_taps_of_an_unknown_head_are_kept_as_soon_as_others_explain_them(
    client: TestClient, planned: int
) -> None:
    drum = drum_of(planned, "tom")
    address = f"/sessions/{planned}/bench"
    clips, true = separate("close modes", 2)
    files: list[tuple[str, tuple[str, bytes]]] = []
    for rod, clip in enumerate(clips[:3]):
        files.append(("file", ("tap.wav", wav_bytes(0.3 * clip, RATE))))
        data = {"side": "batter", "rod": [str(r) for r in range(rod + 1)]}
        answer = client.post(f"{address}/{drum.id}/tap", data=data, files=files).json()
        assert answer["read"] == (rod == 2)
        if rod < 2:
            assert (
                answer["says"]
                == f"Rod {rod + 1}: tap recorded. Its pitch will come with the next taps."
            )
            tapped = ".".join(str(r) for r in range(rod + 1))
            page = client.get(f"{address}?sel=d{drum.id}&tapped={tapped}").text
            assert f'data-rod="{rod + 1}"' in page, "on to the next rod"
    read = at(planned, drum).heads["batter"].readings[:3]
    told = [reading.hz for reading in read if reading is not None]
    assert told == pytest.approx(true[:3], rel=0.005)
    data = {"side": "batter", "rod": ["0", "1"]}
    refused = client.post(f"{address}/{drum.id}/tap", data=data, files=files)
    assert refused.status_code == 422
    assert "Each tap needs its rod" in refused.text


@pytest.mark.parametrize(
    ("pitches", "says"),
    [([None] * 6, "one rod at least"), ([9000.0], "Lug pitch"), ([200.0] * 20, "rods 1 to")],
)
def test_wrong_pitches_are_named(planned: int, pitches: list[float | None], says: str) -> None:
    drum = drum_of(planned, "tom")
    with pytest.raises(InputError, match=says):
        bench.type_readings(HERE, planned, drum.id, "batter", pitches)


def test_a_drum_that_is_not_planned_says_so(database: None) -> None:
    session = start_session(HERE, SessionBrief("Low Ferry")).id
    drum = add_drum(HERE, session, OWNED_TOM)
    with pytest.raises(InputError, match="Plan the kit first"):
        at(session, drum)


def test_two_people_work_on_two_drums_at_once(planned: int) -> None:
    drums = [drum_of(planned, "tom"), drum_of(planned, "kick")]

    def read(drum: KitDrum) -> int:
        for rod in range(drum.owned.rods):
            pitch: list[float | None] = [None] * drum.owned.rods
            pitch[rod] = 100.0
            bench.type_readings(HERE, planned, drum.id, "batter", pitch)
        return drum.owned.rods

    with ThreadPoolExecutor(4) as people:
        assert sum(people.map(read, drums)) == sum(d.owned.rods for d in drums)
    for drum in drums:
        assert at(planned, drum).heads["batter"].unread == ()


def test_the_goal_sounds_like_a_tap_at_the_goal(planned: int) -> None:
    drum = drum_of(planned, "tom")
    audio = decode(goal_sound(HERE, planned, drum.id, "reso")).audio
    spectrum = np.abs(np.fft.rfft(audio.samples[:, 0]))
    hz = np.fft.rfftfreq(len(audio.samples), 1.0 / audio.sample_rate_hz)
    goal = at(planned, drum).heads["reso"].goal_hz
    near = (hz > 0.8 * goal) & (hz < 1.25 * goal)
    assert hz[near][np.argmax(spectrum[near])] == pytest.approx(goal, rel=0.01)


def test_a_pair_of_kicks_is_told_how_far_apart_it_is(planned: int) -> None:
    first = drum_of(planned, "kick")
    second = copy_drum(HERE, planned, first.id)
    change_drum(HERE, planned, second.id, second.owned, second_for=first.voice or "")
    plan.plan_kit(HERE, planned)
    bench.keep_stroke(HERE, planned, first.id, 58.0, 0.2)
    assert bench.bench(HERE, planned, second.id).pair == ((first.owned.name, 58.0),)
    assert bench.bench(HERE, planned, first.id).pair == ()


def test_a_drum_left_off_its_goal_is_not_tuned_though_every_job_is_done(planned: int) -> None:
    drum = drum_of(planned, "tom")
    goal = at(planned, drum).heads["batter"].goal_hz
    low = [goal * 2.0 ** (-277.0 / 1200.0)] * drum.owned.rods
    bench.type_readings(HERE, planned, drum.id, "batter", low)
    while (job := at(planned, drum).job) is not None:
        bench.finish_job(HERE, planned, drum.id, job.id)
    shown = workspace(HERE, planned, with_plan=False)
    assert drum.id not in shown.tuned
    assert shown.left[drum.id]["batter"].off_cents == pytest.approx(-277.0, abs=10.0)
    assert {d.name for d in home(HERE)[0].drums if d.how == "tuned"} == set()

    page = bench_page(at(planned, drum), load(HERE, planned, "bench", f"d{drum.id}")[1])
    left = f"left at {low[0]:.0f} Hz, 27"
    assert page.big == "Not tuned yet."
    assert any(row.left.startswith(left) and row.left.endswith("ct low") for row in page.rows)
    assert page.then.startswith(f"Batter {left}")

    right = [goal] * drum.owned.rods
    bench.type_readings(HERE, planned, drum.id, "batter", right)
    assert drum.id in workspace(HERE, planned, with_plan=False).tuned
