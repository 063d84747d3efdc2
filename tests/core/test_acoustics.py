import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq
from scipy.special import jn_zeros

from emblar.core.acoustics.basis import basis
from emblar.core.acoustics.cavity import coupled_modes, drum_pitch_mode
from emblar.core.acoustics.coefficients import Coefficient, Coefficients, prior_coefficients
from emblar.core.acoustics.damping import decay_rate, radiation_rate, t60_s
from emblar.core.acoustics.drum import Drum, PlacedDamper, Tensions
from emblar.core.acoustics.forward import Prediction, drum_pitch_hz, predict
from emblar.core.acoustics.head import lug_pitch_from_tension, tension_from_lug_pitch
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.acoustics.limits import limits
from emblar.core.errors import NoSolutionError
from emblar.core.notes import cents
from tests.core.solver import axial_modes_hz
from tests.drums import film, kick, tom

PRIOR = prior_coefficients()


def with_values(**values: float) -> Coefficients:
    rows = dict(PRIOR.rows)
    for name, value in values.items():
        rows[name] = Coefficient(name, value, 0.0, rows[name].unit, "test")
    return Coefficients(rows)


def test_a_film_in_vacuo_has_the_frequencies_of_the_ideal_membrane() -> None:
    drum, nothing = tom(), with_values(air_density=1e-9)
    a, tension = drum.radius_m(nothing), 1500.0
    sigma = drum.batter.areal_density_kg_per_m2(nothing)
    expected = jn_zeros(1, 1)[0] / (2 * math.pi * a) * math.sqrt(tension / sigma)
    assert lug_pitch_from_tension(drum, "batter", tension, nothing) == pytest.approx(expected)
    modes = coupled_modes(drum, Tensions(tension, 9 * tension), 0, nothing)
    lowest = jn_zeros(0, 1)[0] / (2 * math.pi * a) * math.sqrt(tension / sigma)
    assert modes[0].frequency_hz == pytest.approx(lowest, rel=1e-6)


def test_the_outer_air_of_a_piston_like_shape_has_its_known_mass() -> None:
    # A rigid baffled piston carries 8/3 ρa³; a film's (0,1) shape less, its swept volume smaller.
    shapes = basis(0)
    swept = shapes.swept[0] / math.pi
    assert 0.9 * swept**2 * 8 / 3 < shapes.outer_mass[0, 0] < 1.5 * swept**2 * 8 / 3


@given(st.floats(60.0, 500.0), st.floats(8.0, 18.0))
@settings(max_examples=25, deadline=None)
def test_lug_pitch_and_tension_are_inverse(lug_hz: float, diameter_in: float) -> None:
    drum = tom(diameter_in)
    tension = tension_from_lug_pitch(drum, "reso", lug_hz, PRIOR)
    assert lug_pitch_from_tension(drum, "reso", tension, PRIOR) == pytest.approx(lug_hz)
    four_times = lug_pitch_from_tension(drum, "reso", 4 * tension, PRIOR)
    assert four_times == pytest.approx(2 * lug_hz), "pitch goes with the root of tension"


def test_in_a_very_large_cavity_the_heads_are_independent() -> None:
    # A cavity of a soft gas is a large one: no stiffness couples the heads any more.
    drum, soft = tom(), with_values(sound_speed=3.0, air_density=1e-6)
    assert drum.reso is not None
    a = drum.radius_m(soft)
    alone = [
        jn_zeros(0, 1)[0] / (2 * math.pi * a) * math.sqrt(t / f.areal_density_kg_per_m2(soft))
        for t, f in ((900.0, drum.batter), (2500.0, drum.reso))
    ]
    found = [m.frequency_hz for m in coupled_modes(drum, Tensions(900.0, 2500.0), 0, soft)]
    for pitch in alone:
        assert min(abs(f / pitch - 1) for f in found) < 1e-3


def test_with_equal_heads_the_lower_mode_is_in_phase_and_ignores_the_cavity_stiffness() -> None:
    drum = tom(batter=film(10), reso=film(10))
    pitches = []
    for speed in (320.0, 343.5, 1000.0):
        k = with_values(sound_speed=speed)
        mode = coupled_modes(drum, Tensions(1500.0, 1500.0), 0, k)[0]
        assert not mode.heads_opposed(drum.radius_m(k))
        # No air is squeezed at all, so the cavity's stiffness does not enter.
        assert mode.batter == pytest.approx(-np.asarray(mode.reso), abs=1e-6)
        pitches.append(mode.frequency_hz)
    # The plane wave's own inertia still feels the speed of sound, to second order.
    assert max(pitches) / min(pitches) == pytest.approx(1.0, abs=0.003)


CASES = [
    (12, 8, (1500.0, 1500.0), (0.53, 0.35)),
    (12, 8, (1000.0, 2600.0), (0.53, 0.35)),
    (16, 16, (1200.0, 900.0), (0.5, 0.35)),
    (14, 5, (3500.0, 2500.0), (0.4, 0.106)),
    (8, 4, (1500.0, 1200.0), (0.4, 0.35)),
    (22, 18, (800.0, 900.0), (0.35, 0.35)),
]


@pytest.mark.parametrize(("diameter", "depth", "tensions", "densities"), CASES)
def test_drum_pitch_agrees_with_an_independent_solution_within_one_per_cent(
    diameter: float,
    depth: float,
    tensions: tuple[float, float],
    densities: tuple[float, float],
) -> None:
    k = with_values(outer_air_share=0.0, edge_inset=0.0)
    films = [film(d / k["pet_density"] / 25.4e-6) for d in densities]
    drum = tom(diameter, depth, batter=films[0], reso=films[1])
    modes = coupled_modes(drum, Tensions(*tensions), 0, k)
    pitch = drum_pitch_mode(modes, drum, drum.radius_m(k)).frequency_hz
    solved = axial_modes_hz(
        drum.radius_m(k), drum.depth_m, tensions, densities, near_hz=pitch, air=k["air_density"]
    )
    nearest = solved[np.argmin(np.abs(solved - pitch))]
    assert pitch == pytest.approx(nearest, rel=0.01)


def test_a_port_under_rigid_heads_has_the_frequency_of_a_neck_on_a_closed_duct() -> None:
    # Helmholtz's formula with the duct's depth: ωI = ρc/S · cot(kL).
    drum = kick(port_radius_m=0.0635)
    stiff = coupled_modes(drum, Tensions(1e9, 1e9), 0, PRIOR)[0].frequency_hz
    # Half the neck's end correction inside, where the tube confines it (Karal), half outside,
    # where it goes from a flanged to an unflanged end.
    share = 0.0635 / drum.radius_m(PRIOR)
    inside = 0.85 * (1.0 - 1.13 * share - 0.09 * share**2 + 0.27 * share**3)
    neck = PRIOR["port_wall"] + (inside + 0.85 - (0.85 - 0.613) * share) * 0.0635
    inertance = PRIOR["air_density"] * neck / (math.pi * 0.0635**2)
    impedance = PRIOR["air_density"] * PRIOR["sound_speed"]
    impedance /= math.pi * drum.radius_m(PRIOR) ** 2

    def off(hz: float) -> float:
        omega = 2 * math.pi * hz
        return omega * inertance - impedance / math.tan(omega / PRIOR["sound_speed"] * drum.depth_m)

    assert stiff == pytest.approx(brentq(off, 10.0, 150.0), rel=0.005)


def _held(drum: Drum, semitones: float, wish_hz: float = 125.0) -> Prediction:
    lugs = lug_pitches_for(drum, wish_hz, semitones)
    return predict(drum, lugs.batter_hz, lugs.reso_hz)


def test_at_equal_drum_pitch_radiation_alone_lets_equal_heads_ring_longest() -> None:
    drum = tom(batter=film(10), reso=film(10))

    def radiated(semitones: float) -> float:
        tensions = _held(drum, semitones).tensions
        mode = coupled_modes(drum, tensions, 0, PRIOR)[0]
        return t60_s(radiation_rate(mode, drum, PRIOR))

    assert radiated(0.0) > radiated(7.0)
    assert radiated(0.0) > radiated(-7.0)


def test_the_upper_mode_radiates_far_more_than_the_lower() -> None:
    drum = tom()
    modes = coupled_modes(drum, Tensions(1500.0, 1500.0), 0, PRIOR)
    assert modes[1].heads_opposed(drum.radius_m(PRIOR))
    assert radiation_rate(modes[1], drum, PRIOR) > 10 * radiation_rate(modes[0], drum, PRIOR)


def test_tape_at_the_edge_takes_overtones_and_a_pad_at_the_centre_the_fundamental() -> None:
    tensions = Tensions(1500.0, 1500.0)

    def ratio(radius: float, m: int) -> float:
        damped = tom(dampers=(PlacedDamper("batter", radius, 2.0, 0.0),))
        mode = coupled_modes(tom(), tensions, m, PRIOR)[0]
        bare = decay_rate(mode, tom(), tensions, PRIOR)
        return decay_rate(mode, damped, tensions, PRIOR) / bare

    assert ratio(0.85, 1) > ratio(0.85, 0) > 1.0
    assert ratio(0.0, 0) > ratio(0.85, 0)
    assert ratio(0.0, 1) == pytest.approx(1.0)


@given(
    diameter=st.sampled_from([8.0, 10.0, 13.0, 16.0, 18.0]),
    depth=st.floats(5.0, 16.0),
    share=st.floats(0.15, 0.85),
    semitones=st.floats(-4.0, 7.0),
    heavy=st.booleans(),
)
@settings(max_examples=30, deadline=None)
def test_lug_pitches_for_a_wish_give_the_wish_within_a_cent(
    diameter: float, depth: float, share: float, semitones: float, heavy: bool
) -> None:
    drum = tom(diameter, depth, batter=film(7, 7) if heavy else film(10))
    wish = 60.0 * (250.0 / 60.0) ** share * 12.0 / diameter
    lugs = lug_pitches_for(drum, wish, semitones)
    prediction = predict(drum, lugs.batter_hz, lugs.reso_hz)
    assert abs(cents(prediction.drum_pitch.value, wish)) < 1.0
    assert cents(lugs.reso_hz or 0, lugs.batter_hz) == pytest.approx(100 * semitones, abs=1e-6)


@pytest.mark.parametrize("changes", [{"port_radius_m": 0.0635}, {"reso": None}, {}])
def test_kicks_with_port_or_without_front_head_are_solved_too(changes: dict[str, Any]) -> None:
    drum = kick(**changes)
    lugs = lug_pitches_for(drum, 55.0, 3.0)
    assert abs(cents(predict(drum, lugs.batter_hz, lugs.reso_hz).drum_pitch.value, 55.0)) < 1.0


def test_drum_pitch_rises_with_either_head() -> None:
    base = drum_pitch_hz(tom(), Tensions(1500.0, 1500.0), PRIOR)
    assert drum_pitch_hz(tom(), Tensions(1700.0, 1500.0), PRIOR) > base
    assert drum_pitch_hz(tom(), Tensions(1500.0, 1700.0), PRIOR) > base


def test_a_pitch_no_head_can_reach_is_said_with_what_can_be_reached() -> None:
    with pytest.raises(NoSolutionError, match=r"900\.0 Hz is outside .* choose another"):
        lug_pitches_for(tom(), 900.0, 0.0)


def test_the_pitch_of_a_tom_is_known_to_a_third_of_a_semitone_or_worse() -> None:
    prediction = predict(tom(), 208.0, 233.0)
    assert 33 < prediction.drum_pitch_sd_cents < 60
    assert prediction.drum_pitch.sd > 0


def test_limits_name_head_value_and_threshold() -> None:
    snare = replace(tom(14, 6), kind="snare", reso=film(3), rods=10)
    found = limits(snare, Tensions(200.0, 8000.0), PRIOR)
    codes = {(x.code, x.side) for x in found}
    assert ("film_stress", "reso") in codes
    assert ("papery", "batter") in codes
    assert found[0].severity == "stop"
    assert found[0].text.startswith("The snare side is at 111 % of the tension its film can take")
    everyday = limits(snare, Tensions(400.0, 4000.0), PRIOR)
    assert everyday == [], "that a snare side bears every day"
    hanging = limits(snare, Tensions(60.0, 1500.0), PRIOR)
    assert [(x.code, x.severity, x.side) for x in hanging] == [("slack", "stop", "batter")]


def test_every_coefficient_has_a_unit_an_uncertainty_and_a_source() -> None:
    for row in PRIOR.rows.values():
        assert row.unit
        assert row.source
        assert row.sd > 0
