"""Rebound, stages and microphones of the brief: their costs, warnings and notes."""

import math
from dataclasses import replace
from typing import Any

import pytest

from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.planning.brief import Brief, Shelf, usual_weights
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.microphones import microphone_note, microphone_trouble
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weighed
from emblar.core.quantities import Measured
from tests.drums import OWNED_KICK, OWNED_TOM

CLOSED = replace(OWNED_KICK, port_in=None)
TOM_TARGET = Target("tom-1", {"pitch": Measured(130.0, 1.0, "Hz")}, {})
KICK_TARGET = Target(
    "kick", {"pitch": Measured(58.0, 1.0, "Hz"), "length": Measured(0.25, 0.02, "s")}, {}
)


def best(owned: OwnedDrum, target: Target, **asked: Any) -> Weighed:
    brief = Brief(keep_heads=True, leave_room=False, **asked)
    search = DrumSearch(0, target, Shelf((owned,), catalogue=SHIPPED), brief, usual_weights())
    return search.best()[0]


def batter_tension(row: Weighed) -> float:
    """Return what is worked out again from the recipe alone."""
    recipe = row.setup
    drum = model(SHIPPED, OWNED_TOM, batter=recipe.batter, reso=recipe.reso, dampers=recipe.dampers)
    return predict(drum, recipe.batter_hz, recipe.reso_hz).tensions.batter_n_per_m


def test_lively_rebound_wants_a_tighter_batter_than_soft_at_the_same_pitch() -> None:
    rows = {wish: best(OWNED_TOM, TOM_TARGET, rebound=wish) for wish in ("lively", "any", "soft")}
    tension = {wish: batter_tension(row) for wish, row in rows.items()}
    assert tension["lively"] >= tension["any"] >= tension["soft"]
    assert tension["lively"] > 1.1 * tension["soft"]
    assert all(abs(row.card["pitch"] / 130.0 - 1.0) < 0.004 for row in rows.values())
    assert "rebound" not in rows["any"].costs


def test_rebound_costs_a_step_and_a_half_for_each_halving_below_the_usual_tension() -> None:
    row = best(OWNED_TOM, TOM_TARGET, rebound="lively")
    usual = usual_weights()
    halvings = max(math.log2(usual.feel["tom"] / batter_tension(row)), 0.0)
    assert row.costs["rebound"] == pytest.approx(usual.cost["rebound"] * halvings, abs=0.02)


def test_an_engineer_and_stages_make_a_closed_front_dearer() -> None:
    plain = best(CLOSED, KICK_TARGET)
    wanted = best(CLOSED, KICK_TARGET, engineer_wants_hole=True, stage="both")
    assert plain.setup.port_in is None
    assert wanted.setup.port_in is None  # never_cut stands above both
    assert wanted.costs["engineer"] == usual_weights().cost["engineer_wants_hole"]
    assert wanted.costs["stages"] == usual_weights().cost["port_for_stages"]
    assert wanted.total == pytest.approx(plain.total + 4.0, abs=0.3)


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"engineer_wants_hole": True}, "forbids cutting"),
        ({"stage": "live"}, "Stages and engineers differ"),
        ({"kick_microphone": "inside"}, "its front stays closed"),
    ],
)
def test_what_a_closed_front_has_against_the_brief_is_said(
    asked: dict[str, Any], says: str
) -> None:
    plan = plan_drum(SHIPPED, CLOSED, KICK_TARGET, Wish(), brief=Brief(keep_heads=True, **asked))
    assert any(says in text for text in plan.cautions)
    quiet = plan_drum(SHIPPED, CLOSED, KICK_TARGET, Wish(), brief=Brief(keep_heads=True))
    assert not any(says in text for text in quiet.cautions)


@pytest.mark.parametrize("planned", ["", "inside", "outside", "both", "batter side"])
@pytest.mark.parametrize(("front", "port_in"), [(True, None), (True, 5.0), (False, None)])
def test_a_microphone_is_in_the_way_only_of_the_front_it_does_not_go_with(
    planned: str, front: bool, port_in: float | None
) -> None:
    trouble = microphone_trouble(planned, front=front, port_in=port_in)  # type: ignore[arg-type]
    blocked = front and port_in is None and planned in ("inside", "both")
    assert bool(trouble) == (blocked or (planned == "outside" and not front))


def test_notes_say_where_the_model_takes_the_microphone_to_be() -> None:
    assert "through the port" in microphone_note("kick", 22, front=True, port_in=5.0)
    assert "front closed" in microphone_note("kick", 22, front=True, port_in=None)
    assert "no front head" in microphone_note("kick", 22, front=False, port_in=None)
    # A quarter of the radius inside the hoop, four tenths of it above.
    assert microphone_note("tom", 12, front=True, port_in=None) == (
        "assumes the mic 1.5 in inside the hoop, 2.4 in above the batter"
    )
