from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from emblar.core.analysis.pipeline import Analysis
from emblar.core.catalogue import (
    SHIPPED,
)
from emblar.core.drum import Relation, Wish
from emblar.core.errors import CatalogueError, DrumError, InputError, NoSolutionError
from emblar.core.notes import cents
from emblar.core.planning.brief import Brief
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.plan_drum import plan_drum, with_less_to_buy
from emblar.core.planning.predicted import planned_stroke
from emblar.core.planning.recipe import kind_of_voice
from emblar.core.planning.target import Target, target_from_card
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM


def target(**values: float) -> Target:
    return Target("tom-1", {n: Measured(v, 0.05 * abs(v), "") for n, v in values.items()}, {})


@pytest.mark.parametrize("owned", [OWNED_TOM, OWNED_KICK, OWNED_SNARE], ids=lambda o: o.kind)
def test_a_plan_reaches_the_wished_pitch_with_heads_made_for_that_drum(owned: OwnedDrum) -> None:
    wish = {"tom": 128.0, "kick": 56.0, "snare": 180.0}[owned.kind]
    plan = plan_drum(SHIPPED, owned, target(pitch=wish, sustain=0.5), Wish())
    assert abs(cents(plan.card["pitch"].value, wish)) < 1.0
    assert SHIPPED.construction(plan.setup.batter) in SHIPPED.constructions_for(
        owned.kind, "batter"
    )
    assert plan.setup.port_in == owned.port_in, "no cut is ever proposed"


def test_the_recipe_a_record_was_made_with_is_found_again() -> None:
    on_it = replace(OWNED_TOM, batter="double-coated")
    plan = plan_drum(SHIPPED, on_it, target(pitch=131.0), Wish(None, 2.0, dampers=("gel-pad",)))
    asked = target(**{name: quantity.value for name, quantity in plan.card.items()})
    found = plan_drum(SHIPPED, on_it, asked, Wish(), brief=Brief(leave_room=False))
    assert found.setup.batter == "double-coated"
    assert found.setup.dampers
    apart = steps()["sustain"].apart(found.card["sustain"].value, plan.card["sustain"].value)
    assert abs(apart) < 1.0


def test_a_shorter_record_gets_a_shorter_drum() -> None:
    def sustain(record_s: float) -> float:
        plan = plan_drum(SHIPPED, OWNED_TOM, target(pitch=128.0, sustain=record_s), Wish())
        return plan.prediction.sustain.value

    assert sustain(0.5) < sustain(0.9) < sustain(1.6)


def test_what_was_chosen_by_hand_is_kept() -> None:
    request = Wish("lower", -3.0, 120.0, "single-clear", ())
    plan = plan_drum(SHIPPED, OWNED_TOM, target(pitch=131.0, sustain=0.4), request)
    assert plan.setup.batter == "single-clear"
    assert plan.setup.dampers == ()
    assert cents(plan.setup.reso_hz or 0.0, plan.setup.batter_hz) == pytest.approx(-300.0, abs=1)
    assert plan.card["pitch"].value == pytest.approx(120.0, rel=3e-3)


@pytest.mark.parametrize("relation", ["equal", "higher", "lower"])
def test_a_relation_asked_for_is_given(relation: Relation) -> None:
    plan = plan_drum(SHIPPED, OWNED_TOM, target(pitch=128.0, sustain=0.9), Wish(relation=relation))
    assert plan.relation == relation


def test_reasons_carry_the_numbers_they_say() -> None:
    plan = plan_drum(SHIPPED, OWNED_TOM, target(pitch=128.0, sustain=0.5, click=500.0), Wish())
    by_about = {reason.about: reason for reason in plan.reasons}
    pitch = by_about["pitch"]
    assert f"{plan.setup.batter_hz:.0f} Hz" in pitch.text
    assert pitch.numbers["batter_lug_hz"] == plan.setup.batter_hz


def test_a_closed_front_stays_closed_unless_a_cut_is_allowed() -> None:
    closed = replace(OWNED_KICK, port_in=None)
    asked = target(pitch=56.0, sustain=0.3)
    plan = plan_drum(SHIPPED, closed, asked, Wish())
    assert plan.setup.port_in is None
    assert not plan.weighed.cut
    port = [s for s in plan.schools if s.about == "port"]
    assert [s.name for s in port] == ["closed front", "ported front"]
    assert [s.chosen for s in port] == [True, False]


def test_the_cost_of_a_cut_is_told_with_the_caution() -> None:
    closed = replace(OWNED_KICK, port_in=None)
    free = plan_drum(
        SHIPPED, closed, target(pitch=56.0, sustain=0.3), Wish(), brief=Brief(never_cut=False)
    )
    assert free.weighed.cut == (free.setup.port_in is not None)
    assert free.weighed.cut == any("cannot be undone" in text for text in free.cautions)


def test_other_ways_differ_and_say_what_they_move() -> None:
    plan = plan_drum(SHIPPED, OWNED_TOM, target(pitch=128.0, sustain=0.5, click=500.0), Wish())
    recipes = [o.weighed.setup for o in plan.others]
    assert plan.setup not in recipes
    for other in plan.others:
        if other.name == "least work":
            assert other.weighed.minutes <= plan.weighed.minutes
        if other.name == "closest":
            assert other.weighed.distance <= plan.weighed.distance


def test_a_pitch_past_what_heads_bear_names_the_drum_and_the_nearest() -> None:
    with pytest.raises(NoSolutionError, match=r"Rack 12: .*high \(599 Hz\).* nearest safe pitch"):
        plan_drum(SHIPPED, OWNED_TOM, target(pitch=599.0), Wish())


def test_without_a_measured_pitch_a_wish_is_asked_for() -> None:
    unknown = Target("tom-1", {}, {"pitch": "no stroke is clean enough"})
    with pytest.raises(InputError, match=r"no stroke is clean enough.*Wish a pitch"):
        plan_drum(SHIPPED, OWNED_TOM, unknown, Wish())


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"diameter_in": 0.0}, "Diameter: 0 is outside 6 to 28 in"),
        ({"rods": 13}, "Rods: 13 is odd"),
        ({"depth_in": 99.0}, "Depth: 99 is outside"),
        ({"kind": "kick", "port_in": 13.0}, "not smaller than the head"),
        ({"port_in": 4.0}, "only a kick"),
        ({"reso": None}, "needs its reso"),
    ],
)
def test_an_impossible_drum_is_refused_by_field_value_and_range(
    change: dict[str, Any], says: str
) -> None:
    with pytest.raises(DrumError, match=says):
        replace(OWNED_TOM, **change)


def test_the_workable_range_holds_the_plan_of_an_ordinary_tom() -> None:
    plan = plan_drum(SHIPPED, OWNED_TOM, target(pitch=128.0), Wish())
    low, high = plan.range_hz
    assert 30.0 < low < 128.0 < high < 400.0


def test_the_planned_stroke_sounds_and_its_card_says_what_the_model_says() -> None:
    plan = plan_drum(SHIPPED, OWNED_SNARE, target(pitch=180.0), Wish())
    stroke = planned_stroke(plan.prediction, "snare")
    assert 0.05 < np.abs(stroke).max() < 2.0
    assert plan.card["pitch"].value == pytest.approx(180.0, rel=1e-3)
    assert {"attack", "click", "body", "length", "wires"} <= set(plan.card)


def test_a_snares_thin_head_warns_of_its_limit_and_of_force() -> None:
    tight = Wish("higher", 11.0, reso="snare-side", batter=OWNED_SNARE.batter)
    plan = plan_drum(SHIPPED, OWNED_SNARE, target(pitch=212.0), tight)
    assert any("of the tension its film can take" in text for text in plan.cautions)
    assert any("force" in text for text in plan.cautions)


def test_a_snare_tuned_high_gets_as_tight_a_reso_as_its_film_bears() -> None:
    plan = plan_drum(SHIPPED, OWNED_SNARE, target(pitch=210.0), Wish())
    assert plan.setup.semitones < 5.0
    assert not any(x.severity == "stop" for x in plan.prediction.limits)


def test_a_relation_asked_for_by_hand_is_not_bent() -> None:
    with pytest.raises(NoSolutionError, match="its heads cannot be tuned that"):
        plan_drum(
            SHIPPED, OWNED_SNARE, target(pitch=260.0), Wish("higher", 10.0, reso="snare-side")
        )


def test_the_demos_card_becomes_a_target(song_analysis: Analysis) -> None:
    card = next(v for v in song_analysis.voices if v.voice == "tom-1")
    found = target_from_card(card)
    assert found.value("pitch") == pytest.approx(132.4, rel=0.01)
    assert "wires" in found.missing
    assert found.value("wires") is None


@pytest.mark.parametrize("name", list(steps()))
def test_steps_out_and_back_are_inverse(name: str) -> None:
    row = steps()[name]
    for reference in (0.8, 120.0):
        for count in (-3.0, 0.5, 2.0):
            assert row.apart(row.moved(reference, count), reference) == pytest.approx(count)
    assert row.source


def test_every_head_of_the_catalogue_suits_some_drum_and_every_damper_sits_on_a_head() -> None:
    for row in SHIPPED.constructions.values():
        assert row.kinds
        assert row.film().thickness_m > 0
        assert row.film_label.endswith("mil")
    for damping in SHIPPED.dampers.values():
        assert 0.0 <= damping.radius <= 1.0
        assert damping.resistance > 0


def test_what_the_catalogue_does_not_have_is_said_with_what_it_has() -> None:
    with pytest.raises(CatalogueError, match=r"no head “silk”\. Known are: single-thin-clear"):
        SHIPPED.construction("silk")
    with pytest.raises(CatalogueError, match="no damper “sock”"):
        SHIPPED.damper("sock")
    with pytest.raises(CatalogueError, match="no hoop “tin”"):
        SHIPPED.loss_share("tin", "steel")


def test_hats_are_noted_not_tuned() -> None:
    assert kind_of_voice("tom-2") == "tom"
    with pytest.raises(DrumError, match="not tuned"):
        kind_of_voice("hat")


def test_a_kick_without_front_head_gets_no_damper_there() -> None:
    bare = replace(OWNED_KICK, reso=None, port_in=None)
    plan = plan_drum(SHIPPED, bare, target(pitch=60.0, sustain=0.2, length=0.1), Wish())
    assert model(SHIPPED, bare).reso is None
    assert plan.setup.reso is None
    assert all(SHIPPED.damper(d).side == "batter" for d in plan.setup.dampers)


def test_heads_that_are_bought_leave_less_to_buy_for_the_next_drum() -> None:
    brief = Brief(budget_heads=3)
    assert with_less_to_buy(brief, 2).budget_heads == 1
    assert with_less_to_buy(brief, 5).budget_heads == 0
    assert with_less_to_buy(brief, 0) == brief
