"""A player's own schools, force and ports: what they cost, what they keep, what they warn of."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from emblar.core.acoustics.bend import bend_at_force
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.drum.setup import Port
from emblar.core.errors import InputError
from emblar.core.planning.brief import Brief, usual_weights
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.plan_drum import DrumPlan, plan_drum
from emblar.core.planning.schools import (
    FAVOURED_ON,
    MUFFLING,
    PORT,
    RELATION,
    SIDES,
    SNARE_SIDE,
    against,
    side_taken,
)
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

CLOSED = replace(OWNED_KICK, port_in=None)
TOM = {"pitch": 130.0, "sustain": 1.0, "length": 0.25}
SNARE = {"pitch": 190.0, "length": 0.12, "click": 4000.0}
KICK = {"pitch": 56.0, "sustain": 0.6, "length": 0.25}


def target(voice: str, values: dict[str, float]) -> Target:
    told = {n: Measured(v, 0.05 * v, steps()[n].unit) for n, v in values.items()}
    return Target(voice, told, {})


def planned(owned: OwnedDrum, voice: str, values: dict[str, float], brief: Brief) -> DrumPlan:
    return plan_drum(SHIPPED, owned, target(voice, values), Wish(), brief=brief, thorough=False)


@pytest.mark.parametrize("about", SIDES)
def test_every_recipe_takes_exactly_one_side(about: str) -> None:
    semitones = np.linspace(-5.0, 7.0, 25)
    for ported in (False, True):
        for dressed in (False, True):
            taken = sum(
                side_taken(
                    about, name, semitones, ported=ported, dressed=np.full(25, dressed)
                ).astype(int)
                for name in SIDES[about]
            )
            assert np.all(taken == 1)


def test_what_goes_against_a_school_is_counted_on_its_kind_of_drum_only() -> None:
    semitones, bare = np.array([-2.0, 0.0, 3.0]), np.zeros(3, bool)
    schools = {RELATION: "equal heads", MUFFLING: "damped"}
    ways: dict[str, Any] = {"ported": False, "dressed": bare, "two_heads": True}
    assert against(schools, "tom", semitones, **ways).tolist() == [2.0, 1.0, 2.0]
    assert against(schools, "snare", semitones, **ways).tolist() == [1.0, 1.0, 1.0]
    one_head = {**ways, "two_heads": False}
    assert against(schools, "tom", semitones, **one_head).tolist() == [1.0, 1.0, 1.0]


@pytest.mark.parametrize("name", SIDES[RELATION])
def test_a_toms_school_is_kept(name: str) -> None:
    plan = planned(OWNED_TOM, "tom-1", TOM, Brief(schools={RELATION: name}))
    assert side_taken(RELATION, name, plan.setup.semitones, ported=False, dressed=False)
    assert plan.weighed.costs["school"] == 0.0
    own = next(s for s in plan.schools if s.favoured)
    assert (own.about, own.name) == (RELATION, name)
    assert not any("school" in caution for caution in plan.cautions)


@pytest.mark.parametrize("name", SIDES[SNARE_SIDE])
def test_a_snare_keeps_to_its_players_side(name: str) -> None:
    plan = planned(OWNED_SNARE, "snare", SNARE, Brief(schools={SNARE_SIDE: name}))
    free = planned(OWNED_SNARE, "snare", SNARE, Brief())
    assert plan.weighed.total - plan.weighed.costs["school"] >= free.weighed.total - 1e-6
    sides = [s for s in plan.schools if s.about == SNARE_SIDE]
    assert sum(s.chosen for s in sides) == 1
    assert [s.favoured for s in sides] == [s.name == name for s in sides]


def test_schools_that_are_none_are_refused_with_what_there_is() -> None:
    with pytest.raises(InputError, match="Choose relation of the heads"):
        Brief(schools={"rims": "wood"})
    with pytest.raises(InputError, match="closed front or ported front, not “half”"):
        Brief(schools={PORT: "half"})
    assert set(FAVOURED_ON) == set(SIDES)


def test_hard_strokes_want_a_batter_that_lasts() -> None:
    thin = replace(OWNED_TOM, batter="single-thin-clear")
    soft, hard = (planned(thin, "tom-1", TOM, Brief(force=f)) for f in ("medium", "hard"))
    assert "durability" not in soft.weighed.costs
    film = SHIPPED.construction(hard.setup.batter).film().thickness_m
    cost = usual_weights().cost["thin_head_hit_hard"]
    assert hard.weighed.costs["durability"] == pytest.approx(cost * max(0.0, (3e-4 - film) / 1e-4))
    kept = plan_drum(
        SHIPPED,
        thin,
        target("tom-1", TOM),
        Wish(batter="single-thin-clear"),
        brief=Brief(force="hard"),
    )
    assert any("will not last under hard strokes" in c for c in kept.cautions)
    assert kept.weighed.costs["durability"] > 1.0


@pytest.mark.parametrize("pitch", [70.0, 130.0])
def test_hard_strokes_say_how_sharp_a_slack_drum_starts(pitch: float) -> None:
    low = {**TOM, "pitch": pitch, "bend": 60.0}
    plan = planned(OWNED_TOM, "tom-1", low, Brief(force="hard"))
    said = [c for c in plan.cautions if "cents sharp" in c]
    bend = bend_at_force(plan.weighed.card["bend"], 1.6)
    assert bool(said) == (bend > 150.0)
    if said:
        assert f"{bend:.0f} cents" in said[0]


def test_a_buried_beater_and_an_open_kick_do_not_go_together() -> None:
    long = {"pitch": 45.0, "length": 0.8, "sustain": 2.5}
    short = {**KICK, "length": 0.12}
    for values, rings in ((long, True), (short, False)):
        plan = planned(CLOSED, "kick", values, Brief(buries_beater=True))
        assert any("chokes a kick" in c for c in plan.cautions) == rings
        assert (plan.weighed.card["length"] > 0.3) == rings


@pytest.mark.parametrize(("port", "hole"), [("closed", None), ("cut", 5.0)])
def test_a_port_asked_for_by_hand_is_what_is_planned(port: Port, hole: float | None) -> None:
    request = Wish(port=port)
    plan = plan_drum(SHIPPED, CLOSED, target("kick", KICK), request, brief=Brief(never_cut=False))
    assert plan.setup.port_in == hole
    comes_with_it = (
        plan.setup.reso is not None and SHIPPED.construction(plan.setup.reso).hole_in == hole
    )
    assert plan.weighed.cut == (hole is not None and not comes_with_it)


def test_a_front_taken_off_or_cut_to_a_ring_by_hand_is_planned_so() -> None:
    brief = Brief(never_cut=False)
    off = plan_drum(SHIPPED, CLOSED, target("kick", KICK), Wish(port="off"), brief=brief)
    assert off.setup.reso is None
    assert off.setup.reso_hz is None
    assert not off.weighed.cut
    assert any(r.about == "port" and "No front head" in r.text for r in off.reasons)
    ring = plan_drum(SHIPPED, CLOSED, target("kick", KICK), Wish(port="ring"), brief=brief)
    assert ring.setup.port_in == CLOSED.diameter_in - 4.0
    assert ring.weighed.cut
    open_now = plan_drum(SHIPPED, OWNED_KICK, target("kick", KICK), Wish(port="closed"))
    assert open_now.setup.port_in is None
    assert open_now.setup.reso in (*open_now.weighed.bought, OWNED_KICK.reso)
    assert open_now.weighed.bought, "a front without a hole is another front"


def test_a_cut_that_the_brief_forbids_is_refused_though_asked_for_by_hand() -> None:
    with pytest.raises(InputError, match="forbids cutting"):
        plan_drum(
            SHIPPED, CLOSED, target("kick", KICK), Wish(port="cut"), brief=Brief(only_owned=True)
        )
    with pytest.raises(InputError, match="forbids cutting"):
        plan_drum(SHIPPED, CLOSED, target("kick", KICK), Wish(port="ring"))
    bought = plan_drum(SHIPPED, CLOSED, target("kick", KICK), Wish(port="cut"))
    assert (bought.setup.port_in, bought.weighed.cut) == (5.0, False)
    assert bought.setup.reso in bought.weighed.bought
    plan = plan_drum(SHIPPED, OWNED_KICK, target("kick", KICK), Wish(port="cut"))
    assert plan.setup.port_in == OWNED_KICK.port_in, "it has a hole already"


def test_every_school_of_the_player_that_a_setup_breaks_counts_once() -> None:
    semitones = np.array([-3.0, 0.0, 2.0])
    dressed = np.array([True, False, True])
    schools = {RELATION: "reso higher", MUFFLING: "nothing on it"}
    counted = against(schools, "tom", semitones, ported=False, dressed=dressed, two_heads=True)
    assert counted.tolist() == [2.0, 1.0, 1.0]
    alone = against(schools, "tom", semitones, ported=False, dressed=dressed, two_heads=False)
    assert alone.tolist() == [1.0, 0.0, 1.0], "without a second head only the muffling counts"
    assert against({}, "tom", semitones, ported=False, dressed=dressed, two_heads=True).sum() == 0.0
