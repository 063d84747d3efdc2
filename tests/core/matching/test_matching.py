"""Take against record: differences, fair pairs, moves and the way back."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.acoustics.forward import predict
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.matching.differences import Comparison, Difference, compare, score
from emblar.core.matching.fair_pair import LEAD_S, cut_strokes, fair_pair, loudness_lufs
from emblar.core.matching.in_context import over_rest, struck_again
from emblar.core.matching.moves import drum_of, effect_of, minutes_of, next_moves, turned
from emblar.core.matching.way_back import Node, way_between
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.target import Target, target_from_card
from emblar.core.quantities import Measured
from emblar.core.synthesis.stroke import drum_voice, render_stroke
from emblar.formats.comparison import moves_file
from emblar.formats.move_words import no_move_words
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

RATE = 44100
SNARE = OwnedDrum(
    "Snare 14", "snare", 14, 5.5, 10, "flanged", "maple-lacquer", "single-coated", "snare-side-thin"
)
SETUP = Setup("single-coated", "snare-side-thin", 330.0, 400.0, (), "stick-medium", "medium")


def strokes(setup: Setup = SETUP, *, gain: float = 0.5, seed: int = 1) -> np.ndarray:
    """Return four strokes on a drum as it is set up."""
    drum = model(
        SHIPPED, SNARE, dampers=setup.dampers, striker=setup.striker, wires_setting=setup.wires
    )
    voice = drum_voice(predict(drum, setup.batter_hz, setup.reso_hz), "snare")
    pieces = []
    for i in range(4):
        sound = render_stroke(
            voice,
            sample_rate_hz=RATE,
            force=1.0,
            rng=np.random.default_rng([seed, i]),
            length_s=1.4,
        )
        out = np.zeros(round(1.5 * RATE))
        out[2000 : 2000 + len(sound)] += sound[: len(out) - 2000]
        pieces.append(out)
    noise = 1e-4 * np.random.default_rng(seed).standard_normal(4 * len(pieces[0]))
    return gain * np.concatenate(pieces) + noise


def target(samples: np.ndarray, rate: int = RATE) -> Target:
    found = analyse(Audio(samples[:, None].astype(np.float32), rate), kind="drums", voice="snare")
    return target_from_card(next(v for v in found.voices if v.voice == "snare"))


@pytest.fixture(scope="module")
def usual() -> Target:
    return target(strokes())


def test_an_identical_take_differs_in_nothing(usual: Target) -> None:
    found = compare(usual, usual)
    assert len(found.differences) >= 7
    assert all(d.steps == 0.0 for d in found.differences.values())
    assert found.audible == ()
    assert found.apart == 0.0


@pytest.mark.parametrize("changed", ["6 dB softer", "inverted", "another rate"])
def test_the_same_drum_recorded_otherwise_differs_by_less_than_half_a_step(
    usual: Target, changed: str
) -> None:
    sound, rate = strokes(), RATE
    if changed == "6 dB softer":
        sound = strokes(gain=0.25)
    elif changed == "inverted":
        sound = -sound
    else:
        from scipy.signal import resample_poly  # noqa: PLC0415

        sound, rate = resample_poly(sound, 160, 147), 48000
    found = compare(usual, target(sound, rate))
    assert max(abs(d.steps) for d in found.differences.values()) < 0.5


def test_what_one_side_does_not_tell_is_left_out_with_its_reason(usual: Target) -> None:
    values = {n: q for n, q in usual.values.items() if n != "ring"}
    less = Target("snare", values, {"ring": "too short"})
    found = compare(usual, less)
    assert "ring" not in found.differences
    assert found.untold["ring"] == "take: too short"


def test_a_pair_is_equally_loud_starts_together_and_does_not_clip() -> None:
    quiet, loud = 0.05 * strokes(seed=2), np.clip(1.9 * strokes(seed=3), -1.0, 1.0)
    late = np.concatenate([np.zeros(777), loud])
    times = [2000 / RATE + 1.5 * i for i in range(4)]
    first = cut_strokes(quiet, RATE, times, [t + 1.4 for t in times])
    second = cut_strokes(late, RATE, [t + 777 / RATE for t in times], [t + 1.4 for t in times])
    a, b = fair_pair(first, second, RATE)
    assert abs(loudness_lufs(a, RATE) - loudness_lufs(b, RATE)) < 0.5
    assert max(np.abs(a).max(), np.abs(b).max()) < 0.9
    lag = int(np.argmax(np.correlate(a[:30000], b[:30000], "full"))) - 29999
    assert abs(lag) < RATE // 1000
    assert np.argmax(np.abs(a) > 0.2 * np.abs(a).max()) == pytest.approx(LEAD_S * RATE, abs=90)


def test_loudness_is_that_of_the_standards_own_example() -> None:
    # A sine of 997 Hz at full scale in one channel reads −3.01 LUFS.
    tone = np.sin(2.0 * np.pi * 997.0 * np.arange(5 * 48000) / 48000)
    assert loudness_lufs(tone, 48000) == pytest.approx(-3.01, abs=0.05)
    assert loudness_lufs(np.zeros(100), 48000) < -100.0


def test_strokes_in_the_song_have_its_times_and_levels_and_do_not_clip() -> None:
    stroke = np.zeros(20000)
    stroke[2205] = 1.0
    times, levels = [0.5, 1.0, 1.8], [-3.0, -9.0, -3.0]
    out = struck_again(stroke, 2205, RATE, times, levels, 3 * RATE)
    at = np.flatnonzero(np.abs(out) > 0.01)
    assert at.tolist() == [round(t * RATE) for t in times]
    assert 20 * math.log10(out[at[1]] / out[at[0]]) == pytest.approx(-6.0)
    rest = 0.9 * np.ones(3 * RATE)
    assert np.abs(over_rest(out, rest, 0.8)).max() <= 0.95


@pytest.mark.parametrize(
    ("changed", "kind", "what"),
    [
        ({"dampers": ("disc",)}, "undamp", "disc"),
        ({"wires": "loose"}, "wires", "medium"),
        ({"batter_hz": 300.0}, "turn", "+1"),
    ],
)
def test_the_change_that_was_made_is_found_again(
    usual: Target, changed: dict[str, object], kind: str, what: str
) -> None:
    other = replace(SETUP, **changed)  # type: ignore[arg-type]
    moves = next_moves(SHIPPED, SNARE, other, compare(usual, target(strokes(other))), heads=False)
    assert moves[0].kind == kind
    assert moves[0].what.endswith(what)
    assert all(m.gain > 0.0 and m.minutes > 0.0 and m.back for m in moves)


def test_a_drum_off_its_note_is_tuned_before_it_is_damped(usual: Target) -> None:
    low = replace(SETUP, batter_hz=310.0, dampers=("gel-pad",), wires="loose")
    moves = next_moves(SHIPPED, SNARE, low, compare(usual, target(strokes(low))), heads=False)
    kinds = [m.kind for m in moves]
    assert kinds[0] == "turn"
    assert set(kinds) > {"turn"}


def test_there_is_no_move_where_nothing_is_heard(usual: Target) -> None:
    assert next_moves(SHIPPED, SNARE, SETUP, compare(usual, usual)) == []


def test_a_rack_tom_is_not_offered_other_legs() -> None:
    tom = OwnedDrum(
        "Rack 10", "tom", 10, 7, 6, "flanged", "maple-lacquer", "double-coated", "single-thin-clear"
    )
    setup = Setup(tom.batter, tom.reso, 220.0, 220.0, (), "stick-medium", "medium")
    card = predicted_card(predict(model(SHIPPED, tom), 220.0, 220.0), "tom")
    take = Target("tom-1", dict(card), {})
    shorter = {
        n: replace(q, value=0.4 * q.value) if n in ("sustain", "length") else q
        for n, q in card.items()
    }
    moves = next_moves(
        SHIPPED, tom, setup, compare(Target("tom-1", shorter, {}), take), heads=False
    )
    assert moves
    assert not any(m.what.startswith("leg") for m in moves)


def test_a_turn_up_makes_the_note_higher_and_down_brings_it_back() -> None:
    up = turned(SHIPPED, SNARE, SETUP, "batter", 0.125)
    assert effect_of(SHIPPED, SNARE, SETUP, up)["pitch"] > 0.5
    again = turned(SHIPPED, SNARE, up, "batter", -0.125)
    assert again.batter_hz == pytest.approx(SETUP.batter_hz, rel=1e-6)


def test_far_off_in_one_quantity_does_not_hide_the_others() -> None:
    assert score({"bend": 40.0}) == score({"bend": 12.0})
    assert score({"bend": 40.0, "pitch": 3.0}) - score({"bend": 40.0}) == pytest.approx(2.5)
    assert score({"pitch": 0.4, "ring": -0.5}) == 0.0


TURN = st.lists(st.sampled_from([-0.25, -0.125, 0.0, 0.0625, 0.25]), min_size=6, max_size=6)


@settings(max_examples=40, deadline=None)
@given(turns=st.lists(TURN, min_size=1, max_size=10), data=st.data())
def test_the_way_back_undoes_every_turn_and_ends_upwards(
    turns: list[list[float]], data: st.DataObject
) -> None:
    heads = {"batter": "double-coated", "reso": "single-clear"}
    names = ["gel-pad", "tape-flag", "thin-ring"]
    journey = [Node(0, heads)]
    for i, row in enumerate(turns, start=1):
        on = frozenset(data.draw(st.sets(st.sampled_from(names))))
        journey.append(Node(i, heads, {"batter": row}, dampers=on))
    there = data.draw(st.integers(0, len(turns)))
    way = way_between(journey, len(turns), there)
    undone = np.zeros(6)
    for rod in way.turns.get("batter", ()):
        assert rod.up > 0.0
        undone[rod.rod] = rod.up - rod.down
    made = np.sum([journey[i].turned["batter"] for i in range(there + 1, len(journey))], axis=0)
    assert np.allclose(undone + made, 0.0)
    assert (journey[-1].dampers | set(way.damp)) - set(way.undamp) == journey[there].dampers


def test_a_head_that_was_exchanged_is_brought_up_anew() -> None:
    old, new = {"batter": "double-coated"}, {"batter": "single-clear"}
    journey = [
        Node(0, old),
        Node(1, old, {"batter": [0.25] * 6}),
        Node(2, new, slack=frozenset({"batter"})),
    ]
    way = way_between(journey, 2, 1)
    assert (way.fit, way.refit, way.turns) == ({"batter": "double-coated"}, ("batter",), {})
    assert way_between(journey, 1, 1).nothing


@pytest.mark.parametrize("share", [0.5, 0.75, 1.35, 1.8])
@pytest.mark.parametrize("kind", ["tom", "snare", "kick"])
def test_a_pitch_that_is_far_off_is_answered_by_a_turn_towards_it(kind: str, share: float) -> None:
    owned = {"tom": OWNED_TOM, "snare": OWNED_SNARE, "kick": OWNED_KICK}[kind]
    lugs = {"tom": (160.0, 160.0), "snare": (300.0, 340.0), "kick": (70.0, 80.0)}[kind]
    striker = SHIPPED.strikers_for(owned.kind)[0].id
    setup = Setup(owned.batter, owned.reso, *lugs, (), striker, "medium")
    card = predicted_card(predict(drum_of(SHIPPED, owned, setup), *lugs), owned.kind)
    wanted = dict(card)
    wanted["pitch"] = replace(card["pitch"], value=share * card["pitch"].value)
    moves = next_moves(
        SHIPPED, owned, setup, compare(Target(kind, wanted, {}), Target(kind, dict(card), {}))
    )
    assert moves[0].kind == "turn"
    assert moves[0].effect["pitch"] * (share - 1.0) > 0.0


def test_a_drum_that_rings_far_too_long_is_answered_by_a_damper() -> None:
    setup = Setup(
        OWNED_TOM.batter,
        OWNED_TOM.reso,
        160.0,
        160.0,
        (),
        SHIPPED.strikers_for("tom")[0].id,
        "medium",
    )
    card = predicted_card(predict(drum_of(SHIPPED, OWNED_TOM, setup), 160.0, 160.0), "tom")
    wanted = {
        n: replace(q, value=0.1 * q.value) if n in ("sustain", "length") else q
        for n, q in card.items()
    }
    found = compare(Target("tom-1", wanted, {}), Target("tom-1", dict(card), {}))
    assert {move.kind for move in next_moves(SHIPPED, OWNED_TOM, setup, found)} & {"damper", "head"}


def test_where_no_change_helps_the_largest_difference_is_named() -> None:
    record = Target("tom-1", {"sustain": Measured(5.0, 0.1, "s")}, {})
    take = Target("tom-1", {"sustain": Measured(0.5, 0.05, "s")}, {})
    said = no_move_words(compare(record, take))
    assert said.startswith("The largest difference is sustain: ")
    assert "more than a single change can mend" in said


def test_two_changes_are_offered_where_neither_helps_alone() -> None:
    setup = Setup(OWNED_TOM.batter, OWNED_TOM.reso, 160.0, 160.0, (), "stick-medium", "medium")
    card = predicted_card(predict(drum_of(SHIPPED, OWNED_TOM, setup), 160.0, 160.0), "tom")
    apart = {"pitch": 0.3, "bend": -0.4, "length": 0.4, "attack": 1.8, "click": 2.5}
    apart |= {"body": 0.4, "ring": -0.4}
    found = Comparison(
        {name: Difference(name, card[name], card[name], s, 0.3) for name, s in apart.items()}, {}
    )
    move = next_moves(SHIPPED, OWNED_TOM, setup, found)[0]
    assert (move.kind, move.what, move.then) == ("turn", "batter -0.125", ("turn", "reso +0.125"))
    loosened = turned(SHIPPED, OWNED_TOM, setup, "batter", -0.125)
    both = turned(SHIPPED, OWNED_TOM, loosened, "reso", 0.125)
    assert move.setup == loosened

    def after(changed: Setup) -> float:
        effect = effect_of(SHIPPED, OWNED_TOM, setup, changed)
        return score({name: s + effect[name] for name, s in apart.items()})

    alone = min(after(loosened), after(turned(SHIPPED, OWNED_TOM, setup, "reso", 0.125)))
    assert after(both) == pytest.approx(score(apart) - move.gain, abs=0.2)
    assert after(both) < min(alone, score(apart)) - 0.5
    assert move.minutes == 2.0 * minutes_of("turn")
    file = moves_file([move], found).moves[0].then
    assert file is not None
    assert (file.kind, file.what) == move.then
    without = next_moves(SHIPPED, OWNED_TOM, setup, found, have=frozenset())
    assert all(m.kind != "damper" for m in without)
