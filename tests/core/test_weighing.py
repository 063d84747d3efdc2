"""What a recipe costs, part by part, and how far from the record counts."""

import math
from dataclasses import replace

import pytest

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.planning.brief import LEAVE_ROOM_STEPS, Brief, OwnedHead, Shelf, usual_weights
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.target import Target
from emblar.core.planning.weighing import Weighed, Weigher, aimed
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

WEIGHTS = usual_weights()
PLAIN = Brief(leave_room=False)
BARE = {
    "tom": Setup(OWNED_TOM.batter, OWNED_TOM.reso, 0.0, 0.0, (), "stick-medium", "medium"),
    "snare": Setup(
        OWNED_SNARE.batter, OWNED_SNARE.reso, 0.0, 0.0, (), "stick-medium", "medium", semitones=2.0
    ),
    "kick": Setup(OWNED_KICK.batter, OWNED_KICK.reso, 0.0, 0.0, (), "beater-felt", "medium", 5.0),
}
PITCH = {"tom": 130.0, "snare": 190.0, "kick": 56.0}


def target(kind: str, **values: float) -> Target:
    told = {"pitch": PITCH[kind], **values}
    voice = "tom-1" if kind == "tom" else kind
    return Target(
        voice, {n: Measured(v, 0.01 * abs(v), steps()[n].unit) for n, v in told.items()}, {}
    )


def weigh(
    owned: OwnedDrum,
    recipe: Setup,
    *,
    brief: Brief = PLAIN,
    heads: tuple[OwnedHead, ...] = (),
    now: tuple[str, ...] = (),
    **values: float,
) -> Weighed:
    shelf = Shelf(
        (owned,),
        heads,
        tuple(SHIPPED.dampers),
        tuple(SHIPPED.strikers),
        {owned.name: now},
        catalogue=SHIPPED,
    )
    weigher = Weigher(0, target(owned.kind, **values), shelf, brief, WEIGHTS)
    (row,) = weigher.exactly([recipe], PITCH[owned.kind])
    assert row is not None
    return row


@pytest.mark.parametrize("owned", [OWNED_TOM, OWNED_SNARE, OWNED_KICK], ids=lambda o: o.kind)
def test_the_score_is_the_sum_of_its_parts_and_none_is_negative(owned: OwnedDrum) -> None:
    row = weigh(owned, BARE[owned.kind], sustain=0.5, length=0.2)
    assert row.total == pytest.approx(sum(row.costs.values()))
    assert all(cost >= 0.0 for cost in row.costs.values())
    assert row.distance == row.costs["distance"]
    assert row.bought == ()
    assert not row.cut


def test_work_is_minutes_shared_by_hands() -> None:
    one = weigh(OWNED_TOM, BARE["tom"])
    work = WEIGHTS.work
    assert one.minutes == work["place_drum"] + 2 * work["tune_head"]
    assert one.costs["work"] == pytest.approx(WEIGHTS.cost["minute"] * one.minutes)
    two = weigh(OWNED_TOM, BARE["tom"], brief=replace(PLAIN, hands=2))
    assert two.minutes == one.minutes
    assert two.costs["work"] == pytest.approx(one.costs["work"] / 2)


def test_a_head_is_swapped_bought_or_taken_from_the_shelf() -> None:
    changed = replace(BARE["tom"], batter="double-coated")
    bought = weigh(OWNED_TOM, changed)
    loose = weigh(OWNED_TOM, changed, heads=(OwnedHead("double-coated", 12.0),))
    other_size = weigh(OWNED_TOM, changed, heads=(OwnedHead("double-coated", 14.0),))
    stay = weigh(OWNED_TOM, BARE["tom"])
    assert bought.bought == other_size.bought == ("double-coated",)
    assert bought.costs["purchase"] == WEIGHTS.cost["purchase"]
    assert loose.bought == ()
    assert loose.shelf_heads == (("double-coated", 12.0),)
    assert loose.costs["purchase"] == 0.0
    assert loose.minutes == bought.minutes == stay.minutes + WEIGHTS.work["swap_head"]


@pytest.mark.parametrize(("conditions", "worn"), [(("worn",), 1.0), (("worn", "used"), 0.0)])
def test_the_best_head_there_is_is_the_one_that_counts(
    conditions: tuple[str, ...], worn: float
) -> None:
    heads = tuple(OwnedHead("double-coated", 12.0, 1, c) for c in conditions)  # type: ignore[arg-type]
    row = weigh(OWNED_TOM, replace(BARE["tom"], batter="double-coated"), heads=heads)
    assert row.costs["head life"] == worn * WEIGHTS.cost["worn"]


def test_dampers_cost_their_work_and_staying_costs_none() -> None:
    stay = weigh(OWNED_TOM, BARE["tom"])
    on = weigh(OWNED_TOM, replace(BARE["tom"], dampers=("gel-pad",)))
    there = weigh(OWNED_TOM, replace(BARE["tom"], dampers=("gel-pad",)), now=("gel-pad",))
    off = weigh(OWNED_TOM, BARE["tom"], now=("gel-pad",))
    assert on.minutes == stay.minutes + SHIPPED.damper("gel-pad").minutes
    assert there.minutes == stay.minutes
    assert off.minutes == stay.minutes + WEIGHTS.work["take_off_damper"]
    assert on.costs["dampers"] == there.costs["dampers"] == WEIGHTS.cost["damper"]
    assert off.costs["dampers"] == 0.0


def test_a_new_hole_costs_its_work_and_that_it_cannot_be_undone() -> None:
    closed = replace(OWNED_KICK, port_in=None)
    cut = weigh(closed, BARE["kick"], brief=replace(PLAIN, never_cut=False))
    kept = weigh(closed, replace(BARE["kick"], port_in=None))
    assert cut.cut
    assert not kept.cut
    assert cut.costs["cut"] == WEIGHTS.cost["cut"]
    assert cut.minutes == kept.minutes + WEIGHTS.work["cut_port"]
    assert not weigh(OWNED_KICK, BARE["kick"]).cut, "it has that hole"


def test_brushes_want_a_coated_head() -> None:
    brushed = replace(PLAIN, brushes=True)
    for batter in ("single-clear", "single-coated"):
        recipe = replace(BARE["tom"], batter=batter, striker="brushes")
        row = weigh(OWNED_TOM, recipe, brief=brushed)
        expected = 0.0 if SHIPPED.construction(batter).coated else WEIGHTS.cost["brushes_on_clear"]
        assert row.costs["feel"] == expected


def test_a_note_longer_than_the_gap_costs_at_that_tempo_only() -> None:
    slow, fast = (replace(PLAIN, tempo_bpm=b, tom_notes_per_beat=4.0) for b in (20.0, 240.0))
    assert weigh(OWNED_TOM, BARE["tom"], brief=slow).costs["tempo"] == 0.0
    assert weigh(OWNED_TOM, BARE["tom"], brief=fast).costs["tempo"] == 2.0
    assert "tempo" not in weigh(OWNED_TOM, BARE["tom"]).costs


def test_too_short_counts_double_and_far_off_no_more_than_the_cap() -> None:
    length = weigh(OWNED_TOM, BARE["tom"]).card["length"]
    step = steps()["length"]
    sides = {
        by: weigh(OWNED_TOM, BARE["tom"], length=step.moved(length, -by)) for by in (-2.0, 2.0)
    }
    pitch_part = weigh(OWNED_TOM, BARE["tom"]).distance
    short, long = (sides[by].distance - pitch_part for by in (-2.0, 2.0))
    assert sides[-2.0].apart["length"] == pytest.approx(-2.0, abs=0.02)
    assert short == pytest.approx(2.0 * long, rel=0.05)
    far, farther = (
        weigh(OWNED_TOM, BARE["tom"], click=step_hz).distance for step_hz in (40.0, 4.0)
    )
    assert far == pytest.approx(farther, rel=0.05)


def test_what_the_record_tells_badly_counts_less() -> None:
    shelf = Shelf(
        (OWNED_TOM,), (), tuple(SHIPPED.dampers), tuple(SHIPPED.strikers), catalogue=SHIPPED
    )
    found = []
    for sd in (0.01, 0.2, 1.0):
        told = target("tom").values | {"sustain": Measured(0.4, sd, "s")}
        weigher = Weigher(0, Target("tom-1", told, {}), shelf, PLAIN, WEIGHTS)
        (row,) = weigher.exactly([BARE["tom"]], 130.0)
        assert row is not None
        found.append(row.distance)
    assert found[0] > found[1] > found[2]


def test_a_brief_that_leaves_room_aims_higher_where_the_desk_can_take_away() -> None:
    record = target("tom", sustain=1.0, length=0.2, click=900.0, body=-4.0)
    room, same = (aimed(record, Brief(leave_room=leave)) for leave in (True, False))
    assert same == record
    for name, by in LEAVE_ROOM_STEPS.items():
        if name in record.values:
            moved = steps()[name].apart(room.values[name].value, record.values[name].value)
            assert moved == pytest.approx(by)
    assert room.values["body"] == record.values["body"]
    assert room.values["pitch"] == record.values["pitch"]


def test_slack_heads_and_films_near_their_limit_are_a_risk() -> None:
    floor = replace(OWNED_TOM, diameter_in=16.0, depth_in=14.0)
    slack = Weigher(
        0,
        target("tom"),
        Shelf((floor,), (), tuple(SHIPPED.dampers), (), catalogue=SHIPPED),
        PLAIN,
        WEIGHTS,
    ).exactly([BARE["tom"]], 38.0)[0]
    usual = weigh(OWNED_TOM, BARE["tom"])
    assert slack is not None
    assert usual.costs["risk"] == 0.0
    assert slack.costs["risk"] >= WEIGHTS.cost["papery"]


def test_a_pitch_that_needs_a_head_hanging_in_its_hoop_is_out_of_reach() -> None:
    owned = replace(OWNED_TOM, diameter_in=10.0, depth_in=7.0)
    weigher = DrumSearch(
        0,
        Target("tom-1", {"pitch": Measured(30.0, 0.5, "Hz")}, {}),
        Shelf((owned,), catalogue=SHIPPED),
        Brief(keep_heads=True),
        WEIGHTS,
    )
    nearest = weigher.best()[0]
    assert nearest.short_cents > 600.0
    drum = model(SHIPPED, owned, dampers=nearest.setup.dampers)
    tensions = predict(drum, nearest.setup.batter_hz, nearest.setup.reso_hz).tensions
    slackest = min(tensions.batter_n_per_m, tensions.reso_n_per_m or math.inf)
    assert slackest > 0.95 * prior_coefficients()["slack_stop"]
