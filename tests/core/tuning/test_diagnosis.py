"""What a stroke gives away, and that a good drum gives away nothing."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from emblar.core.acoustics.forward import predict
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.synthesis.practice import practice_drum
from emblar.core.tuning.diagnosis import Cause, Expected, cause_texts, diagnose

RATE = ANALYSIS_RATE_HZ
OWNED = OwnedDrum(
    "Rack 12", "tom", 12, 8, 6, "flanged", "maple-lacquer", "double-coated", "single-thin-clear"
)
Change = Callable[[np.ndarray], np.ndarray]


def expected() -> Expected:
    found = predict(model(SHIPPED, OWNED), 190.0, 200.0)
    return Expected(found.drum_pitch.value, found.sustain.value)


def told(
    seed: int = 1,
    *,
    dampers: tuple[str, ...] = (),
    change: Change | None = None,
    what: Expected | None = None,
) -> tuple[Cause, ...]:
    hidden = practice_drum(
        model(SHIPPED, OWNED, dampers=dampers), 190.0, 200.0, uneven=0.0, seed=seed
    )
    hidden.offset_cents = 0.0
    quiet = 1e-4 * np.random.default_rng(seed).standard_normal(RATE // 4)
    sound = np.concatenate([quiet, hidden.strike(rate=RATE, seconds=2.0)])
    sound = change(sound) if change else sound
    audio = Audio(sound[:, None].astype(np.float32), RATE)
    found = analyse(audio, kind="hit", voice="tom-1")
    at = found.hits[0].time_s
    return diagnose(sound, at, found.voices[0], "tom", what or expected())


def rustle(sound: np.ndarray) -> np.ndarray:
    out, start = sound.copy(), RATE // 4 + 2000
    noise = np.random.default_rng(3).standard_normal(RATE // 2)
    out[start : start + len(noise)] += 0.02 * np.abs(sound).max() * noise
    return out


def second_knock(sound: np.ndarray) -> np.ndarray:
    out, start = sound.copy(), RATE // 4 + round(0.09 * RATE)
    noise = np.random.default_rng(4).standard_normal(400) * np.exp(-np.arange(400) / 80.0)
    out[start : start + 400] += 0.25 * np.abs(sound).max() * noise
    return out


@pytest.mark.parametrize("seed", range(6))
def test_a_good_drum_gives_nothing_away(seed: int) -> None:
    assert told(seed) == ()


@pytest.mark.parametrize(
    ("cause", "how"),
    [
        ("rattle", {"change": rustle}),
        ("slap-back", {"change": second_knock}),
        ("dead", {"dampers": ("cloth",)}),
        ("off-note", {"what": replace(expected(), pitch_hz=1.07 * (expected().pitch_hz or 1.0))}),
        ("warble", {"what": replace(expected(), uneven={"reso": (200.0, 45.0)})}),
    ],
)
def test_each_fault_is_named_first(cause: str, how: dict[str, object]) -> None:
    found = told(**how)  # type: ignore[arg-type]
    assert [c.id for c in found][:1] == [cause]
    assert 0.0 < found[0].sure <= 1.0


def test_a_warble_names_its_head_and_how_often_it_beats() -> None:
    found = told(what=replace(expected(), uneven={"batter": (190.0, 5.0), "reso": (200.0, 45.0)}))
    assert found[0].head == "reso"
    assert found[0].numbers["hz"] == pytest.approx(5.3, abs=0.1)


def test_every_cause_has_words_and_something_to_check() -> None:
    for text in cause_texts().values():
        assert text.symptom
        assert text.mostly
        assert text.checks


def test_a_drum_that_rings_far_shorter_under_a_tight_reso_is_choked() -> None:
    free = expected()
    assert free.sustain_s is not None
    tight = replace(free, planned_s=4.0 * free.sustain_s, tighter=3.0)
    causes = told(what=tight)
    assert causes[0].id == "choked"
    assert causes[0].numbers["semitones"] == 3.0
    assert "dead" not in {c.id for c in causes}, "one cause for one thing"
    at_plan = replace(tight, tighter=0.2)
    assert "choked" not in {c.id for c in told(what=at_plan)}
