"""Taps: told within a few cents, or not told at all."""

import math
from collections.abc import Callable
from functools import partial

import numpy as np
import pytest
from scipy.signal import resample_poly

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import METRES_PER_INCH, Drum, Side
from emblar.core.acoustics.head import lug_pitch_from_tension
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import BadAudioError
from emblar.core.synthesis.practice import PracticeDrum, practice_drum
from emblar.core.tuning.tap import Tap, read_taps, tapped_head

RATE = 44100
DRUMS = {
    "tom": Drum(
        "tom",
        12 * METRES_PER_INCH,
        0.2,
        6,
        SHIPPED.construction("double-coated").film(),
        SHIPPED.construction("single-thin-clear").film(),
    ),
    "snare": Drum(
        "snare",
        14 * METRES_PER_INCH,
        0.14,
        10,
        SHIPPED.construction("single-coated").film(),
        SHIPPED.construction("snare-side-thin").film(),
    ),
    "kick": Drum(
        "kick",
        22 * METRES_PER_INCH,
        0.4,
        8,
        SHIPPED.construction("single-coated").film(),
        SHIPPED.construction("single-coated").film(),
    ),
}
TENSION = {"tom": 900.0, "snare": 3500.0, "kick": 450.0}


def practice(kind: str, seed: int) -> PracticeDrum:
    drum, k = DRUMS[kind], prior_coefficients()
    reso = 2000.0 if kind == "snare" else 1.2 * TENSION[kind]
    return practice_drum(
        drum,
        lug_pitch_from_tension(drum, "batter", TENSION[kind], k),
        lug_pitch_from_tension(drum, "reso", reso, k),
        uneven=0.08,
        seed=seed,
    )


def clip(hidden: PracticeDrum, side: Side, rod: int) -> np.ndarray:
    """Return a tap 0.3 s into a second of silence."""
    out = np.zeros(round(1.2 * RATE))
    tap = hidden.tap(side, rod, rate=RATE, seconds=0.8)
    out[round(0.3 * RATE) : round(0.3 * RATE) + len(tap)] += tap
    return out


def loudness(samples: np.ndarray) -> float:
    return float(np.mean(samples[round(0.33 * RATE) : round(0.58 * RATE)] ** 2))


def under(sound: np.ndarray, other: np.ndarray, by_db: float) -> np.ndarray:
    """Return a sound with another so far under it while the tap rings."""
    share = loudness(sound) / max(loudness(other), 1e-20) * 10.0 ** (-by_db / 10.0)
    return sound + math.sqrt(share) * other


def read(samples: np.ndarray, hidden: PracticeDrum, side: Side = "batter") -> Tap | None:
    taps = read_taps(samples, RATE, tapped_head(hidden.drum, side))
    return next((t for t in taps if abs(t.time_s - 0.33) < 0.06), None)


def off(tap: Tap | None, hidden: PracticeDrum, side: Side, rod: int) -> float | None:
    if tap is None or tap.hz is None:
        return None
    return abs(1200.0 * math.log2(tap.hz / hidden.rod_pitches_hz(side)[rod]))


def syllables(rng: np.random.Generator, count: int) -> np.ndarray:
    """Return voiced sound through three resonances, rising and falling like speech."""
    time = np.arange(count) / RATE
    pitch = 110.0 * 2.0 ** rng.uniform(-0.3, 1.0) * (1.0 + 0.15 * np.sin(2.0 * np.pi * time))
    phase, out = np.cumsum(pitch) / RATE, np.zeros(count)
    places = (rng.uniform(300, 800), rng.uniform(900, 2200), 2600.0)
    for harmonic in range(1, 25):
        gain = sum(1.0 / (1.0 + ((harmonic * pitch - f) / 100.0) ** 2) for f in places)
        out += gain * np.sin(2.0 * np.pi * harmonic * phase)
    rise = np.clip(np.sin(2.0 * np.pi * rng.uniform(2.5, 5.0) * time + rng.uniform(0, 6)), 0, 1)
    return out * np.sqrt(rise) + 0.1 * rng.standard_normal(count) * (1.0 - rise)


@pytest.mark.parametrize("kind", list(DRUMS))
@pytest.mark.parametrize("side", ["batter", "reso"])
def test_a_tap_at_20_db_is_read_within_5_cents(kind: str, side: Side) -> None:
    errors = []
    for seed in range(4):
        hidden = practice(kind, seed)
        sound, rng = clip(hidden, side, seed), np.random.default_rng(seed)
        noisy = under(sound, rng.standard_normal(len(sound)), 20.0)
        errors.append(off(read(noisy, hidden, side), hidden, side, seed))
    told = [e for e in errors if e is not None]
    assert len(told) >= 3
    assert max(told) < 5.0


def other_drum(seed: int, count: int) -> np.ndarray:
    """Return the first ``count`` samples of another kind of drum, a little after its stroke."""
    other = practice(["kick", "tom", "snare"][seed % 3], seed + 50)
    return other.strike(rate=RATE, seconds=3.0)[8000 : 8000 + count]


def other_head(hidden: PracticeDrum, rod: int, count: int) -> np.ndarray:
    """Return the first ``count`` samples of a tap on the other head."""
    return clip(hidden, "reso", rod)[:count]


@pytest.mark.parametrize("by_db", [0.0, 6.0])
@pytest.mark.parametrize("what", ["noise", "speech", "other drum", "other head"])
def test_whatever_else_sounds_no_wrong_note_is_told(what: str, by_db: float) -> None:
    for seed in range(10):
        kind = ["tom", "snare", "kick"][seed % 3]
        hidden, rng = practice(kind, seed), np.random.default_rng(100 + seed)
        sound, rod = clip(hidden, "batter", seed % 6), seed % 6
        others: dict[str, Callable[[int], np.ndarray]] = {
            "noise": rng.standard_normal,
            "speech": partial(syllables, rng),
            "other drum": partial(other_drum, seed),
            "other head": partial(other_head, hidden, rod),
        }
        mixed = under(sound, others[what](len(sound)), by_db)
        error = off(read(mixed, hidden), hidden, "batter", rod)
        assert error is None or error < 50.0, (what, seed, error)


@pytest.mark.parametrize("rate", [8000, 16000, 48000, 96000])
def test_any_rate_tells_the_same(rate: int) -> None:
    hidden = practice("tom", 3)
    sound = clip(hidden, "batter", 2)
    other = resample_poly(sound, rate // 100, RATE // 100)
    taps = read_taps(other, rate, tapped_head(hidden.drum, "batter"))
    error = off(taps[0], hidden, "batter", 2)
    assert error is not None
    assert error < 5.0


def test_a_round_of_taps_is_read_in_order_and_a_double_tap_is_named() -> None:
    hidden = practice("tom", 5)
    round_of = np.concatenate([hidden.tap("batter", r, rate=RATE) for r in range(6)])
    taps = read_taps(round_of, RATE, tapped_head(hidden.drum, "batter"))
    assert [round(t.time_s / 1.2) for t in taps] == [0, 1, 2, 3, 4, 5]
    assert all(t.is_read for t in taps)
    twice = clip(hidden, "batter", 0)
    twice[round(0.08 * RATE) :] += twice[: -round(0.08 * RATE)]
    taps = read_taps(twice, RATE, tapped_head(hidden.drum, "batter"))
    assert taps[0].why_not == "double tap"


def test_strokes_on_the_whole_drum_are_mostly_no_taps() -> None:
    read = []
    for seed in range(12):
        hidden = practice(["tom", "snare", "kick"][seed % 3], seed)
        struck = np.concatenate([np.zeros(RATE // 3), hidden.strike(rate=RATE, seconds=1.5)])
        read += [t.why_not for t in read_taps(struck, RATE, tapped_head(hidden.drum, "batter"))]
    assert read.count(None) <= len(read) // 4
    assert "other head" in read


def test_a_clipped_tap_says_so() -> None:
    hidden = practice("tom", 6)
    loud = np.clip(60.0 * clip(hidden, "batter", 0), -0.9, 0.9)
    tap = read(loud, hidden)
    assert tap is not None
    assert tap.why_not == "clipped"


@pytest.mark.parametrize(
    ("samples", "rate"), [(np.zeros(44100), 44100), (np.ones(10), 44100), (np.ones(9000), 4000)]
)
def test_a_clip_with_nothing_to_read_is_refused_with_what_to_do(
    samples: np.ndarray, rate: int
) -> None:
    with pytest.raises(BadAudioError, match=r"tap again|record with"):
        read_taps(samples, rate, tapped_head(DRUMS["tom"], "batter"))


def test_strokes_on_a_whole_tom_or_kick_are_no_taps_where_the_pitch_is_known() -> None:
    measured = {"tom": 0, "kick": 0}
    for seed in range(12):
        kind = ["tom", "kick"][seed % 2]
        hidden = practice(kind, seed)
        about_hz = float(np.mean(hidden.rod_pitches_hz("batter")))
        struck = np.concatenate([np.zeros(RATE // 3), hidden.strike(rate=RATE, seconds=1.5)])
        taps = read_taps(struck, RATE, tapped_head(hidden.drum, "batter", about_hz, 4.0))
        measured[kind] += sum(t.hz is not None for t in taps)
    assert measured["kick"] == 0
    assert measured["tom"] <= 1
