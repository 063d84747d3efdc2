"""The kit's assignment against trying every combination, and the heads dressed together."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.signal import butter, sosfreqz

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.dressed import HeadKey, Shell, dressed, dressed_heads
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.planning.assign import _assigned
from emblar.core.planning.brief import Brief, OwnedHead, Shelf
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.weighing import Weighed
from emblar.core.quantities.spans import LENGTH_FRAME_S
from emblar.core.synthesis.expected import (
    DROP,
    RATE_HZ,
    Noises,
    Partials,
    _length,
    _spectrum,
)
from emblar.core.synthesis.stroke import Noise

TOM = OwnedDrum("Tom", "tom", 12, 8, 6, "flanged", "maple-lacquer", "double-clear", "single-clear")
BARE = Setup("double-clear", "single-clear", 200.0, 200.0, (), "stick-medium", "medium")
VOICES = ("tom-1", "tom-2", "tom-3")
SIZES = (10.0, 12.0, 12.0, 16.0)
LOOSE = ("woven", "single-coated")


def some_rows(rng: np.random.Generator) -> dict[str, list[Weighed]]:
    rows: dict[str, list[Weighed]] = {}
    for voice in VOICES:
        rows[voice] = [
            Weighed(
                drum,
                voice,
                BARE,
                {},
                {},
                {"distance": float(rng.uniform(0.0, 9.0))},
                5.0,
                ("double-coated",) if rng.random() < 0.2 else (),
                False,
                tuple((h, SIZES[drum]) for h in LOOSE if rng.random() < 0.5),
            )
            for drum in range(len(SIZES))
            for _ in range(3)
        ]
    return rows


def possible(chosen: tuple[Weighed | None, ...], shelf: Shelf, budget: int) -> bool:
    rows = [row for row in chosen if row is not None]
    if len({row.drum for row in rows}) < len(rows):
        return False
    if any(SIZES[a.drum] > SIZES[b.drum] for a, b in itertools.combinations(rows, 2)):
        return False
    taken = [head for row in rows for head in row.shelf_heads]
    there = {(h.construction, h.diameter_in): h.count for h in shelf.heads}
    if any(taken.count(head) > there.get(head, 0) for head in taken):
        return False
    return sum(len(row.bought) for row in rows) <= budget


@pytest.mark.parametrize("seed", range(12))
def test_no_combination_is_better_than_the_one_assigned(seed: int) -> None:
    rng = np.random.default_rng(seed)
    drums = tuple(replace(TOM, name=f"Tom {i}", diameter_in=d) for i, d in enumerate(SIZES))
    loose = (
        OwnedHead("woven", 12.0, 1),
        OwnedHead("single-coated", 12.0, 2),
        OwnedHead("woven", 16.0, 1),
        OwnedHead("single-coated", 10.0, 1),
    )
    shelf, brief = Shelf(drums, loose, (), (), catalogue=SHIPPED), Brief(budget_heads=1)
    rows = some_rows(rng)

    def price(chosen: tuple[Weighed | None, ...]) -> float:
        return sum(row.total if row is not None else 1e6 for row in chosen)

    every = itertools.product(*([None, *rows[voice]] for voice in VOICES))
    best = min(price(chosen) for chosen in every if possible(chosen, shelf, 1))
    found = _assigned(rows, shelf, brief, lambda row: row.total)
    chosen = tuple(found.get(voice) for voice in VOICES)
    assert possible(chosen, shelf, 1)
    assert price(chosen) == pytest.approx(best)


def test_heads_dressed_together_are_what_each_is_alone() -> None:
    shell, other, k = Shell(0.15, 0.2), Shell(0.1500001, 0.2), prior_coefficients()
    keys = [
        HeadKey("tom", "batter", construction.film(), damper.placed())
        for construction in SHIPPED.constructions_for("tom", "batter")[:4]
        for damper in SHIPPED.dampers_for("tom")[:3]
    ]
    together = dressed_heads(keys, shell, k)
    for key, head in zip(keys, together, strict=True):
        assert dressed(key, shell, k) is head
        alone = dressed(key, other, k)
        assert head.eigenvalue == pytest.approx(alone.eigenvalue, rel=1e-4)
        diagonal = np.einsum("mii->mi", head.resistance)
        assert diagonal == pytest.approx(np.einsum("mii->mi", alone.resistance), rel=1e-4)
        assert head.radiation == pytest.approx(alone.radiation, rel=1e-4, abs=1e-9)


@pytest.mark.parametrize("seed", range(6))
def test_the_length_is_where_the_level_has_fallen_by_20_db(seed: int) -> None:
    rng = np.random.default_rng(seed)
    partials = Partials(
        rng.uniform(50.0, 900.0, (7, 20)),
        rng.uniform(1.5, 60.0, (7, 20)),
        rng.uniform(0.0, 0.5, (7, 20)),
        np.zeros(20, np.int64),
        np.zeros(20),
    )
    noise = Noise(2000.0, 9000.0, 0.3, 0.0, 0.08)
    loudest = np.full(20, 0.2)
    found = _length(partials, Noises([[noise], []], np.arange(20) % 2), loudest)
    power = float(_spectrum(noise)[1].sum()) * noise.amplitude**2
    for i in range(20):
        turn = 2.0 * np.pi * partials.hz[:, i] * LENGTH_FRAME_S
        each = 0.5 * partials.amplitude[:, i] ** 2 * (1.0 + np.abs(np.sin(turn) / turn))

        def over(time: float, i: int = i, each: np.ndarray = each) -> float:
            level = (each * np.exp(-2.0 * partials.rate[:, i] * time)).sum()
            level += (i % 2 == 0) * power * np.exp(-6.0 * np.log(10.0) / noise.t60_s * time)
            return float(level - DROP * loudest[i])

        asked = brentq(over, 0.0, 5.0)
        assert found[i] == pytest.approx(asked + 0.5 * LENGTH_FRAME_S, abs=0.0005)


def test_a_bursts_spectrum_is_that_of_the_filter_it_is_rendered_with() -> None:
    for low, high in ((300.0, 900.0), (2000.0, 9000.0), (1500.0, 30000.0)):
        bins, power = _spectrum(Noise(low, high, 1.0, 0.0, 0.1))
        band = [low, min(high, 0.45 * RATE_HZ)]
        sections = butter(2, band, btype="bandpass", fs=RATE_HZ, output="sos")
        _, response = sosfreqz(sections, len(bins), fs=RATE_HZ)
        asked = np.abs(response) ** 2
        assert power / power.max() == pytest.approx(asked / asked.max(), abs=1e-6)
