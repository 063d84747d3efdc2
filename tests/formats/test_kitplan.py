"""A brief in, a kit's plan out: every number in it can be worked out again from the file alone."""

import json
from typing import Any

import pytest
from pydantic import ValidationError

from emblar.core.catalogue import SHIPPED
from emblar.core.errors import CatalogueError
from emblar.core.planning.assign import plan_kit
from emblar.core.quantities.registry import steps
from emblar.formats.brief import BriefFile
from emblar.formats.errors import wrong_fields
from emblar.formats.kitplan import KitPlanFile, kit_plan_file
from tests.briefs import brief, quantity


def plan_file(file: BriefFile) -> KitPlanFile:
    problem = file.problem(SHIPPED)
    return kit_plan_file(plan_kit(problem), problem)


@pytest.fixture(scope="module")
def plan() -> KitPlanFile:
    made = plan_file(BriefFile.model_validate(brief()))
    # As somebody else would read it.
    return KitPlanFile.model_validate_json(made.model_dump_json(by_alias=True))


def test_every_voice_of_the_record_is_in_every_alternative(plan: KitPlanFile) -> None:
    for way in plan.alternatives:
        assert set(way.voices) == {"kick", "snare", "tom-1", "tom-2"}
        drums = [voice.drum for voice in way.voices.values()]
        assert len(set(drums)) == len(drums)
    assert plan.unmet == []


def test_scores_are_the_sums_of_their_parts(plan: KitPlanFile) -> None:
    for way in plan.alternatives:
        for voice in way.voices.values():
            assert voice.score == pytest.approx(sum(voice.costs.values()))
        assert way.score == pytest.approx(sum(v.score for v in way.voices.values()))
        assert way.distance == pytest.approx(sum(v.costs["distance"] for v in way.voices.values()))
        assert way.minutes == pytest.approx(sum(v.minutes for v in way.voices.values()))
        assert way.buys == sum(len(v.bought) for v in way.voices.values())


def test_how_far_apart_follows_from_the_card_and_the_record(plan: KitPlanFile) -> None:
    aimed = {"sustain": 1.0, "length": 1.0, "ring": 0.5, "click": 0.5}
    record = brief()["record"]
    for name, voice in plan.alternatives[0].voices.items():
        for what, apart in voice.apart.items():
            told = record[name][what]["value"]
            reference = steps()[what].moved(told, aimed.get(what, 0.0))
            assert apart == pytest.approx(
                steps()[what].apart(voice.card[what], reference), abs=1e-6
            )


def test_every_reasons_numbers_can_be_worked_out_again(plan: KitPlanFile) -> None:
    checked = 0
    for voice in plan.alternatives[0].voices.values():
        for reason in voice.reasons:
            numbers = reason.numbers
            if "score" in numbers:
                assert numbers["score"] == pytest.approx(voice.score)
            for what, step in steps().items():
                if f"{what} steps" not in numbers:
                    continue
                assert numbers[f"{what} with"] == pytest.approx(voice.card[what])
                apart = step.apart(numbers[f"{what} with"], numbers[f"{what} without"])
                assert numbers[f"{what} steps"] == pytest.approx(apart)
                checked += 1
            if reason.about == "pitch":
                assert numbers["batter_lug_hz"] == voice.recipe.batter_hz
                checked += 1
    assert checked >= 4


def test_nothing_is_bought_or_cut_where_only_owned_heads_are_asked(plan: KitPlanFile) -> None:
    for way in plan.alternatives:
        assert (way.buys, way.cuts) == (0, 0)
    assert plan.shopping == []
    assert any("stick-medium" in line for line in plan.packing)


def test_a_wish_in_steps_moves_what_is_planned() -> None:
    plain = plan_file(BriefFile.model_validate(brief()))
    shorter = plan_file(
        BriefFile.model_validate(brief(wishes={"tom-2": {"length": -5.0, "sustain": -5.0}}))
    )
    cards = [p.alternatives[0].voices["tom-2"].card for p in (plain, shorter)]
    assert cards[1]["sustain"] < cards[0]["sustain"]


def test_a_lock_is_kept_and_a_dearer_damper_used_less() -> None:
    locked = plan_file(
        BriefFile.model_validate(brief(locks={"Kick 22": {"dampers": ["towel"], "semitones": 0}}))
    )
    recipe = locked.alternatives[0].voices["kick"].recipe
    assert (recipe.dampers, recipe.semitones) == (("towel",), 0.0)
    dear = plan_file(BriefFile.model_validate(brief(costs={"damper": 60.0})))
    assert all(v.recipe.dampers == () for v in dear.alternatives[0].voices.values())


def test_too_little_time_is_said_with_both_numbers() -> None:
    hurried = brief(ask={"only_owned": True, "minutes": 20.0})
    way = plan_file(BriefFile.model_validate(hurried)).alternatives[0]
    told = next(w for w in way.warnings if w.about == "time")
    assert told.numbers == {"work_min": pytest.approx(way.minutes), "left_min": 20.0}


def test_a_voice_nobody_can_play_is_unmet() -> None:
    record = brief()["record"] | {
        "tom-3": {"pitch": quantity(80.0)},
        "tom-4": {"pitch": quantity(70.0)},
    }
    found = plan_file(BriefFile.model_validate(brief(record=record)))
    assert len(found.unmet) == 1
    assert found.unmet[0].quantity == "drum"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"ask": {"tempo_bpm": 900}}, "tempo_bpm"),
        ({"ask": {"hands": 0}}, "hands"),
        ({"record": {"hat": {"pitch": quantity(1.0)}}}, "hat: drums play kick, snare"),
        ({"record": {"kick": {"boom": quantity(1.0)}}}, "“boom” is not a quantity"),
        ({"locks": {"Nobody": {}}}, "no drum is called Nobody"),
        ({"shelf": {"drums": [brief()["shelf"]["drums"][0]] * 2}}, "Kick 22 is there twice"),
        ({"shelf": {"drums": [brief()["shelf"]["drums"][0] | {"rods": 13}]}}, "Rods: 13 is odd"),
        (
            {"shelf": {"drums": [brief()["shelf"]["drums"][0] | {"diameter_in": 0}]}},
            "Diameter: 0 is outside 6 to 28",
        ),
    ],
)
def test_a_wrong_brief_is_refused_by_field(change: dict[str, Any], says: str) -> None:
    with pytest.raises(ValidationError) as caught:
        BriefFile.model_validate(json.loads(json.dumps(brief(**change))))
    assert says in "; ".join(wrong_fields(caught.value))


@pytest.mark.parametrize(
    ("shelf", "says"),
    [
        ({"heads": [{"construction": "silk", "diameter_in": 12}]}, "no head “silk”"),
        ({"drums": [brief()["shelf"]["drums"][0] | {"batter": "silk"}]}, "Kick 22: There is no"),
        ({"drums": [brief()["shelf"]["drums"][0] | {"dampers": ["a hat"]}]}, "no damper “a hat”"),
    ],
)
def test_parts_that_are_not_in_the_catalogue_are_refused(shelf: dict[str, Any], says: str) -> None:
    file = BriefFile.model_validate(brief(shelf={"drums": []} | shelf))
    with pytest.raises(CatalogueError, match=says):
        file.problem(SHIPPED)
