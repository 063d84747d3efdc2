"""The search: nearest first, nothing forbidden, each drum and head once, reasons that add up."""

from dataclasses import replace
from typing import get_args

import numpy as np
import pytest

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.limits import stress_limits_pa
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.errors import InputError
from emblar.core.planning.assign import PlannedKit, plan_kit, searched
from emblar.core.planning.brief import Brief, OwnedHead, Shelf, usual_weights
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.problem import Problem
from emblar.core.planning.search import DrumSearch
from emblar.core.planning.target import Target
from emblar.core.planning.why import Explainer, fit_warnings
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

SMALL = replace(OWNED_TOM, name="Rack 10", diameter_in=10.0, depth_in=7.0)
FLOOR = replace(OWNED_TOM, name="Floor 16", diameter_in=16.0, depth_in=14.0)
CLOSED = replace(OWNED_KICK, name="Kick 20", diameter_in=20.0, port_in=None)
SHELF = Shelf(
    (OWNED_KICK, OWNED_SNARE, SMALL, OWNED_TOM, FLOOR),
    (OwnedHead("double-coated", 12.0), OwnedHead("single-coated", 10.0)),
    tuple(SHIPPED.dampers),
    ("stick-medium", "beater-felt", "beater-wood"),
    catalogue=SHIPPED,
)
FREE = Brief(never_cut=False)
STRICT = Brief(only_owned=True)


def target(voice: str, **values: float) -> Target:
    told = {n: Measured(v, abs(v) * 0.05 + 0.05, steps()[n].unit) for n, v in values.items()}
    return Target(voice, told, {})


TARGETS = [
    target("kick", pitch=60.0, sustain=0.5, length=0.2, click=600.0),
    target("snare", pitch=195.0, sustain=0.4, length=0.12, click=4000.0),
    target("tom-1", pitch=150.0, sustain=1.1, length=0.25, bend=40.0),
    target("tom-2", pitch=118.0, sustain=0.7, length=0.2),
    target("tom-3", pitch=80.0, sustain=1.5, length=0.35),
]


@pytest.fixture(scope="module")
def strict() -> PlannedKit:
    return plan_kit(Problem(TARGETS, SHELF, STRICT))


@pytest.fixture(scope="module")
def free() -> PlannedKit:
    return plan_kit(Problem(TARGETS, SHELF, FREE))


@pytest.mark.parametrize(
    ("owned", "wish"), [(OWNED_TOM, 130.0), (OWNED_SNARE, 190.0), (OWNED_KICK, 58.0)]
)
def test_the_outlook_of_a_candidate_is_what_the_whole_model_predicts(
    owned: OwnedDrum, wish: float
) -> None:
    heads = [c.id for c in SHIPPED.constructions_for(owned.kind, "batter")][:6]
    assert owned.reso is not None
    field = Field(
        SHIPPED,
        owned,
        heads,
        [owned.reso],
        [(), ("tape-flag",) if owned.kind != "kick" else ("towel",)],
        ["beater-wood" if owned.kind == "kick" else "stick-heavy"],
        ["medium"],
        port_in=owned.port_in,
    )
    options = field.grid([0.0, 3.0])
    told = field.outlook(options, wish)
    assert told.reached.all()
    for i in range(0, len(options), 5):
        drum = model(
            SHIPPED,
            owned,
            batter=heads[options.batter[i]],
            dampers=field.damper_sets[options.dampers[i]],
            striker=field.strikers[0],
        )
        found = predict(drum, float(told.batter_hz[i]), float(told.reso_hz[i]))
        measured = predicted_card(found, owned.kind)
        assert measured["pitch"].value == pytest.approx(wish, rel=0.006)
        for name in ("bend", "sustain"):
            off = steps()[name].apart(float(told.card[name][i]), measured[name].value)
            assert abs(off) < 1.0, name
        share = max(
            found.film_stress_pa[side] / stress_limits_pa(owned.kind, side, prior_coefficients())[1]
            for side in get_args(Side)
            if side in found.film_stress_pa
        )
        assert told.stress_share[i] == pytest.approx(share, rel=0.02)


def test_every_voice_gets_a_drum_of_its_kind_and_no_drum_two_voices(strict: PlannedKit) -> None:
    for way in strict.alternatives:
        assert set(way.chosen) == {t.voice for t in TARGETS}
        numbers = [w.drum for w in way.chosen.values()]
        assert len(set(numbers)) == len(numbers)
        for voice, row in way.chosen.items():
            kind = SHELF.drums[row.drum].kind
            assert kind == ("tom" if voice.startswith("tom") else voice)
    # Higher toms are the smaller drums.
    sizes = [SHELF.drums[strict.best.chosen[f"tom-{i}"].drum].diameter_in for i in (1, 2, 3)]
    assert sizes == sorted(sizes)


def test_nothing_forbidden_is_proposed(strict: PlannedKit) -> None:
    for way in strict.alternatives:
        for row in way.chosen.values():
            assert not row.bought
            assert not row.cut
    shelf = replace(SHELF, drums=(CLOSED, *SHELF.drums[1:]))
    kept = plan_kit(Problem(TARGETS, shelf, Brief(keep_heads=True)))
    for way in kept.alternatives:
        for row in way.chosen.values():
            drum = shelf.drums[row.drum]
            assert (row.setup.batter, row.setup.reso) == (drum.batter, drum.reso)
            assert row.setup.port_in == drum.port_in


def test_loose_heads_are_used_no_more_often_than_there_are(free: PlannedKit) -> None:
    for way in free.alternatives:
        used = [key for w in way.chosen.values() for key in w.shelf_heads]
        for key in used:
            assert used.count(key) <= 1
        assert sum(len(w.bought) for w in way.chosen.values()) <= FREE.budget_heads


def test_each_alternative_is_best_at_what_it_is_called(free: PlannedKit) -> None:
    by = {way.name: way for way in free.alternatives}
    assert by["best"].total == min(way.total for way in free.alternatives)
    assert by["closest"].distance == min(way.distance for way in free.alternatives)
    assert by["least work"].minutes == min(way.minutes for way in free.alternatives)
    assert by["least work"].minutes <= by["closest"].minutes
    assert not any(w.bought for w in by["buy nothing"].chosen.values())
    assert not any(w.cut for w in by["cut nothing"].chosen.values())
    for voice in ("tom-1", "tom-2", "tom-3"):
        assert by["equal heads"].chosen[voice].setup.semitones == 0.0
        assert by["reso higher"].chosen[voice].setup.semitones > 0.0
        assert by["reso lower"].chosen[voice].setup.semitones < 0.0


def test_what_is_locked_stays() -> None:
    held = Wish(batter="double-coated", dampers=("gel-pad",), semitones=0.0)
    locks = dict.fromkeys((OWNED_TOM.name, SMALL.name, FLOOR.name), held)
    plan = plan_kit(Problem([TARGETS[3]], SHELF, FREE, locks=locks))
    for way in plan.alternatives:
        for row in way.chosen.values():
            assert row.setup.batter == "double-coated"
            assert row.setup.dampers == ("gel-pad",)
            assert row.setup.semitones == 0.0


def test_brushes_are_played_on_coated_heads() -> None:
    shelf = replace(SHELF, drums=(replace(OWNED_SNARE, batter="double-clear"),))
    plan = plan_kit(Problem([TARGETS[1]], shelf, Brief(brushes=True)))
    row = plan.best.chosen["snare"]
    assert row.setup.striker == "brushes"
    assert row.setup.batter != "double-clear"
    assert SHIPPED.strikers["brushes"].only_if_asked


def test_a_pitch_far_outside_is_missed_by_what_is_said() -> None:
    plan = plan_kit(Problem([target("tom-1", pitch=620.0, sustain=0.5)], SHELF, STRICT))
    row, told = plan.best.chosen["tom-1"], plan.unmet[0]
    assert told.quantity == "pitch"
    assert told.nearest == pytest.approx(row.card["pitch"])
    missed = 1200.0 * np.log2(row.card["pitch"] / 620.0)
    assert row.short_cents == pytest.approx(missed, abs=10.0)
    assert "out of reach" in told.text
    assert "cents below" in told.text


def test_an_empty_shelf_and_a_pitch_nobody_knows_are_said() -> None:
    plan = plan_kit(Problem(TARGETS, Shelf((), catalogue=SHIPPED), STRICT))
    assert plan.best.chosen == {}
    assert {u.voice for u in plan.unmet} == {t.voice for t in TARGETS}
    assert all("Add a drum" in u.text for u in plan.unmet)
    unknown = plan_kit(Problem([Target("kick", {}, {"pitch": "too soft"})], SHELF, STRICT))
    assert "does not tell its pitch (too soft)" in unknown.unmet[0].text


def test_every_number_of_a_reason_can_be_worked_out_again(free: PlannedKit) -> None:
    checked = 0
    for row in free.best.chosen.values():
        explain = Explainer(row, Problem(TARGETS, SHELF, FREE))
        for reason in explain.reasons():
            assert reason.text
            numbers = reason.numbers
            if "score" in numbers:
                assert numbers["score"] == pytest.approx(sum(row.costs.values()))
            for name, step in steps().items():
                if f"{name} steps" in numbers:
                    apart = step.apart(numbers[f"{name} with"], numbers[f"{name} without"])
                    assert numbers[f"{name} steps"] == pytest.approx(apart)
                    digits = {"s": 2, "dB": 1}.get(step.unit, 0)
                    told = [numbers[f"{name} {which}"] for which in ("with", "without")]
                    assert (
                        " instead of ".join(f"{v:.{digits}f}" for v in told).replace("-", "−")
                        in reason.text
                    )
                    checked += 1
    assert checked >= 3


def test_the_schools_show_both_sides_and_mark_the_chosen_one(free: PlannedKit) -> None:
    row = free.best.chosen["tom-1"]
    schools = Explainer(row, Problem(TARGETS, SHELF, FREE)).schools()
    relation = [s for s in schools if s.about == "relation of the heads"]
    assert [s.name for s in relation] == ["equal heads", "reso higher", "reso lower"]
    assert sum(s.chosen for s in relation) == 1
    for school in schools:
        if school.chosen:
            assert school.score == pytest.approx(row.total)
        elif school.moves:
            assert school.score > 0.0


def test_a_note_longer_than_its_gap_and_drums_that_beat_are_warned_of() -> None:
    fast = Brief(tempo_bpm=200.0, tom_notes_per_beat=4.0)
    alike = [target("tom-1", pitch=120.0, sustain=1.5), target("tom-2", pitch=117.0, sustain=1.5)]
    plan = plan_kit(Problem(alike, SHELF, fast))
    told = {r.about: r for r in fit_warnings(list(plan.best.chosen.values()), SHELF, fast)}
    assert "notes run together" in told["tempo"].text
    assert told["clash"].numbers["beat_hz"] == pytest.approx(3.0, abs=0.3)


def test_leaving_room_makes_a_plan_longer_than_without() -> None:
    one = target("tom-2", pitch=118.0, sustain=0.8, length=0.2)
    with_room, without = (
        DrumSearch(3, one, SHELF, replace(STRICT, leave_room=room), usual_weights()).best()[0]
        for room in (True, False)
    )
    assert with_room.card["sustain"] >= without.card["sustain"]


def test_impossible_briefs_are_refused_by_field_and_value() -> None:
    with pytest.raises(InputError, match="tempo_bpm: 900"):
        Brief(tempo_bpm=900.0)
    with pytest.raises(InputError, match="hands: 0"):
        Brief(hands=0)
    with pytest.raises(InputError, match="“luck” is not a cost"):
        usual_weights().changed(luck=1.0)


def test_a_costlier_purchase_is_made_no_oftener() -> None:
    def bought(price: float) -> int:
        weights = usual_weights().changed(purchase=price)
        rows = searched(Problem([TARGETS[3]], SHELF, FREE, weights))["tom-2"]
        return len(min(rows, key=lambda w: w.total).bought)

    assert bought(50.0) <= bought(0.0)
    assert bought(50.0) == 0
