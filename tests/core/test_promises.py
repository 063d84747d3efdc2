"""What a plan keeps to: snare sides, kicks, schools, purchases, styles, or says loudly that not."""

import re
from dataclasses import replace

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.errors import EmblarError, InputError, NoSolutionError
from emblar.core.planning.brief import Brief, OwnedHead, Shelf
from emblar.core.planning.kick_window import kick_window
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.plan_drum import DrumPlan, Task, plan_drum, plan_drums
from emblar.core.planning.schools import FRONT, MUFFLING, PORT, RELATION, SNARE_SIDE
from emblar.core.planning.styles import NO_FRONT, shunned
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

CLOSED = replace(OWNED_KICK, port_in=None)
TOM = {"pitch": 130.0, "sustain": 0.8, "length": 0.2, "click": 900.0}
SNARE = {"pitch": 190.0, "length": 0.12, "click": 4000.0}
KICK = {"pitch": 56.0, "sustain": 0.5, "length": 0.2}
EVERY_DAMPER = ("tape-flag", "gel-pad", "thin-ring", "felt-strip", "pillow-batter", "blanket")


def target(voice: str, **values: float) -> Target:
    told = {n: Measured(v, 0.04 * abs(v), steps()[n].unit) for n, v in values.items()}
    return Target(voice, told, {})


def planned(owned: OwnedDrum, values: dict[str, float], **brief: object) -> DrumPlan:
    voice = "tom-1" if owned.kind == "tom" else owned.kind
    asked = Brief(**brief)  # type: ignore[arg-type]
    return plan_drum(SHIPPED, owned, target(voice, **values), Wish(), brief=asked, thorough=False)


@pytest.mark.parametrize("hz", [165.0, 190.0, 210.0])
@pytest.mark.parametrize("attack", [-4.0, 4.0])
def test_under_a_snare_only_snare_side_films_are_planned(hz: float, attack: float) -> None:
    wrong = replace(OWNED_SNARE, reso="single-coated")
    for owned in (OWNED_SNARE, wrong):
        plan = planned(owned, {**SNARE, "pitch": hz, "attack": attack})
        assert plan.setup.reso is not None
        assert SHIPPED.construction(plan.setup.reso).is_snare_side
        assert all(
            SHIPPED.construction(o.weighed.setup.reso).is_snare_side
            for o in plan.others
            if o.weighed.setup.reso
        )


def test_what_may_be_chosen_under_a_snare_is_snare_side_film() -> None:
    for row in SHIPPED.constructions_for("snare", "reso"):
        assert row.is_snare_side
    assert {"snare-side", "snare-side-thin"} <= {
        r.id for r in SHIPPED.constructions_for("snare", "reso")
    }
    with pytest.raises(InputError, match="no snare-side film"):
        plan_drum(SHIPPED, OWNED_SNARE, target("snare", **SNARE), Wish(reso="single-coated"))


def test_an_everyday_snare_side_costs_nothing_and_warns_of_nothing() -> None:
    plan = planned(OWNED_SNARE, {**SNARE, "pitch": 195.0})
    assert plan.setup.reso_hz is not None
    assert plan.setup.reso_hz > 300.0
    assert plan.weighed.costs["risk"] == 0.0
    assert not any("film" in text or "tearing" in text for text in plan.cautions)


@pytest.mark.parametrize(("size", "low", "high"), [(18, 55, 160), (22, 40, 105), (26, 35, 95)])
def test_kicks_are_tuned_between_what_their_size_is_tuned_to(
    size: int, low: float, high: float
) -> None:
    window = kick_window(size)
    assert (window.low_hz, window.high_hz) == (low, high)
    assert kick_window(20).low_hz > kick_window(21).low_hz > kick_window(22).low_hz


@pytest.mark.parametrize("hz", [40.0, 56.0, 75.0, 118.0])
@pytest.mark.parametrize("size", [18.0, 22.0, 24.0])
def test_a_kick_stays_in_its_window_with_its_front_at_or_above_the_batter(
    size: float, hz: float
) -> None:
    owned = replace(CLOSED, diameter_in=size)
    plan = planned(owned, {**KICK, "pitch": hz})
    window = kick_window(size)
    assert window.low_hz * 0.98 <= plan.setup.batter_hz <= window.high_hz * 1.02
    assert plan.setup.semitones >= 0.0
    if plan.weighed.short_cents:
        assert any("kick is tuned to" in text for text in plan.cautions)
    else:
        assert plan.weighed.card["pitch"] == pytest.approx(hz, rel=0.01)


def test_a_kick_leaves_its_window_or_has_a_slacker_front_where_that_is_asked() -> None:
    by_hand = plan_drum(
        SHIPPED, CLOSED, target("kick", **KICK), Wish(pitch_hz=90.0), thorough=False
    )
    assert by_hand.weighed.card["pitch"] == pytest.approx(90.0, rel=0.01)
    assert any("you entered the pitch" in text for text in by_hand.cautions)
    slack = planned(CLOSED, KICK, schools={FRONT: "front below"})
    assert slack.setup.semitones < 0.0
    asked = plan_drum(
        SHIPPED, CLOSED, target("kick", **KICK), Wish(relation="lower"), thorough=False
    )
    assert asked.setup.semitones < 0.0


def test_toms_heads_stay_within_a_fourth_unless_more_is_asked() -> None:
    for pitch in (100.0, 130.0, 165.0):
        plan = planned(OWNED_TOM, {**TOM, "pitch": pitch, "sustain": 2.5})
        assert abs(plan.setup.semitones) <= 5.0
    fifth = Wish(semitones=7.0)
    assert plan_drum(SHIPPED, OWNED_TOM, target("tom-1", **TOM), fifth).setup.semitones == 7.0


def test_notes_run_together_only_where_a_fastest_figure_was_entered() -> None:
    long = {"pitch": 128.0, "length": 1.5, "sustain": 3.0}
    silent = planned(OWNED_TOM, long, tempo_bpm=200.0)
    asked = planned(OWNED_TOM, long, tempo_bpm=200.0, tom_notes_per_beat=4.0)
    assert not any("run together" in text for text in silent.cautions)
    assert any("run together" in text for text in asked.cautions)


@pytest.mark.parametrize(
    ("owned", "values", "about", "name"),
    [
        (OWNED_TOM, TOM, RELATION, "reso lower"),
        (OWNED_SNARE, SNARE, SNARE_SIDE, "relaxed reso"),
        (OWNED_SNARE, SNARE, SNARE_SIDE, "tight reso"),
        (CLOSED, KICK, MUFFLING, "nothing on it"),
        (CLOSED, {**KICK, "length": 1.0}, MUFFLING, "damped"),
        (OWNED_TOM, {**TOM, "length": 0.05}, MUFFLING, "nothing on it"),
    ],
)
def test_a_school_is_kept(
    owned: OwnedDrum, values: dict[str, float], about: str, name: str
) -> None:
    plan = planned(owned, values, schools={about: name})
    assert next(s.chosen for s in plan.schools if (s.about, s.name) == (about, name))


def test_a_school_that_cannot_be_kept_is_broken_out_loud() -> None:
    plan = plan_drum(
        SHIPPED,
        OWNED_TOM,
        target("tom-1", **TOM),
        Wish(relation="higher"),
        brief=Brief(schools={RELATION: "equal heads"}),
        thorough=False,
    )
    assert any("your school is “equal heads”" in text for text in plan.cautions)


def test_the_engineers_hole_is_cut_where_that_is_allowed_and_said_where_not() -> None:
    cut = planned(CLOSED, KICK, engineer_wants_hole=True, never_cut=False)
    assert cut.setup.port_in is not None
    bought = planned(CLOSED, KICK, engineer_wants_hole=True)
    assert (bought.setup.port_in is not None, bought.weighed.cut) == (True, False)
    kept = planned(CLOSED, KICK, engineer_wants_hole=True, only_owned=True)
    assert kept.setup.port_in is None
    assert any(
        "wants a ported front head" in text and "forbids cutting" in text for text in kept.cautions
    )
    closed = planned(CLOSED, KICK, never_cut=False, schools={PORT: "closed front"})
    assert closed.setup.port_in is None


def test_buy_nothing_buys_nothing_and_says_what_a_choice_by_hand_costs() -> None:
    plan = planned(OWNED_TOM, TOM, only_owned=True)
    assert plan.weighed.bought == ()
    by_hand = plan_drum(
        SHIPPED,
        OWNED_TOM,
        target("tom-1", **TOM),
        Wish(batter="double-coated"),
        brief=Brief(only_owned=True),
        thorough=False,
    )
    assert by_hand.weighed.bought == ("double-coated",)
    assert any("says buy nothing" in text for text in by_hand.cautions)


def test_a_single_drum_keeps_to_how_many_heads_may_be_bought() -> None:
    for most in (0, 1):
        plan = planned(replace(OWNED_TOM, batter="woven"), TOM, budget_heads=most)
        assert len(plan.weighed.bought) <= most


def toms(count: int) -> list[Task]:
    return [
        Task(
            replace(OWNED_TOM, name=f"Tom {i}", batter="double-fluid"),
            target("tom-1", pitch=130.0, sustain=2.5, length=0.6, click=1500.0),
            Wish(),
        )
        for i in range(count)
    ]


@pytest.mark.parametrize("most", [0, 1, 2])
def test_a_kit_buys_no_more_than_the_brief_allows(most: int) -> None:
    shelf = Shelf((), (), EVERY_DAMPER, (), catalogue=SHIPPED)
    plans = plan_drums(toms(3), brief=Brief(budget_heads=most), shelf=shelf, thorough=False)
    assert all(isinstance(p, DrumPlan) for p in plans)
    bought = [h for p in plans if isinstance(p, DrumPlan) for h in p.weighed.bought]
    assert len(bought) == most


def test_one_loose_head_goes_on_one_drum() -> None:
    shelf = Shelf((), (OwnedHead("double-coated", 12.0, 1),), EVERY_DAMPER, (), catalogue=SHIPPED)
    tasks = [replace(t, request=Wish(batter="double-coated")) for t in toms(2)]
    plans = plan_drums(tasks, brief=Brief(only_owned=True), shelf=shelf, thorough=False)
    rows = [p.weighed for p in plans if isinstance(p, DrumPlan)]
    assert sorted(len(r.shelf_heads) for r in rows) == [0, 1]
    assert sorted(len(r.bought) for r in rows) == [0, 1], "the second has to be bought"


def test_a_drum_that_cannot_be_planned_does_not_stop_the_others() -> None:
    tasks = [toms(1)[0], Task(OWNED_SNARE, Target("snare", {}, {}), Wish())]
    plans = plan_drums(
        tasks, brief=Brief(), shelf=Shelf((), (), (), (), catalogue=SHIPPED), thorough=False
    )
    assert isinstance(plans[0], DrumPlan)
    assert isinstance(plans[1], EmblarError)


def test_a_style_is_not_sold_what_it_shuns() -> None:
    heads, dampers, by = shunned("Jazz, slow swing")
    assert "beater-plastic" in by
    assert "opaque-heavy" in heads
    assert heads - {NO_FRONT} <= set(SHIPPED.constructions)
    assert not any(shunned("jazzy"))
    for pitch in (45.0, 60.0):
        plan = planned(CLOSED, {**KICK, "pitch": pitch}, style="light jazz")
        new = {plan.setup.batter, plan.setup.reso} - {CLOSED.batter, CLOSED.reso}
        assert not new & heads
        assert not set(plan.setup.dampers) & dampers
    kept = plan_drum(
        SHIPPED,
        CLOSED,
        target("kick", **KICK),
        Wish(batter="opaque-heavy"),
        brief=Brief(style="jazz"),
        thorough=False,
    )
    assert any("is not what jazz is played on" in text for text in kept.cautions)


def test_slack_and_tight_heads_get_warnings_of_their_own_with_numbers() -> None:
    slack = plan_drum(
        SHIPPED, OWNED_TOM, target("tom-1", **TOM), Wish(pitch_hz=48.0), thorough=False
    )
    tight = plan_drum(
        SHIPPED, OWNED_TOM, target("tom-1", **TOM), Wish(pitch_hz=290.0), thorough=False
    )
    assert any("is slack, at " in text for text in slack.cautions)
    assert not any("N on each rod" in t or "film can take" in t for t in slack.cautions)
    assert any("N on each rod" in t or "% of the tension" in t for t in tight.cautions)
    assert not any("slack" in text for text in tight.cautions)


def test_the_warning_about_brushes_names_the_planned_head() -> None:
    wish = Wish(batter="opaque-heavy", striker="brushes")
    plan = plan_drum(SHIPPED, OWNED_TOM, target("tom-1", **TOM), wish, thorough=False)
    said = next(text for text in plan.cautions if "brushes" in text)
    assert SHIPPED.construction("opaque-heavy").name in said
    assert "clear" not in said


@pytest.mark.parametrize(("heads", "get"), [(0, "Borrow one."), (2, "Borrow or buy one.")])
def test_nobody_is_told_to_buy_where_nothing_may_be_bought(heads: int, get: str) -> None:
    brief = Brief(engineer_wants_hole=True, never_cut=True, budget_heads=heads)
    wish = Wish(reso=CLOSED.reso)
    plan = plan_drum(SHIPPED, CLOSED, target("kick", **KICK), wish, brief=brief, thorough=False)
    said = next(text for text in plan.cautions if "wants a ported front head" in text)
    assert said.endswith(get)


def test_a_kick_without_a_front_head_has_no_second_head_ringing() -> None:
    one = replace(CLOSED, reso=None)
    plan = plan_drum(SHIPPED, one, target("kick", **KICK), Wish(reso=NO_FRONT), thorough=False)
    assert plan.setup.reso is None
    text = next(reason.text for reason in plan.reasons if reason.about == "pitch")
    assert "both heads" not in text


@pytest.mark.parametrize(("diameter", "hz"), [(8.0, 62.0), (10.0, 46.0), (12.0, 40.0)])
def test_a_note_that_a_small_drum_does_not_have_is_refused_with_the_nearest(
    diameter: float, hz: float
) -> None:
    small = replace(OWNED_TOM, diameter_in=diameter, depth_in=0.7 * diameter)
    with pytest.raises(NoSolutionError, match=r"nearest safe pitch is (\d+) Hz") as caught:
        planned(small, {"pitch": hz})
    nearest = float(re.findall(r"pitch is (\d+) Hz", str(caught.value))[0])
    assert nearest > 1.1 * hz
    assert planned(small, {"pitch": 1.1 * nearest}).card["bend"].value < 250.0
