"""What a tech would laugh at is not planned: dampers on toms, wires, far-off heads, what is seldom
done; and what practitioners reach for can be reached."""

import re
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from bench.independent import SITUATIONS, read
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.limits import safe_range
from emblar.core.catalogue import (
    SHIPPED,
)
from emblar.core.drum import Setup, Wish
from emblar.core.errors import NoSolutionError
from emblar.core.planning.alike import alike_toms, family
from emblar.core.planning.brief import Brief
from emblar.core.planning.kit import OwnedDrum, model, wearing
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.sentence import against_record, interval_words, plan_sentence
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weighed
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM


def target(voice: str, **values: float) -> Target:
    told = {n: Measured(v, 0.04 * abs(v), steps()[n].unit) for n, v in values.items()}
    return Target(voice, told, {})


@pytest.mark.parametrize("number", range(len(SITUATIONS)), ids=[s.name for s in SITUATIONS])
def test_nothing_to_laugh_at_in_a_plan_for_a_drum_our_model_did_not_render(number: int) -> None:
    found = read(number)
    assert found.laughs == (), found.sentence


def _row(voice: str, on_it: tuple[str, ...], score: float) -> Weighed:
    recipe = Setup("double-clear", "single-clear", 200.0, 200.0, on_it, "stick-medium", "medium")
    return Weighed(0, voice, recipe, {"pitch": 120.0}, {}, {"distance": score}, 10.0, (), False, ())


@pytest.mark.parametrize(("worse", "alike"), [(0.5, True), (4.0, False)])
def test_toms_wear_one_kind_of_damper_unless_two_bring_a_clear_step(
    worse: float, alike: bool
) -> None:
    chosen = {
        "tom-1": _row("tom-1", ("gel-pad",), 5.0),
        "tom-2": _row("tom-2", ("tape-flag",), 5.0),
        "tom-3": _row("tom-3", (), 5.0),
        "snare": _row("snare", ("thin-ring",), 5.0),
    }

    def weigh(name: str, recipes: Sequence[Setup]) -> list[Weighed | None]:
        return [_row(name, r.dampers, 5.0 + worse) for r in recipes]

    found = alike_toms(SHIPPED, chosen, weigh)
    worn = {family(SHIPPED, r.setup.dampers) for r in found.values() if r.voice.startswith("tom")}
    assert (len(worn - {frozenset()}) == 1) == alike
    assert found["tom-3"].setup.dampers == (), "a tom that needs none stays bare"
    assert found["snare"] == chosen["snare"]


@pytest.mark.parametrize("wires", [-4.0, 0.0, 3.0])
def test_wires_stay_at_medium_unless_the_record_is_clear(wires: float) -> None:
    asked = target("snare", pitch=190.0, length=0.13, click=4800.0, wires=wires)
    plan = plan_drum(SHIPPED, OWNED_SNARE, asked, Wish(), brief=Brief(budget_heads=0))
    medium = plan_drum(
        SHIPPED, OWNED_SNARE, asked, Wish(wires="medium"), brief=Brief(budget_heads=0)
    )
    if plan.setup.wires != "medium":
        off = medium.weighed.apart["wires"]
        assert abs(off) >= 4.0
        assert plan.setup.wires == ("tight" if off > 0.0 else "loose")


def test_everything_that_practitioners_reach_for_can_be_reached() -> None:
    kick, snare, tom = ({d.id for d in SHIPPED.dampers_for(k)} for k in ("kick", "snare", "tom"))
    assert {
        "patch",
        "gel-pad-kick",
        "tape-flag-kick",
        "tissue-front",
        "stuffed",
        "towel",
        "sand-can",
        "foam-lining",
        "pad-batter",
        "alternate-lugs",
    } <= kick
    assert {"tape-flag-snare-side", "eased-lug", "two-lugs-down", "tape-both"} <= snare
    assert {
        "cotton-two",
        "cotton-four",
        "cotton-eight",
        "cotton-twelve",
        "gel-pad",
        "two-gel-pads",
        "three-gel-pads",
        "tape-both",
        "eased-lug",
    } <= tom
    resos = {c.id for c in SHIPPED.constructions_for("tom", "reso")}
    batters = {c.id for c in SHIPPED.constructions_for("tom", "batter")}
    assert "double-reso-clear" in resos
    assert {"double-dot-clear", "double-vented-coated"} <= batters
    assert SHIPPED.constructions["front-ported-opaque"].hole_in == 5.0
    assert {"beater-felt-taped", "beater-wood-pad"} <= {s.id for s in SHIPPED.strikers_for("kick")}
    for name in (*kick, *snare, *tom):
        owned = next(
            o
            for o in (OWNED_KICK, OWNED_SNARE, replace(OWNED_TOM, diameter_in=16, depth_in=16))
            if o.kind in SHIPPED.damper(name).kinds
        )
        asked = target("x", pitch={"kick": 56.0, "snare": 190.0, "tom": 78.0}[owned.kind])
        plan = plan_drum(SHIPPED, owned, asked, Wish(dampers=(name,)), thorough=False)
        assert plan.setup.dampers == (name,)


def test_a_hole_in_the_shell_is_part_of_the_drum() -> None:
    dried = replace(OWNED_KICK, port_in=None, shell_hole_in=4.0)
    closed = replace(OWNED_KICK, port_in=None)
    whole, holed = (predict(model(SHIPPED, d), 80.0, 90.0).sustain.value for d in (closed, dried))
    assert holed < whole


def test_the_doubt_of_a_pitch_is_least_of_toms_and_most_of_kicks() -> None:
    def doubt(owned: OwnedDrum, batter: float, reso: float) -> float:
        return predict(model(SHIPPED, owned), batter, reso).drum_pitch_sd_cents

    tom, kick = doubt(OWNED_TOM, 200.0, 220.0), doubt(OWNED_KICK, 80.0, 90.0)
    low, high = doubt(OWNED_SNARE, 250.0, 300.0), doubt(OWNED_SNARE, 420.0, 480.0)
    assert tom < 60.0 < kick
    assert tom < low < high


def test_a_plan_is_said_in_one_sentence() -> None:
    said = plan_sentence(
        SHIPPED,
        "tom",
        batter="double-coated",
        reso="single-clear",
        port_in=None,
        semitones=4.0,
        dampers=("gel-pad",),
        pitch_hz=132.4,
        apart={"sustain": 1.4, "length": 0.8, "pitch": 0.0},
    )
    assert said == (
        "Coated double ply over clear single ply, reso a third above the batter, gel pad near the "
        "edge: 132 Hz, a little longer than the record."
    )
    kick = plan_sentence(
        SHIPPED,
        "kick",
        batter="single-clear",
        reso=None,
        port_in=None,
        semitones=0.0,
        dampers=(),
        pitch_hz=55.0,
        apart={},
    )
    assert kick.startswith("Clear single ply, no front head, nothing on it: 55 Hz")
    assert against_record({"click": 0.2, "ring": -0.9}) == "as on the record"
    assert against_record({"click": -5.0, "ring": 2.5}) == (
        "much darker and with more ring than the record"
    )


@pytest.mark.parametrize("row", SHIPPED.constructions.values(), ids=lambda c: c.id)
def test_every_head_of_the_catalogue_can_be_said(row: object) -> None:
    assert getattr(row, "spoken", ""), "a head is said by how it is made"


def test_how_far_off_is_said_as_an_interval() -> None:
    assert interval_words(-398.0) == "a third too low"
    assert interval_words(240.0) == "about a tone too high"
    assert interval_words(30.0) == "30 ct too high"
    assert interval_words(-1590.0) == "an octave and a third too low"


@pytest.mark.parametrize("owned", [OWNED_TOM, OWNED_SNARE, OWNED_KICK], ids=lambda o: o.kind)
def test_one_tuning_has_other_sounds_without_a_key(owned: OwnedDrum) -> None:
    pitch = {"kick": 56.0, "snare": 190.0, "tom": 125.0}[owned.kind]
    asked = target("tom-1" if owned.kind == "tom" else owned.kind, pitch=pitch, length=0.2)
    plan = plan_drum(SHIPPED, owned, asked, Wish(), thorough=False)
    assert plan.sounds
    lengths = {s.name: s.weighed.card["length"] for s in plan.sounds}
    for sound in plan.sounds:
        recipe = sound.weighed.setup
        same = replace(recipe, dampers=plan.setup.dampers, batter_hz=0.0, reso_hz=None)
        assert same == replace(plan.setup, batter_hz=0.0, reso_hz=None)
        assert recipe.batter_hz == pytest.approx(plan.setup.batter_hz, rel=0.02)
    if "more open" in lengths:
        assert lengths["more open"] > plan.weighed.card["length"]
    if "drier" in lengths:
        assert lengths["drier"] < plan.weighed.card["length"]


CEILING_BRIEFS = 60


def test_no_plan_goes_past_the_ceiling_unless_by_hand() -> None:
    """Of random drums and pitches; a pitch out of reach is refused instead."""
    rng = np.random.default_rng(38)
    k = prior_coefficients()
    planned = 0
    for _ in range(CEILING_BRIEFS):
        owned = [OWNED_SNARE, OWNED_TOM, OWNED_KICK][int(rng.integers(3))]
        owned = replace(owned, rods=int(rng.choice([6, 8, 10])))
        low, high = {"snare": (150, 380), "tom": (80, 260), "kick": (35, 110)}[owned.kind]
        voice = {"snare": "snare", "tom": "tom-1", "kick": "kick"}[owned.kind]
        hz = float(rng.uniform(low, high))
        asked = Target(voice, {"pitch": Measured(hz, 1.0, "Hz")}, {})
        try:
            plan = plan_drum(SHIPPED, owned, asked, Wish(), thorough=False)
        except NoSolutionError:
            continue
        planned += 1
        for side, tension in (
            ("batter", plan.prediction.tensions.batter_n_per_m),
            ("reso", plan.prediction.tensions.reso_n_per_m),
        ):
            if tension is None:
                continue
            drum = model(
                SHIPPED,
                wearing(owned, plan.setup.reso, plan.setup.port_in),
                batter=plan.setup.batter,
            )
            safe = safe_range(drum, "batter" if side == "batter" else "reso", k)
            assert tension <= 1.001 * safe.high_n_per_m, (owned.name, hz, side)
    assert planned > CEILING_BRIEFS // 3


def test_what_is_entered_by_hand_goes_past_the_ceiling_and_the_number_is_stated() -> None:
    asked = Target("snare", {"pitch": Measured(300.0, 1.0, "Hz")}, {})
    snare = replace(OWNED_SNARE, rods=8)
    with pytest.raises(NoSolutionError, match="nearest safe pitch"):
        plan_drum(SHIPPED, snare, asked, Wish())
    plan = plan_drum(SHIPPED, snare, asked, Wish(pitch_hz=300.0))
    assert any(re.search(r"\d+ N on each rod|\d+ % of the tension", c) for c in plan.cautions)


def test_the_caution_on_notes_that_run_together_gives_the_length_that_is_shown() -> None:
    asked = target("tom-1", pitch=120.0, length=0.3, sustain=1.5)
    brief = Brief(tempo_bpm=160.0, tom_notes_per_beat=4.0)
    plan = plan_drum(SHIPPED, OWNED_TOM, asked, Wish(), brief=brief, thorough=False)
    (text,) = [text for text in plan.cautions if "run together" in text]
    assert f"{plan.card['length'].value:.2f} s until" in text
