"""Match: takes measured with their setup, moves made, the way back gone."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import BadAudioError, InputError, NotFoundError
from emblar.core.matching.differences import Comparison, Difference
from emblar.core.matching.fair_pair import loudness_lufs
from emblar.core.planning.kit import model
from emblar.core.quantities import Measured
from emblar.core.synthesis.practice import practice_drum
from emblar.platform.sound.decode import decode
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions import way_back
from emblar.steps.bench.actions.way_back import go_back, to_the_plan, way_to
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.listen.actions.recordings import run_analysis
from emblar.steps.match.actions import comparison as match
from emblar.steps.match.actions.sound import pair_sounds, song_sounds
from emblar.steps.match.page.comparison import match_title
from tests.recordings import RATE


def drum_of(session: int, kind: str) -> KitDrum:
    return next(d for d in kit(HERE, session) if d.owned.kind == kind)


def a_take(session: int, drum: KitDrum, *, off_cents: float = 0.0, seed: int = 1) -> bytes:
    """Return strokes on the drum at the plan's lug pitches, or so many cents off them."""
    now = bench.bench(HERE, session, drum.id)
    higher = 2.0 ** (off_cents / 1200.0)
    lugs = {side: head.planned_hz * higher for side, head in now.heads.items()}
    made = {side: head.made for side, head in now.heads.items()}
    hidden = practice_drum(
        model(SHIPPED, drum.owned, batter=made["batter"], reso=made.get("reso")),
        lugs["batter"],
        lugs.get("reso"),
        uneven=0.0,
        seed=seed,
    )
    forces = (0.5, 0.8, 1.0, 1.2)
    sound = np.concatenate([hidden.strike(force=f, rate=RATE, seconds=1.6) for f in forces])
    return wav_bytes(0.7 * sound / np.abs(sound).max(), RATE)


def taken(session: int, drum: KitDrum, data: bytes) -> int:
    info = match.bring_take(HERE, session, drum.id, "take.wav", data)
    run_analysis(info.id)
    return info.id


def test_a_take_is_measured_and_held_against_the_record(planned: int) -> None:
    drum = drum_of(planned, "tom")
    before = match.match(HERE, planned, drum.id)
    assert before.shown is None
    assert before.moves == ()
    take = taken(planned, drum, a_take(planned, drum, off_cents=-120.0))
    found = match.match(HERE, planned, drum.id)
    assert found.shown is not None
    assert found.shown.info.id == take
    assert found.shown.comparison is not None
    assert -14.0 < found.shown.comparison.differences["pitch"].steps < -4.0
    assert found.moves[0].kind == "turn"
    assert "+" in found.moves[0].what
    assert found.analysed.recording.id != take


def test_a_take_sent_twice_is_one_take(planned: int) -> None:
    drum = drum_of(planned, "tom")
    data = a_take(planned, drum)

    def sent(_: int) -> int:
        return match.bring_take(HERE, planned, drum.id, "take.wav", data).id

    with ThreadPoolExecutor(4) as sending:
        assert len(set(sending.map(sent, range(4)))) == 1
    assert len(match.match(HERE, planned, drum.id).takes) == 1
    match.note_change(HERE, planned, drum.id, "damper", "gel-pad")
    sent(0)
    assert len(match.match(HERE, planned, drum.id).takes) == 2, "of another setup it is another"


def test_a_take_is_no_file_of_the_record(planned: int) -> None:
    drum = drum_of(planned, "tom")
    before = match.match(HERE, planned, drum.id).analysed
    taken(planned, drum, a_take(planned, drum))
    after = match.match(HERE, planned, drum.id).analysed
    assert after.recording.id == before.recording.id
    assert [f.id for f in after.files] == [f.id for f in before.files]


def test_a_move_is_kept_and_the_way_back_undoes_it(planned: int) -> None:
    drum = drum_of(planned, "tom")
    taken(planned, drum, a_take(planned, drum, off_cents=-120.0))
    first = match.match(HERE, planned, drum.id)
    move = first.moves[0]
    match.make_move(HERE, planned, drum.id, move.kind, move.what)
    second = match.match(HERE, planned, drum.id)
    assert second.bench.setup.id != first.bench.setup.id
    assert second.bench.setup.parent_id == first.bench.setup.id
    way = way_to(HERE, planned, drum.id, first.bench.setup.id)
    assert way.turns
    assert all(rod.up > 0.0 for rods in way.turns.values() for rod in rods)
    go_back(HERE, planned, drum.id, first.bench.setup.id)
    assert way_to(HERE, planned, drum.id, first.bench.setup.id).nothing
    with pytest.raises(InputError, match="not offered any more"):
        match.make_move(HERE, planned, drum.id, "damper", "nothing-such")
    with pytest.raises(NotFoundError):
        way_to(HERE, planned, drum.id, 99_999)


def _read(planned: int, drum: KitDrum, off: float) -> float:
    """Read the batter even all round, some cents from the plan's pitch; return it."""
    hz = bench.bench(HERE, planned, drum.id).heads["batter"].planned_hz * 2.0 ** (off / 1200.0)
    bench.type_readings(HERE, planned, drum.id, "batter", [hz] * drum.owned.rods)
    return hz


def test_on_the_way_back_bench_goes_for_what_the_heads_stood_at(planned: int) -> None:
    drum = drum_of(planned, "tom")
    stood = _read(planned, drum, -60.0)
    taken(planned, drum, a_take(planned, drum, off_cents=-60.0))
    there = bench.bench(HERE, planned, drum.id).setup.id
    bench.turned(HERE, planned, drum.id, "batter")
    _read(planned, drum, 0.0)
    taken(planned, drum, a_take(planned, drum, seed=2))
    here = bench.bench(HERE, planned, drum.id).setup.id
    way = go_back(HERE, planned, drum.id, there)
    assert way.pitches["batter"] == pytest.approx(stood, rel=0.003)
    assert way.minutes >= 3.0
    now = bench.bench(HERE, planned, drum.id)
    assert now.job is not None
    assert now.job.id == "even-batter"
    assert now.heads["batter"].goal_hz == pytest.approx(way.pitches["batter"])
    assert now.heads["reso"].goal_hz == pytest.approx(now.heads["reso"].planned_hz, rel=0.05)
    # From the one to the other and back is the same way, the other way round.
    out, home = (way_to(HERE, planned, drum.id, b, a) for a, b in ((there, here), (here, there)))
    turned = [{t.rod: t.up - t.down for t in found.turns["batter"]} for found in (out, home)]
    assert turned[0] == pytest.approx({rod: -t for rod, t in turned[1].items()})
    taken(planned, drum, a_take(planned, drum, off_cents=-60.0, seed=3))
    last = match.match(HERE, planned, drum.id).takes[-1]
    assert last.setup is not None
    assert last.setup.back_to == there
    to_the_plan(HERE, planned, drum.id)
    again = bench.bench(HERE, planned, drum.id)
    assert again.back_to is None
    assert again.heads["batter"].goal_hz > stood


def test_a_way_back_is_kept_whole_or_not_at_all(
    planned: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    drum = drum_of(planned, "tom")
    match.note_change(HERE, planned, drum.id, "damper", "gel-pad")
    first = bench.bench(HERE, planned, drum.id).setup
    match.note_change(HERE, planned, drum.id, "damper", "gel-pad")
    before = bench.bench(HERE, planned, drum.id).setup

    def pulled(*_: object) -> None:
        raise RuntimeError("the plug was pulled")

    monkeypatch.setattr(way_back, "change_work", pulled)
    with pytest.raises(RuntimeError, match="plug"):
        go_back(HERE, planned, drum.id, first.id)
    assert bench.bench(HERE, planned, drum.id).setup == before


def test_each_take_belongs_to_the_setup_it_was_made_in(planned: int) -> None:
    drum = drum_of(planned, "snare")
    taken(planned, drum, a_take(planned, drum))
    goal = bench.bench(HERE, planned, drum.id).heads["batter"].goal_hz
    bench.type_readings(HERE, planned, drum.id, "batter", [0.9 * goal] * drum.owned.rods)
    bench.turned(HERE, planned, drum.id, "batter")
    taken(planned, drum, a_take(planned, drum, off_cents=30.0, seed=2))
    takes = match.match(HERE, planned, drum.id).takes
    assert takes[0].info.setup_id != takes[1].info.setup_id
    assert [t.number for t in takes] == [1, 2]


def test_record_and_take_are_heard_equally_loud(planned: int) -> None:
    drum = drum_of(planned, "snare")
    taken(planned, drum, a_take(planned, drum))
    record, take = (
        decode(data).audio.samples[:, 0].astype(np.float64)
        for data in pair_sounds(HERE, planned, drum.id)
    )
    assert len(record) == len(take)
    apart = loudness_lufs(record, ANALYSIS_RATE_HZ) - loudness_lufs(take, ANALYSIS_RATE_HZ)
    assert abs(apart) < 0.5
    assert max(np.abs(record).max(), np.abs(take).max()) < 0.95


def test_our_strokes_stand_where_the_records_do(planned: int) -> None:
    drum = drum_of(planned, "snare")
    taken(planned, drum, a_take(planned, drum))
    whole, ours = (decode(data).audio.samples[:, 0] for data in song_sounds(HERE, planned, drum.id))
    assert len(whole) == len(ours)
    assert 0.05 < np.abs(ours).max() <= 0.96


def test_a_removed_take_comes_back(planned: int) -> None:
    drum = drum_of(planned, "tom")
    take = taken(planned, drum, a_take(planned, drum))
    match.take_away(HERE, planned, drum.id, take)
    assert match.match(HERE, planned, drum.id).takes == ()
    match.bring_take_back(HERE, planned, drum.id, take)
    assert len(match.match(HERE, planned, drum.id).takes) == 1
    with pytest.raises(NotFoundError):
        match.take_away(HERE, planned, drum_of(planned, "kick").id, take)


def test_what_cannot_be_compared_says_so(planned: int) -> None:
    drum = drum_of(planned, "tom")
    with pytest.raises(BadAudioError):
        match.bring_take(HERE, planned, drum.id, "x.wav", b"not a sound")
    with pytest.raises(InputError, match="No take yet"):
        pair_sounds(HERE, planned, drum.id)


def test_a_change_of_ones_own_belongs_to_the_next_take_and_is_undone_by_the_same_press(
    planned: int,
) -> None:
    tom = drum_of(planned, "tom")
    match.note_change(HERE, planned, tom.id, "damper", "gel-pad")
    match.note_change(HERE, planned, tom.id, "striker", "stick-heavy")
    found = match.match(HERE, planned, tom.id).setup
    assert "gel-pad" in found.dampers
    assert found.striker == "stick-heavy"
    first = bench.bench(HERE, planned, tom.id).setup
    match.note_change(HERE, planned, tom.id, "damper", "gel-pad")
    assert "gel-pad" not in match.match(HERE, planned, tom.id).setup.dampers
    assert way_to(HERE, planned, tom.id, first.id).damp == ("gel-pad",)


@pytest.mark.parametrize(
    ("kind", "what"),
    [
        ("damper", "pillow-batter"),
        ("damper", "brick"),
        ("wires", "loose"),
        ("head", "double-clear"),
        ("", ""),
        ("striker", "beater-felt"),
    ],
)
def test_what_cannot_be_on_this_drum_is_refused(planned: int, kind: str, what: str) -> None:
    tom = drum_of(planned, "tom")
    with pytest.raises(InputError, match="nothing that can be changed"):
        match.note_change(HERE, planned, tom.id, kind, what)


def test_several_microphones_are_takes_of_one_setup_or_none_is_kept(planned: int) -> None:
    tom = drum_of(planned, "tom")
    sound = a_take(planned, tom)
    kept = match.bring_takes(HERE, planned, tom.id, [("in.wav", sound), ("out.wav", sound)])
    for info in kept:
        run_analysis(info.id)
    takes = match.match(HERE, planned, tom.id).takes
    assert [t.info.filename for t in takes] == ["in.wav", "out.wav"]
    assert takes[0].setup == takes[1].setup
    with pytest.raises(BadAudioError, match=r"bad\.wav: .*None of them was kept"):
        match.bring_takes(HERE, planned, tom.id, [("ok.wav", sound), ("bad.wav", b"no sound")])
    assert len(match.match(HERE, planned, tom.id).takes) == 2
    with pytest.raises(InputError, match="1 to 8 files"):
        match.bring_takes(HERE, planned, tom.id, [])


def test_a_room_is_heard_on_the_take_alone(planned: int) -> None:
    tom = drum_of(planned, "tom")
    run_analysis(match.bring_take(HERE, planned, tom.id, "t.wav", a_take(planned, tom)).id)
    record, dry = pair_sounds(HERE, planned, tom.id)
    same, wet = pair_sounds(HERE, planned, tom.id, None, "large")
    # Both come down together where one would clip; the record is otherwise as it was.
    was, now = (decode(data).audio.samples[:, 0] for data in (record, same))
    assert np.corrcoef(was, now)[0, 1] > 0.9999
    one, other = (decode(data).audio.samples[:, 0] for data in (dry, wet))
    assert np.corrcoef(one, other)[0, 1] < 0.99, "the take is not"
    with pytest.raises(InputError, match="is no room"):
        pair_sounds(HERE, planned, tom.id, None, "cave")


def test_a_change_that_did_little_here_is_expected_to_do_little_again(planned: int) -> None:
    drum = drum_of(planned, "tom")
    taken(planned, drum, a_take(planned, drum, off_cents=-120.0))
    first = match.match(HERE, planned, drum.id)
    turn = first.moves[0]
    assert (turn.kind, turn.tried) == ("turn", 0)
    match.make_move(HERE, planned, drum.id, turn.kind, turn.what)
    # The key was turned, and the drum sounds as before.
    taken(planned, drum, a_take(planned, drum, off_cents=-120.0))
    again = next(m for m in match.match(HERE, planned, drum.id).moves if m.kind == "turn")
    assert again.tried == 1
    per_turn = [m.effect["pitch"] / float(m.what.split()[1]) for m in (turn, again)]
    assert 0.0 < per_turn[1] < 0.5 * per_turn[0]


def test_a_title_does_not_say_too_long_twice() -> None:
    value = Measured(1.0, 0.1, "s")
    differences = {
        name: Difference(name, value, value, steps, 0.2)
        for name, steps in (("sustain", 2.5), ("length", 4.0), ("attack", -2.5))
    }
    assert match_title("Rack 12", Comparison(differences, {})) == (
        "Rack 12: much too long and too soft"
    )
