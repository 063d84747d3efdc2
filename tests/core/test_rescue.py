"""Rescue of a cheap kit: the best way to spend a budget, held against trying every way."""

import itertools

import pytest

from emblar.core.catalogue import SHIPPED
from emblar.core.errors import InputError
from emblar.core.planning.brief import Brief, OwnedHead, Shelf
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.rescue import Rescue, damper_price, head_price, rescue
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured

SNARE = OwnedDrum("Snare", "snare", 14, 5.5, 10, "flanged", "steel", "single-clear", "snare-side")
RACK = OwnedDrum(
    "Rack", "tom", 12, 8, 6, "flanged", "maple-lacquer", "single-clear", "single-clear"
)
FLOOR = OwnedDrum(
    "Floor", "tom", 16, 16, 8, "flanged", "maple-lacquer", "single-clear", "single-clear"
)


def target(voice: str, **values: float) -> Target:
    told = {n: Measured(v, 0.05 * abs(v) + 0.1, "") for n, v in values.items()}
    return Target(voice, told, {})


DRY = [
    (SNARE, target("snare", pitch=180.0, sustain=0.2, length=0.09, ring=-16.0)),
    (RACK, target("tom-1", pitch=130.0, sustain=0.5, length=0.15, ring=-18.0)),
    (FLOOR, target("tom-2", pitch=75.0, sustain=0.6, length=0.2, ring=-20.0)),
]


def told(budget: float, shelf: Shelf = Shelf((), catalogue=SHIPPED)) -> Rescue:  # noqa: B008
    return rescue(DRY, shelf, Brief(), budget=budget, plain_head=20.0)


def test_money_is_never_overspent_and_more_of_it_never_does_worse() -> None:
    found = [told(budget) for budget in (0.0, 10.0, 40.0, 120.0, 500.0)]
    for budget, one in zip((0.0, 10.0, 40.0, 120.0, 500.0), found, strict=True):
        assert one.price <= budget + 1e-9
        assert one.price == pytest.approx(sum(f.price for f in one.fixes))
        assert len(one.fixes) <= 3
        assert len({f.drum for f in one.fixes}) == len(one.fixes), "one change a drum"
    worth = [sum(f.gain - 0.02 * f.minutes for f in one.fixes) for one in found]
    assert worth == sorted(worth)
    assert worth[-1] > worth[0]


def test_every_change_is_heard_and_the_best_for_its_price_stands_first() -> None:
    one = told(120.0)
    assert one.fixes
    assert all(f.gain >= 0.5 for f in one.fixes)
    ratio = [f.gain / (f.price / 20.0 + 0.02 * f.minutes + 1e-3) for f in one.fixes]
    assert ratio == sorted(ratio, reverse=True)


def test_a_dry_record_on_open_heads_is_muffled_before_anything_is_bought() -> None:
    one = told(0.0)
    assert one.fixes
    assert all(f.what == "muffling" and not f.buys and f.lays_on for f in one.fixes)
    assert all(damper_price(d) == 0.0 for f in one.fixes for d in f.lays_on)


def test_what_lies_on_the_shelf_costs_nothing() -> None:
    bought = told(500.0)
    heads = tuple(
        OwnedHead(h, d.diameter_in)
        for f in bought.fixes
        for d, _ in DRY
        if d.name == f.drum
        for h in f.buys
    )
    lying = tuple(d for f in bought.fixes for d in f.lays_on)
    assert heads
    free = told(0.0, Shelf((), heads, lying, catalogue=SHIPPED))
    assert sum(f.gain for f in free.fixes) >= sum(f.gain for f in bought.fixes) - 0.3
    assert free.price == 0.0


def test_a_head_costs_more_the_larger_and_the_more_it_is_made() -> None:
    assert head_price(SHIPPED, "single-clear", 14, "tom") == pytest.approx(1.0)
    sizes = [head_price(SHIPPED, "single-clear", d, "tom") for d in (8, 12, 14, 18)]
    assert sizes == sorted(sizes)
    assert head_price(SHIPPED, "double-clear", 14, "tom") > 1.0
    assert head_price(SHIPPED, "single-clear", 22, "kick") > head_price(
        SHIPPED, "single-clear", 22, "tom"
    )
    for head, kind in itertools.product(SHIPPED.constructions, ("kick", "snare", "tom")):
        assert 0.3 < head_price(SHIPPED, head, 14, kind) < 6.0  # type: ignore[arg-type]
    assert all(0.0 <= damper_price(d) < 4.0 for d in SHIPPED.dampers)


@pytest.mark.parametrize(("budget", "head"), [(-1.0, 20.0), (1e9, 20.0), (50.0, 0.0)])
def test_what_makes_no_sense_is_said(budget: float, head: float) -> None:
    with pytest.raises(InputError):
        rescue(DRY, Shelf((), catalogue=SHIPPED), Brief(), budget=budget, plain_head=head)
