"""Several songs on one kit: held against trying everything, and what a change takes."""

import itertools

import pytest

from bench.setlist import case
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.errors import InputError
from emblar.core.evening.setlist import (
    Offer,
    SetDrum,
    Setlist,
    Song,
    change,
    minute_worth,
    plan_setlist,
)

TOM = SetDrum("tom", 6)
SNARE = SetDrum("snare", 10)
PLAIN = Setup("single-clear", "single-clear", 150.0, 160.0)


def cost(
    drums: dict[str, SetDrum],
    songs: list[Song],
    order: tuple[int, ...],
    picked: dict[tuple[int, str], int],
) -> float:
    total, now = 0.0, dict[str, Setup]()
    for i in order:
        for name, offers in songs[i].offers.items():
            offer = offers[picked[i, name]]
            if name in now:
                total += (
                    minute_worth() * change(SHIPPED, drums[name], now[name], offer.setup).minutes
                )
            total += offer.steps
            now[name] = offer.setup
    return total


def by_trying(drums: dict[str, SetDrum], songs: list[Song], *, free: bool) -> float:
    orders = itertools.permutations(range(len(songs))) if free else [tuple(range(len(songs)))]
    places = [(i, name) for i, song in enumerate(songs) for name in song.offers]
    choices = [range(len(songs[i].offers[name])) for i, name in places]
    return min(
        cost(drums, songs, order, dict(zip(places, pick, strict=True)))
        for order in orders
        for pick in itertools.product(*choices)
    )


def kept_to(drums: dict[str, SetDrum], songs: list[Song], told: Setlist) -> float:
    picked = {
        (i, n): k for i, row in zip(told.order, told.chosen, strict=True) for n, k in row.items()
    }
    return cost(drums, songs, told.order, picked)


@pytest.mark.parametrize("free", [True, False])
@pytest.mark.parametrize("seed", range(40))
def test_no_order_and_no_choice_is_better(seed: int, free: bool) -> None:
    drums, songs = case(seed, 4 if seed % 2 else 3, 2, 2)
    told = plan_setlist(SHIPPED, drums, songs, free_order=free)
    assert told.score == pytest.approx(by_trying(drums, songs, free=free))
    assert told.score == pytest.approx(kept_to(drums, songs, told)), "and it is what it says"
    assert sorted(told.order) == list(range(len(songs)))


def test_muffling_is_changed_before_tuning_and_tuning_before_heads() -> None:
    damped = Setup(**{**_fields(PLAIN), "dampers": ("gel-pad",)})
    higher = Setup(**{**_fields(PLAIN), "batter_hz": 170.0})
    other = Setup(**{**_fields(PLAIN), "batter": "double-clear"})
    minutes = [change(SHIPPED, TOM, PLAIN, then).minutes for then in (damped, higher, other)]
    assert minutes == sorted(minutes)
    assert minutes[0] < 2.0 < minutes[2]


def _fields(setup: Setup) -> dict:  # type: ignore[type-arg]
    return {name: getattr(setup, name) for name in Setup.__dataclass_fields__}


def test_a_change_says_what_is_done() -> None:
    now = Setup("single-coated", "snare-side", 300.0, 400.0, ("gel-pad",), wires="medium")
    then = Setup("single-coated", "snare-side", 318.0, 401.0, ("tape-flag",), wires="tight")
    told = change(SHIPPED, SNARE, now, then)
    assert told.tuned == {"batter": pytest.approx(101.0, abs=0.3)}, "4 ct are left alone"
    assert (told.on, told.off, told.wires, told.heads) == (
        ("tape-flag",),
        ("gel-pad",),
        "tight",
        (),
    )
    assert change(SHIPPED, SNARE, now, now).nothing
    assert change(SHIPPED, SNARE, now, now).minutes == 0.0


def test_a_drum_that_rests_for_a_song_stays_as_it_was() -> None:
    offers = (Offer(PLAIN, 0.0),)
    other = (Offer(Setup(**{**_fields(PLAIN), "batter_hz": 170.0}), 0.0),)
    songs = [Song("a", {"tom": offers}), Song("b", {}), Song("c", {"tom": other})]
    told = plan_setlist(SHIPPED, {"tom": TOM}, songs, free_order=False)
    assert told.changes[1] == {}
    assert told.changes[2]["tom"].tuned


def test_what_cannot_be_planned_is_said() -> None:
    with pytest.raises(InputError, match="at least one song"):
        plan_setlist(SHIPPED, {}, [], free_order=False)
    with pytest.raises(InputError, match="tom is not known"):
        plan_setlist(SHIPPED, {}, [Song("a", {"tom": (Offer(PLAIN, 0.0),)})], free_order=False)
    with pytest.raises(InputError, match="Up to 8 songs"):
        plan_setlist(SHIPPED, {}, [Song("a", {})] * 9, free_order=True)
