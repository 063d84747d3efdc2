"""A plan's card against what many strokes of that drum measure."""

import numpy as np
import pytest

from emblar.core.acoustics.forward import predict, settling
from emblar.core.analysis.card.envelope import StrokeShape, stroke_shape
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ as RATE
from emblar.core.catalogue import SHIPPED
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.predicted import predicted_card
from emblar.core.quantities.registry import steps
from emblar.core.synthesis.stroke import (
    HEARD_T60,
    Noise,
    Partial,
    Voice,
    drum_voice,
    render_stroke,
)
from tests.drums import OWNED_KICK, OWNED_SNARE, OWNED_TOM

LUGS = {"tom": (210.0, 240.0), "snare": (290.0, 340.0), "kick": (100.0, 100.0)}
DRUMS = [OWNED_TOM, OWNED_SNARE, OWNED_KICK]


def measured(voice: Voice, pitch_hz: float, seed: int) -> StrokeShape:
    rng = np.random.default_rng([5, seed])
    stroke = render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng, length_s=0.5)
    sound = np.concatenate([np.zeros(RATE // 10), stroke])
    return stroke_shape(sound, 0.1, pitch_hz, 0.45)


@pytest.mark.parametrize("owned", DRUMS, ids=lambda o: o.kind)
def test_click_and_attack_are_what_strokes_measure_on_the_whole(owned: OwnedDrum) -> None:
    told = predict(model(SHIPPED, owned), *LUGS[owned.kind])
    card = predicted_card(told, owned.kind)
    voice = drum_voice(told, owned.kind)
    shapes = [measured(voice, told.drum_pitch.value, seed) for seed in range(40)]
    clicks = [s.click_hz for s in shapes if s.click_hz is not None]
    attacks = [s.attack_db for s in shapes if s.attack_db is not None]
    assert len(clicks) == len(attacks) == 40
    apart = steps()["click"].apart(card["click"].value, float(np.mean(clicks)))
    assert abs(apart) < 0.5
    apart = steps()["attack"].apart(card["attack"].value, float(np.mean(attacks)))
    assert abs(apart) < 0.5


@pytest.mark.parametrize("owned", DRUMS, ids=lambda o: o.kind)
def test_the_same_prediction_gives_the_same_card(owned: OwnedDrum) -> None:
    told = predict(model(SHIPPED, owned), *LUGS[owned.kind])
    assert predicted_card(told, owned.kind) == predicted_card(told, owned.kind)


@pytest.mark.parametrize("owned", DRUMS, ids=lambda o: o.kind)
def test_where_a_stroke_settles_needs_no_overtones(owned: OwnedDrum) -> None:
    drum = model(SHIPPED, owned)
    whole, quick = predict(drum, *LUGS[owned.kind]), settling(drum, *LUGS[owned.kind])
    assert quick.drum_pitch_hz == pytest.approx(whole.drum_pitch.value, rel=1e-6)
    assert quick.sustain_s == pytest.approx(whole.sustain.value, rel=1e-6)
    assert quick.bend_cents == pytest.approx(whole.bend_cents.value, rel=1e-6)


def test_a_partial_is_rendered_until_nothing_of_it_is_heard() -> None:
    short, long = Partial(300.0, 0.1, 0.5), Partial(100.0, 1.0, 0.5)
    rng = np.random.default_rng(1)
    both = render_stroke(Voice((long, short), (), 0.0), sample_rate_hz=RATE, force=1.0, rng=rng)
    alone = render_stroke(Voice((long,), (), 0.0), sample_rate_hz=RATE, force=1.0, rng=rng)
    late = int(HEARD_T60 * 0.1 * RATE) + 1
    assert np.abs(both[late:] - alone[late:]).max() == 0.0
    early = slice(0, int(0.09 * RATE))
    assert np.abs(both[early] - alone[early]).max() > 0.1
    jump = np.abs(np.diff(both[late - 50 : late + 50] - alone[late - 50 : late + 50])).max()
    assert jump < 1e-6, "it ends without a click"


def test_a_burst_has_its_level_whatever_its_length() -> None:
    rng = np.random.default_rng(2)
    noise = Noise(1000.0, 4000.0, 0.1, 0.0, 0.4)
    voice = Voice((Partial(50.0, 1.0, 1e-9),), (noise,), 0.0)
    powers = []
    for length in (0.05, 0.5):
        rendered = [
            render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng, length_s=length)
            for _ in range(20)
        ]
        powers.append(np.mean([np.mean(r[: int(0.04 * RATE)] ** 2) for r in rendered]))
    assert powers[0] == pytest.approx(powers[1], rel=0.2)


@pytest.mark.parametrize("lug_hz", [240.0, 280.0, 330.0])
def test_tight_wires_choke_a_snare_and_loose_ones_rustle_on(lug_hz: float) -> None:
    tight, medium, loose = (
        predicted_card(
            predict(model(SHIPPED, OWNED_SNARE, wires_setting=setting), lug_hz, 380.0), "snare"
        )
        for setting in ("tight", "medium", "loose")
    )
    assert tight["body"].value < medium["body"].value
    assert tight["sustain"].value < 0.75 * medium["sustain"].value
    assert loose["length"].value > medium["length"].value


def test_a_kicks_click_is_brighter_the_harder_the_beater_and_never_its_note() -> None:
    beaters = ("beater-fleece", "beater-felt", "beater-wood", "beater-plastic")
    clicks = []
    for beater in beaters:
        prediction = predict(model(SHIPPED, OWNED_KICK, striker=beater), 50.0, 60.0)
        clicks.append(predicted_card(prediction, "kick")["click"].value)
    assert clicks == sorted(clicks)
    assert 1000.0 < clicks[0] < clicks[-1] < 6000.0
