"""A drum's takes teach the model: better there, no surer than it may be, the prior without any."""

import itertools

import numpy as np
import pytest

from emblar.core.acoustics.calibration import MeasuredTuning, calibrate
from emblar.core.acoustics.coefficients import Coefficients, prior_coefficients
from emblar.core.acoustics.drum import Drum
from emblar.core.acoustics.forward import predict
from emblar.core.notes import cents
from emblar.core.quantities import Measured
from tests.drums import film, tom

PRIOR = prior_coefficients()
UNCERTAIN = ("film_tolerance", "outer_air_share", "edge_inset", "edge_loss", "film_loss")
SNARE = tom(14, 6, kind="snare", reso=film(3), rods=10)


def another_world(seed: int) -> tuple[Coefficients, float]:
    """Return coefficients and an offset in cents as a real drum might have them."""
    rng = np.random.default_rng(seed)
    k = PRIOR
    for name in UNCERTAIN:
        k = k.shifted(name, by_sd=float(np.clip(rng.normal(), -1.8, 1.8)))
    return k, float(rng.normal(0.0, 60.0))


def take(
    drum: Drum, lugs: tuple[float, float], world: tuple[Coefficients, float]
) -> MeasuredTuning:
    k, offset = world
    found = predict(drum, *lugs, coefficients=k)
    hz = found.drum_pitch.value * 2.0 ** (offset / 1200.0)
    return MeasuredTuning(
        drum,
        *lugs,
        Measured(hz, hz * 0.003, "Hz"),
        Measured(found.sustain.value, 0.08 * found.sustain.value, "s"),
    )


@pytest.mark.parametrize("drum", [tom(), tom(16, 14), SNARE], ids=["12 tom", "16 tom", "snare"])
@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_after_two_tunings_a_third_is_right_within_two_per_cent(drum: Drum, seed: int) -> None:
    world = another_world(seed)
    base = 320.0 if drum.kind == "snare" else 160.0 * 12 * 0.0254 / drum.diameter_m
    learned = calibrate(
        [take(drum, (base, base * 1.1), world), take(drum, (base * 1.25, base * 1.2), world)]
    )
    third = (base * 1.1, base * 1.5)
    truth = take(drum, third, world)
    assert truth.pitch is not None
    found = learned.predict(drum, *third)
    assert found.prediction.drum_pitch.value == pytest.approx(truth.pitch.value, rel=0.02)
    assert found.measured_share["pitch"] > 0.5
    off = abs(cents(found.prediction.drum_pitch.value, truth.pitch.value))
    assert off < 3.0 * found.prediction.drum_pitch_sd_cents


def test_sustain_comes_nearer_too() -> None:
    world = (PRIOR.shifted("edge_loss", by_sd=1.8), 0.0)
    drum = tom()
    truth = take(drum, (150.0, 190.0), world).sustain
    assert truth is not None
    learned = calibrate([take(drum, (160.0, 180.0), world), take(drum, (200.0, 190.0), world)])
    before = predict(drum, 150.0, 190.0).sustain
    after = learned.predict(drum, 150.0, 190.0).prediction.sustain
    assert abs(after.value - truth.value) < 0.6 * abs(before.value - truth.value)
    assert after.sd / after.value < before.sd / before.value


def test_without_takes_it_is_the_prior_and_says_so() -> None:
    found = calibrate([]).predict(tom(), 160.0, 180.0)
    plain = predict(tom(), 160.0, 180.0)
    assert found.prediction.drum_pitch.value == pytest.approx(plain.drum_pitch.value)
    assert found.measured_share["pitch"] == pytest.approx(0.0, abs=1e-6)
    assert found.prediction.drum_pitch_sd_cents == pytest.approx(plain.drum_pitch_sd_cents, rel=0.3)


def test_more_takes_leave_less_uncertainty_and_nothing_is_learned_of_what_is_not_there() -> None:
    world = another_world(9)
    lugs = [(150.0, 180.0), (170.0, 180.0), (200.0, 240.0), (160.0, 260.0)]
    takes = [take(tom(), pair, world) for pair in lugs]
    spreads = [
        calibrate(takes[:n]).predict(tom(), 180.0, 200.0).prediction.drum_pitch_sd_cents
        for n in range(5)
    ]
    assert all(b < a for a, b in itertools.pairwise(spreads))
    assert calibrate(takes).learned()["wires_resistance"] == pytest.approx(0.0, abs=1e-6)
