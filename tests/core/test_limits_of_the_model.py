"""The model against limits that are known, and against an independent solution over its range."""

import math

import numpy as np
import pytest

from emblar.core.acoustics.basis import basis
from emblar.core.acoustics.cavity import coupled_modes, drum_pitch_mode
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import half_baffled, radiation_rate
from emblar.core.acoustics.drum import Tensions
from emblar.core.acoustics.head import lug_pitch_from_tension
from tests.core.solver import axial_modes_hz
from tests.core.test_acoustics import with_values
from tests.drums import film, tom

PRIOR = prior_coefficients()
DRAWN = np.random.default_rng(11)
RANGE = [
    (
        float(DRAWN.uniform(8, 26)),
        float(DRAWN.uniform(4, 20)),
        float(10 ** DRAWN.uniform(np.log10(0.2), np.log10(3.0))),
        float(10 ** DRAWN.uniform(np.log10(0.3), np.log10(3.0))),
    )
    for _ in range(16)
]
CORNERS = [
    (8, 20, 0.2, 3.0),
    (8, 20, 3.0, 0.3),
    (26, 4, 0.2, 0.3),
    (26, 4, 3.0, 3.0),
    (26, 20, 0.2, 3.0),
    (8, 4, 3.0, 0.3),
]


@pytest.mark.parametrize(("diameter", "depth", "films", "tensions"), [*RANGE, *CORNERS])
def test_drum_pitch_is_within_three_per_cent_of_an_independent_solution_over_the_whole_range(
    diameter: float, depth: float, films: float, tensions: float
) -> None:
    k = with_values(outer_air_share=0.0, edge_inset=0.0)
    densities = (0.35, 0.35 * films)
    heads = [film(d / k["pet_density"] / 25.4e-6) for d in densities]
    drum = tom(diameter, depth, batter=heads[0], reso=heads[1])
    pair = (1200.0, 1200.0 * tensions)
    pitch = drum_pitch_mode(coupled_modes(drum, Tensions(*pair), 0, k), drum, drum.radius_m(k))
    solved = axial_modes_hz(
        drum.radius_m(k),
        drum.depth_m,
        pair,
        densities,
        near_hz=pitch.frequency_hz,
        air=k["air_density"],
    )
    nearest = solved[np.argmin(np.abs(solved - pitch.frequency_hz))]
    assert pitch.frequency_hz == pytest.approx(nearest, rel=0.03)


@pytest.mark.parametrize("depth", [4.0, 10.0, 20.0])
def test_one_head_on_a_rigid_duct_has_that_ducts_modes(depth: float) -> None:
    k = with_values(outer_air_share=0.0, edge_inset=0.0)
    drum = tom(14.0, depth, batter=film(10), reso=film(10))
    density = drum.batter.areal_density_kg_per_m2(k)
    pair = (1500.0, 1e9)
    found = coupled_modes(drum, Tensions(*pair), 0, k)[0].frequency_hz
    solved = axial_modes_hz(
        drum.radius_m(k),
        drum.depth_m,
        pair,
        (density, density),
        near_hz=found,
        air=k["air_density"],
    )
    assert found == pytest.approx(solved[np.argmin(np.abs(solved - found))], rel=0.01)


def test_a_heads_pitch_goes_with_the_root_of_its_tension() -> None:
    one = lug_pitch_from_tension(tom(), "batter", 900.0, PRIOR)
    assert lug_pitch_from_tension(tom(), "batter", 3600.0, PRIOR) == pytest.approx(2.0 * one)


@pytest.mark.parametrize("ka", [0.01, 0.05])
def test_at_low_ka_a_head_radiates_as_a_piston_that_sweeps_as_much(ka: float) -> None:
    # Baffled: R = ρ c k² S²/(2π), here halved for a head with air on both sides of its hoop.
    radius = 0.15
    amplitude = np.array([1.0, 0.2, -0.1])
    found = half_baffled(basis(0), amplitude, radius, ka / radius, PRIOR)
    swept = float(basis(0).swept @ amplitude) * radius**2
    impedance = PRIOR["air_density"] * PRIOR["sound_speed"]
    expected = 0.5 * impedance * (ka / radius) ** 2 * swept**2 / (2.0 * math.pi)
    assert found == pytest.approx(expected, rel=0.01)


@pytest.mark.parametrize("tension", [300.0, 1200.0, 4000.0])
def test_heads_that_move_the_same_way_radiate_less_than_heads_opposed(tension: float) -> None:
    drum = tom(batter=film(10), reso=film(10))
    modes = coupled_modes(drum, Tensions(tension, tension), 0, PRIOR)
    same, opposed = (radiation_rate(mode, drum, PRIOR) for mode in modes[:2])
    assert same < 0.2 * opposed
