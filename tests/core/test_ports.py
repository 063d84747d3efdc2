"""Kicks without a front head and with any port: one note that moves steadily, and no crash."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.port import hole
from emblar.core.catalogue import SHIPPED
from emblar.core.notes import cents
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field
from emblar.core.synthesis.stroke import drum_voice
from tests.drums import OWNED_KICK, OWNED_SNARE

LUGS = np.arange(35.0, 131.0, 5.0)
OPEN = replace(OWNED_KICK, reso=None, port_in=None)


def pitches(owned: OwnedDrum) -> list[float]:
    reso = [None] * len(LUGS) if owned.reso is None else LUGS.tolist()
    drum = model(SHIPPED, owned)
    return [predict(drum, hz, r).drum_pitch.value for hz, r in zip(LUGS, reso, strict=True)]


@pytest.mark.parametrize("size", [18.0, 22.0, 26.0])
@pytest.mark.parametrize("port", [None, 5.0, 8.0, 11.0, 13.0, 16.0])
def test_the_pitch_moves_steadily_with_tension(size: float, port: float | None) -> None:
    owned = replace(OPEN if port is None else OWNED_KICK, diameter_in=size, port_in=port)
    found = pitches(owned)
    for (low, hz), (high, next_hz) in itertools.pairwise(zip(LUGS, found, strict=True)):
        moved, turned = cents(next_hz, hz), cents(high, low)
        assert 0.3 * turned < moved < 1.6 * turned, (low, high)


def test_a_kick_without_a_front_does_not_jump_an_octave() -> None:
    at_70, at_80 = (predict(model(SHIPPED, OPEN), hz, None).drum_pitch.value for hz in (70.0, 80.0))
    assert 100.0 < cents(at_80, at_70) < 300.0


@given(
    size=st.floats(16.0, 28.0),
    depth=st.floats(8.0, 22.0),
    port=st.floats(1.0, 20.0),
    batter=st.floats(15.0, 1200.0),
    front=st.floats(15.0, 1200.0),
)
@settings(max_examples=60, deadline=None)
def test_any_port_gives_finite_numbers(
    size: float, depth: float, port: float, batter: float, front: float
) -> None:
    owned = replace(OWNED_KICK, diameter_in=size, depth_in=depth, port_in=min(port, size - 0.01))
    found = predict(model(SHIPPED, owned), batter, front)
    numbers = [found.drum_pitch.value, found.drum_pitch.sd, found.sustain.value]
    numbers.append(found.bend_cents.value)
    assert np.all(np.isfinite(numbers))
    assert min(numbers) > 0.0


@pytest.mark.parametrize("port", [None, 5.0, 13.0, 18.0])
def test_the_search_and_the_whole_model_hear_the_same_note(port: float | None) -> None:
    owned = replace(OWNED_KICK, port_in=port) if port else OPEN
    resos = [owned.reso] if owned.reso else []
    field = Field(
        SHIPPED, owned, [owned.batter], resos, [()], ["beater-felt"], ["medium"], port_in=port
    )
    told = field.outlook(field.grid([0.0]), 45.0)
    reso = float(told.reso_hz[0]) if owned.reso else None
    found = predict(model(SHIPPED, owned), float(told.batter_hz[0]), reso)
    assert drum_voice(found, "kick").settled_hz() == pytest.approx(45.0, rel=0.012)


def test_a_large_port_says_that_its_note_is_uncertain() -> None:
    small, large = (
        predict(model(SHIPPED, replace(OWNED_KICK, port_in=p)), 70.0, 70.0) for p in (5.0, 14.0)
    )
    assert large.drum_pitch_sd_cents > 3.0 * small.drum_pitch_sd_cents


def test_a_hole_takes_away_no_more_film_than_there_is() -> None:
    whole = hole(0.97)
    for share in (0.1, 0.3, 0.5, 0.8):
        part = hole(share)
        assert np.all(np.linalg.eigvalsh(part.mass) >= -1e-12)
        assert part.mass[0, 0] < whole.mass[0, 0]
        assert abs(part.swept[0]) < abs(whole.swept[0])


def test_a_cymbal_laid_on_a_snare_sounds_higher_and_an_old_head_lower() -> None:
    bare, cymbal, head = (
        predict(model(SHIPPED, OWNED_SNARE, dampers=on), 280.0, 380.0).drum_pitch.value
        for on in ((), ("small-cymbal",), ("laid-on-head",))
    )
    assert 100.0 < cents(cymbal, bare) < 700.0
    assert cents(head, bare) < -200.0
