"""The shelf: loose heads spare a purchase, own dampers join the catalogue and the search."""

from typing import Any

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.errors import EmblarError, InputError
from emblar.core.planning.brief import Brief, OwnedHead, Shelf
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.platform.studio import HERE
from emblar.steps.plan.actions.planning import replan_drum
from emblar.steps.sheet.actions import sheet
from emblar.steps.shelf import actions as shelf
from tests.drums import OWNED_TOM

NUMBERS = {"radius": 0.75, "resistance": 2.0, "mass_kg": 0.004, "minutes": 2.0}


pytestmark = pytest.mark.usefixtures("database")


def test_heads_are_put_on_taken_off_and_brought_back() -> None:
    made = shelf.add_head(HERE, "double-coated", 12.0, 2, "used")
    assert shelf.loose_heads(HERE) == [made]
    shelf.take_off_shelf(HERE, "head", made.id)
    assert shelf.loose_heads(HERE) == []
    shelf.put_back(HERE, "head", made.id)
    assert shelf.loose_heads(HERE)[0].owned == OwnedHead("double-coated", 12.0, 2, "used")


@pytest.mark.parametrize(
    ("values", "says"),
    [
        (("silk", 12.0, 1, "fresh"), "no head “silk”"),
        (("woven", 40.0, 1, "fresh"), "Diameter: 40 is outside 6 to 28"),
        (("woven", 12.0, 0, "fresh"), "Count: 0 is outside 1 to 99"),
        (("woven", 12.0, 1, "new"), "“new” is not possible. Choose fresh, used, worn"),
    ],
)
def test_a_wrong_head_is_refused_and_nothing_is_kept(values: tuple[Any, ...], says: str) -> None:
    with pytest.raises(EmblarError, match=says):
        shelf.add_head(HERE, *values)
    assert shelf.loose_heads(HERE) == []


def test_an_own_damper_joins_the_catalogue_until_taken_off() -> None:
    made = shelf.add_damper(HERE, "My wallet", "tom", "batter", NUMBERS)
    assert HERE.catalogue().damper(made.row["id"]).resistance == 2.0
    with pytest.raises(InputError, match="already a damper “My wallet”"):
        shelf.add_damper(HERE, "My wallet", "tom", "batter", NUMBERS)
    shelf.take_off_shelf(HERE, "part", made.id)
    assert made.row["id"] not in HERE.catalogue().dampers
    again = shelf.add_damper(HERE, "My wallet", "tom", "batter", NUMBERS | {"resistance": 4.0})
    assert again.row["id"] != made.row["id"]


def test_a_damper_out_of_range_is_refused_by_field() -> None:
    with pytest.raises(InputError, match="Place: 2 is outside 0 to 1"):
        shelf.add_damper(HERE, "Far", "tom", "batter", NUMBERS | {"radius": 2.0})
    with pytest.raises(InputError, match="a name"):
        shelf.add_damper(HERE, " ", "tom", "batter", NUMBERS)
    assert shelf.own_parts(HERE) == []


def test_the_sheet_says_to_bring_the_loose_heads_that_go_on(planned: int) -> None:
    shelf.add_head(HERE, "woven", 12.0, 1, "fresh")
    replan_drum(HERE, planned, 1, {"batter": "woven"})
    told = sheet(HERE, planned)
    name = SHIPPED.construction("woven").name
    assert f"{name}, 12 in" in told.packing
    assert f"{name}, 12 in" not in told.shopping
    shelf.take_off_shelf(HERE, "head", shelf.loose_heads(HERE)[0].id)
    replan_drum(HERE, planned, 1, {"batter": "woven"})
    told = sheet(HERE, planned)
    assert f"{name}, 12 in" in told.shopping
    assert f"{name}, 12 in" not in told.packing


def test_a_plan_takes_a_loose_head_before_it_buys_one() -> None:
    record = {"pitch": 128.0, "sustain": 0.7, "length": 0.2, "click": 250.0}
    target = Target("tom-1", {n: Measured(v, 0.02 * v, "") for n, v in record.items()}, {})
    bare = Shelf((OWNED_TOM,), (), (), (), catalogue=SHIPPED)
    stocked = Shelf(
        (OWNED_TOM,),
        tuple(OwnedHead(c.id, 12.0) for c in SHIPPED.constructions_for("tom", "batter")),
        (),
        (),
        catalogue=SHIPPED,
    )
    bought = plan_drum(SHIPPED, OWNED_TOM, target, Wish(), brief=Brief(), shelf=bare).weighed
    taken = plan_drum(SHIPPED, OWNED_TOM, target, Wish(), brief=Brief(), shelf=stocked).weighed
    assert taken.bought == ()
    assert taken.total <= bought.total
    assert taken.setup.batter != OWNED_TOM.batter
    assert (taken.setup.batter, 12.0) in taken.shelf_heads


def test_only_the_heads_removed_last_come_back() -> None:
    first = shelf.add_head(HERE, "double-coated", 12.0, 2, "fresh")
    shelf.take_off_shelf(HERE, "head", first.id)
    second = shelf.add_head(HERE, "double-coated", 12.0, 3, "fresh")
    shelf.take_off_shelf(HERE, "head", second.id)
    shelf.put_back(HERE, "head", second.id)
    assert [head.owned.count for head in shelf.loose_heads(HERE)] == [3]
