"""The fast model against the one that solves every drum whole; expected cards against measured."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.acoustics.batch import Batch, HeadChoice, table
from emblar.core.acoustics.cavity import coupled_modes
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import T60_FACTOR, decay_rate
from emblar.core.acoustics.dressed import HeadKey, Shell
from emblar.core.acoustics.drum import Drum, PlacedDamper, Tensions
from emblar.core.acoustics.forward import close_level, drum_pitch_hz, predict
from emblar.core.planning.predicted import predicted_card
from emblar.core.quantities.registry import steps
from emblar.core.synthesis.expected import Noises, Partials, expected_card
from emblar.core.synthesis.stroke import drum_voice
from tests.drums import film, kick, tom

PRIOR = prior_coefficients()
TAPE = (PlacedDamper("batter", 0.85, 2.0, 0.004),)
PADS = (PlacedDamper("batter", 0.3, 8.0, 0.05), PlacedDamper("reso", 0.0, 5.0, 0.02))
SNARE = replace(tom(14, 6), kind="snare", reso=film(3), rods=10)
DRUMS = {
    "tom": tom(),
    "small": tom(8, 4),
    "deep": tom(16, 16, dampers=TAPE),
    "damped": tom(14, 12, dampers=PADS, batter=film(10, ring=True)),
    "snare": SNARE,
    "kick": kick(),
    "ported": kick(port_radius_m=0.0635),
    "stuffed": kick(port_radius_m=0.05, dampers=PADS),
}


def batch_of(drum: Drum, tensions: list[tuple[float, float]]) -> Batch:
    def on(side: str) -> tuple[PlacedDamper, ...]:
        return tuple(d for d in drum.dampers if d.side == side)

    assert drum.reso is not None
    choice = HeadChoice(
        drum.kind,
        Shell(drum.radius_m(PRIOR), drum.depth_m),
        drum.rods,
        (HeadKey(drum.kind, "batter", drum.batter, on("batter")),),
        (HeadKey(drum.kind, "reso", drum.reso, on("reso"), drum.port_radius_m),),
        drum.shell_loss_share,
        drum.port_radius_m,
    )
    batter, reso = np.array(tensions).T
    first = np.zeros(len(tensions), np.int64)
    return Batch(table(choice, PRIOR), first, first, batter, reso, PRIOR)


TENSIONS = [(600.0, 500.0), (1500.0, 1500.0), (1000.0, 2600.0), (2500.0, 900.0), (3500.0, 3800.0)]


@pytest.mark.parametrize("name", DRUMS)
def test_pitch_and_sustain_agree_with_the_whole_solution(name: str) -> None:
    drum = DRUMS[name]
    batch = batch_of(drum, TENSIONS)
    modes = batch.modes()
    for index, pair in enumerate(TENSIONS):
        whole = drum_pitch_hz(drum, Tensions(*pair), PRIOR)
        found = float(modes.of_pitch(modes.omega)[index] / (2 * np.pi))
        assert found == pytest.approx(whole, rel=0.002)
        assert batch.pitch_hz()[index] == pytest.approx(whole, rel=0.002)
        mode = min(
            coupled_modes(drum, Tensions(*pair), 0, PRIOR, count=5),
            key=lambda m: abs(m.frequency_hz - whole),
        )
        rate = decay_rate(mode, drum, Tensions(*pair), PRIOR)
        assert modes.of_pitch(modes.rate)[index] == pytest.approx(rate, rel=0.08)
        level = close_level(mode, drum, PRIOR)
        assert abs(20.0 * np.log10(modes.of_pitch(modes.level)[index] / level)) < 1.0


@pytest.mark.parametrize("name", ["tom", "snare", "damped", "kick"])
@pytest.mark.parametrize("m", [1, 2, 3, 4, 5])
def test_modes_with_nodal_diameters_agree_with_the_whole_solution(name: str, m: int) -> None:
    drum = DRUMS[name]
    modes = batch_of(drum, TENSIONS).modes()
    rows = np.nonzero(modes.order == m)[0][:2]
    for index, pair in enumerate(TENSIONS):
        lowest = coupled_modes(drum, Tensions(*pair), m, PRIOR, count=6)
        for row in rows:
            hz = float(modes.omega[row, index] / (2 * np.pi))
            near = min(lowest, key=lambda mode: abs(mode.frequency_hz - hz))
            assert hz == pytest.approx(near.frequency_hz, rel=0.01)
            # Two modes that meet share their losses; the sum over the pair holds.
        found = modes.rate[rows, index].sum()
        pitches = [modes.omega[row, index] / (2 * np.pi) for row in rows]
        whole = [min(lowest, key=lambda mode: abs(mode.frequency_hz - p)) for p in pitches]
        rates = sum(decay_rate(mode, drum, Tensions(*pair), PRIOR) for mode in whole)
        assert found == pytest.approx(rates, rel=0.15)


@given(st.floats(8.0, 20.0), st.floats(0.35, 1.0), st.floats(400.0, 3500.0), st.floats(0.4, 2.5))
@settings(max_examples=30, deadline=None)
def test_any_tom_agrees_in_pitch(
    diameter: float, deep: float, tension: float, ratio: float
) -> None:
    drum = tom(diameter, deep * diameter)
    pair = (tension, tension * ratio)
    whole = drum_pitch_hz(drum, Tensions(*pair), PRIOR)
    assert batch_of(drum, [pair]).pitch_hz()[0] == pytest.approx(whole, rel=0.001)


def test_a_candidate_does_not_depend_on_its_neighbours() -> None:
    together = batch_of(tom(), TENSIONS).modes()
    for index, pair in enumerate(TENSIONS):
        alone = batch_of(tom(), [pair]).modes()
        assert together.rate[:, index] == pytest.approx(alone.rate[:, 0])
        assert together.level[:, index] == pytest.approx(alone.level[:, 0])


CASES = [
    ("tom", tom(12, 8), (180.0, 200.0)),
    ("tom", tom(10, 7, batter=film(10, coated=True)), (230.0, 260.0)),
    ("tom", tom(16, 14), (110.0, 120.0)),
    ("snare", SNARE, (300.0, 360.0)),
    ("snare", replace(SNARE, batter=film(7, 7)), (250.0, 380.0)),
    ("kick", kick(dampers=(PlacedDamper("batter", 0.3, 10.0, 0.05),)), (80.0, 95.0)),
]
# In steps.
WITHIN = {"click": 1.3, "length": 1.5, "ring": 1.2, "body": 1.0, "pitch": 0.2}


@pytest.mark.parametrize(("kind", "drum", "lugs"), CASES)
def test_the_expected_card_is_what_a_rendered_stroke_measures(
    kind: str, drum: Drum, lugs: tuple[float, float]
) -> None:
    prediction = predict(drum, *lugs)
    voice = drum_voice(prediction, kind)
    measured = predicted_card(prediction, kind)
    partials = Partials(
        np.array([[p.frequency_hz] for p in voice.partials]),
        np.array([[T60_FACTOR / p.t60_s] for p in voice.partials]),
        np.array([[p.amplitude] for p in voice.partials]),
        np.zeros(1, np.int64),
        np.array([voice.bend_cents]),
    )
    found = expected_card(
        partials,
        Noises([voice.noises], np.zeros(1, np.int64)),
        voice.settle_s,
        wires=kind == "snare",
    )
    for name, quantity in measured.items():
        off = steps()[name].apart(float(found[name][0]), quantity.value)
        assert abs(off) < WITHIN.get(name, 0.8), f"{name} off by {off:.2f} steps"
