"""What an inspection found: told, costed, and never lost."""

from dataclasses import replace

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.errors import DrumError
from emblar.core.planning.assign import plan_kit
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.findings import findings
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.problem import Problem
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from tests.drums import OWNED_SNARE, OWNED_TOM

TARGET = Target(
    "tom-1", {"pitch": Measured(130.0, 1.0, "Hz"), "length": Measured(0.2, 0.02, "s")}, {}
)


def test_every_finding_has_advice_and_fits_some_drum() -> None:
    for row in findings().values():
        assert row.advice and row.name and row.kinds
    assert any(row.serious for row in findings().values())


@pytest.mark.parametrize(
    ("found", "says"),
    [("squeaks", "is not possible. Choose edge-dent"), ("wires-crooked", "a tom cannot have")],
)
def test_a_finding_that_cannot_be_is_refused(found: str, says: str) -> None:
    with pytest.raises(DrumError, match=says):
        replace(OWNED_TOM, findings=(found,))
    if found == "wires-crooked":
        assert replace(OWNED_SNARE, findings=(found,)).findings == (found,)


def test_of_two_like_drums_the_sound_one_plays() -> None:
    dented = replace(OWNED_TOM, name="Dented", findings=("edge-dent",))
    sound = replace(OWNED_TOM, name="Sound")
    for drums in ((dented, sound), (sound, dented)):
        chosen = plan_kit(
            Problem([TARGET], Shelf(drums, (), tuple(SHIPPED.dampers), catalogue=SHIPPED), Brief())
        ).best.chosen
        assert drums[chosen["tom-1"].drum].name == "Sound"
    alone = plan_kit(
        Problem([TARGET], Shelf((dented,), (), tuple(SHIPPED.dampers), catalogue=SHIPPED), Brief())
    ).best.chosen["tom-1"]
    assert alone.costs["inspection"] == 1.5


def test_what_was_found_is_the_first_thing_a_plan_says() -> None:
    plan = plan_drum(SHIPPED, replace(OWNED_TOM, findings=("rattle", "walks")), TARGET, Wish())
    assert plan.cautions[0].startswith("Rack 12 has a lug, spring or spur that rattles: tighten it")
    assert "it walks" in plan.cautions[1]


def test_a_spent_head_is_said_while_it_stays_and_not_once_it_is_changed() -> None:
    spent = replace(OWNED_TOM, findings=("batter-pitted",))
    kept = plan_drum(SHIPPED, spent, TARGET, Wish(batter=OWNED_TOM.batter))
    changed = plan_drum(SHIPPED, spent, TARGET, Wish(batter="double-coated"))
    assert any("pits or a stretched collar" in c for c in kept.cautions)
    assert not any("pits or a stretched collar" in c for c in changed.cautions)
    assert kept.weighed.costs["head life"] == changed.weighed.costs["head life"] + 1.0
