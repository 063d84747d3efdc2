"""Muffling one thing at a time: what to do next, and what strokes teach of dampers."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from emblar.core.acoustics.drum import Drum
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED, Catalogue, numbers
from emblar.core.planning.kit import model
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.tuning.muffling import Layer, learned, next_step, responses, rings_past
from tests.drums import OWNED_TOM

HZ = 150.0
PRIOR = numbers("damper")["resistance"].sd_share


def with_strength(drum: Drum, times: float) -> Drum:
    rows = tuple(
        replace(d, resistance_n_s_per_m=d.resistance_n_s_per_m * times) for d in drum.dampers
    )
    return replace(drum, dampers=rows)


def struck(on: Sequence[str], times: float = 1.0) -> Layer:
    """A stroke on a tom whose dampers are so many times as strong as the model takes them to be."""
    made = model(SHIPPED, OWNED_TOM, dampers=tuple(on))
    found = predict(with_strength(made, times), HZ, HZ)
    told = {
        name: replace(q, sd=0.02 * abs(q.value) + 0.01)
        for name, q in predicted_card(found, "tom").items()
    }
    return Layer(tuple(on), told, predict(made, HZ, HZ).sustain.value)


def wish(on: Sequence[str]) -> Target:
    return Target("tom-1", dict(struck(on).card), {})


def test_one_thing_goes_on_at_a_time_until_it_is_enough() -> None:
    target, planned = wish(["gel-pad"]), ["gel-pad", "tape-flag"]
    assert next_step(target, planned, [], []).do == "strike"
    bare = struck([])
    first = next_step(target, planned, [], [bare])
    assert (first.do, first.damper) == ("lay", "gel-pad")
    assert first.too_long is not None
    assert first.too_long > 1.0
    assert next_step(target, planned, ["gel-pad"], [bare]).do == "strike", "what it did is heard"
    done = next_step(target, planned, ["gel-pad"], [bare, struck(["gel-pad"])])
    assert done.do == "enough", "the other damper stays in the bag"
    assert done.apart == pytest.approx(0.0, abs=0.3)


def test_what_leads_away_comes_off_again() -> None:
    target = wish([])
    layers = [struck([]), struck(["thin-ring"])]
    on = layers[1].dampers
    told = next_step(target, list(on), on, layers)
    assert (told.do, told.damper) == ("take off", on[0])
    again = next_step(target, list(on), [], layers)
    assert again.do == "enough", "it is not laid on again"


def test_a_drum_that_came_too_dead_is_opened_up() -> None:
    told = next_step(wish([]), [], ["gel-pad", "tape-flag"], [struck(["gel-pad", "tape-flag"])])
    assert (told.do, told.damper) == ("take off", "tape-flag")


def test_a_drum_too_dead_without_any_damper_is_named_and_gets_none() -> None:
    longer = ("sustain", "length")
    wanted = {
        name: replace(q, value=6.0 * q.value) if name in longer else q
        for name, q in struck([]).card.items()
    }
    target = Target("tom-1", wanted, {})
    found = next_step(target, ["gel-pad"], [], [struck([])])
    assert (found.do, found.damper) == ("too dead", None)
    assert found.too_long is not None and found.too_long < -1.0


def test_with_nothing_to_hold_against_the_plans_dampers_go_on() -> None:
    told = next_step(Target("tom-1", {}, {}), ["gel-pad"], [], [struck([])])
    assert (told.do, told.damper, told.too_long) == ("lay", "gel-pad", None)


def test_how_far_it_rings_past_the_wish_shrinks_with_every_damper() -> None:
    target = wish(["gel-pad", "tape-flag"])
    rows = [rings_past(target, struck(on)) for on in ([], ["gel-pad"], ["gel-pad", "tape-flag"])]
    told = [row.steps for row in rows if row is not None]
    assert len(told) == 3
    assert told[0] > told[1] > told[2] == pytest.approx(0.0, abs=0.3)


@pytest.mark.parametrize("times", [0.5, 1.0, 2.0])
def test_how_strong_a_damper_is_is_learned_from_strokes(times: float) -> None:
    layers = [struck([]), struck(["gel-pad"], times)]
    rows = responses(layers) * 6
    told = learned(rows, PRIOR)["gel-pad"]
    assert told.strokes == 6
    assert told.times == pytest.approx(times, rel=0.2)
    assert abs(np.log(told.times / times)) < 2.0 * told.sd_share


def test_one_stroke_moves_what_is_known_a_little_and_says_how_little() -> None:
    one = learned(responses([struck([]), struck(["gel-pad"], 2.0)]), PRIOR)["gel-pad"]
    many = learned(responses([struck([]), struck(["gel-pad"], 2.0)]) * 20, PRIOR)["gel-pad"]
    assert 1.0 < one.times < many.times
    assert many.sd_share < one.sd_share < PRIOR


def test_what_cannot_be_told_apart_from_its_doubt_teaches_nothing() -> None:
    sure = struck([])
    sustain = Measured(sure.card["sustain"].value, 0.5 * sure.card["sustain"].value, "s")
    unsure = replace(sure, card={**sure.card, "sustain": sustain})
    assert responses([unsure, replace(unsure, dampers=("gel-pad",))]) == ()
    assert responses([sure, replace(struck(["gel-pad"]), expected_s=None)]) == ()
    assert responses([struck(["gel-pad"])]) == (), "there is no stroke before"


def test_what_was_learned_counts_in_the_model_and_can_be_left_out() -> None:
    shipped = SHIPPED.damper("gel-pad").resistance
    taught = Catalogue((), (("gel-pad", 2.0), ("no-such-damper", 3.0)))
    assert taught.damper("gel-pad").resistance == pytest.approx(2.0 * shipped)
    assert taught.without_learned().damper("gel-pad").resistance == pytest.approx(shipped)
    shorter, longer = (
        predict(model(one, OWNED_TOM, dampers=("gel-pad",)), HZ, HZ).sustain.value
        for one in (taught, taught.without_learned())
    )
    assert shorter < longer
