"""Recordings that were too loud once: what is damaged is said, what is not is still measured."""

import numpy as np
import pytest

from emblar.core.analysis.card.clipping import damage, is_clipped
from emblar.core.analysis.pipeline import Analysis, analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.notes import cents
from emblar.core.quantities import Measured, Unknown
from tests.recordings import RATE, short_groove


def too_loud(by_db: float, gain: float = 1.0) -> np.ndarray:
    sound = short_groove()
    sound = sound / np.abs(sound).max()
    return gain * np.clip(sound * 10.0 ** (by_db / 20.0), -1.0, 1.0)


def heard(samples: np.ndarray) -> Analysis:
    return analyse(Audio(samples, RATE), kind="drums")


@pytest.fixture(scope="module")
def unharmed() -> Analysis:
    return heard(too_loud(0.0, 0.8))


@pytest.fixture(scope="module", params=[6.0, 12.0, 18.0])
def clipped(request: pytest.FixtureRequest) -> tuple[float, Analysis]:
    return request.param, heard(too_loud(request.param))


def test_an_unharmed_recording_is_not_taken_for_a_clipped_one(unharmed: Analysis) -> None:
    for gain in (1.0, 0.3):
        mono = too_loud(0.0, gain).mean(axis=1)
        assert not is_clipped(mono)
        assert damage(mono, np.array([h.time_s for h in unharmed.hits])).max() == 0.0
    assert unharmed.clipped == 0.0


def test_no_stroke_is_thrown_away_for_being_loud(
    unharmed: Analysis, clipped: tuple[float, Analysis]
) -> None:
    _, found = clipped
    for voice in ("kick", "snare", "tom-1"):
        own = [sum(h.voice == voice for h in a.hits) for a in (unharmed, found)]
        assert own[0] == own[1], voice
        clean = [
            next(v.clean_hits for v in a.voices if v.voice == voice) for a in (unharmed, found)
        ]
        assert clean[0] == clean[1], voice


def test_what_is_told_of_a_clipped_recording_holds_within_what_is_stated(
    unharmed: Analysis, clipped: tuple[float, Analysis]
) -> None:
    by_db, found = clipped
    true = {v.voice: v for v in unharmed.voices}
    for card in found.voices:
        if card.voice in ("hat", "cymbal"):
            continue
        for name in ("pitch", "sustain", "attack", "length", "body"):
            told, was = card[name], true[card.voice][name]
            if isinstance(told, Measured) and isinstance(was, Measured):
                off = abs(told.value - was.value)
                assert off <= 2.5 * float(np.hypot(told.sd, was.sd)), (by_db, card.voice, name)
        told, was = card["pitch"], true[card.voice]["pitch"]
        assert isinstance(told, Measured)
        assert isinstance(was, Measured)
        assert abs(cents(told.value, was.value)) < 15.0


def test_the_same_recording_turned_down_is_told_the_same(clipped: tuple[float, Analysis]) -> None:
    by_db, loud = clipped
    soft = heard(too_loud(by_db, 0.4))
    assert [(h.time_s, h.voice, h.clean) for h in soft.hits] == [
        (h.time_s, h.voice, h.clean) for h in loud.hits
    ]
    for one, other in zip(soft.voices, loud.voices, strict=True):
        for name in ("pitch", "sustain", "attack", "length", "click", "body"):
            a, b = one[name], other[name]
            assert isinstance(a, Measured) == isinstance(b, Measured)
            if isinstance(a, Measured) and isinstance(b, Measured):
                assert a.value == pytest.approx(b.value, rel=1e-3), name
                assert a.sd == pytest.approx(b.sd, rel=1e-2), name


def test_it_is_said_that_a_recording_is_clipped(
    unharmed: Analysis, clipped: tuple[float, Analysis]
) -> None:
    by_db, found = clipped
    if by_db < 10.0:
        return
    assert found.clipped > 0.01
    snares = [next(v for v in a.voices if v.voice == "snare") for a in (unharmed, found)]
    attacks = [v["attack"] for v in snares]
    assert all(isinstance(a, Measured) for a in attacks)
    assert attacks[1].sd > 2.0 * attacks[0].sd  # type: ignore[union-attr]
    told = snares[1]["dynamics_attack"]
    assert isinstance(told, Unknown)
    assert "clipped" in told.reason
