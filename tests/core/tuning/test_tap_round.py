"""Rounds of taps on heads that the model does not know: measured, or not, but not wrong."""

import math

import numpy as np
import pytest

from emblar.core.acoustics.drum import METRES_PER_INCH, Drum
from emblar.core.catalogue import SHIPPED
from emblar.core.tuning.tap import Tap, read_separate_taps, read_taps, tapped_head
from emblar.core.tuning.tap_round import Prior, read_round

RATE = 44100
GAP_S = 1.3
RODS = 6
DRUM = Drum(
    "tom",
    12 * METRES_PER_INCH,
    0.2,
    RODS,
    SHIPPED.construction("double-coated").film(),
    SHIPPED.construction("single-thin-clear").film(),
)
HEADS = {
    "open": ((0.62, -2.0, 0.4), (1.0, 0.0, 0.8), (1.37, -1.0, 0.7), (1.56, -8.0, 0.4)),
    "close modes": ((0.84, -6.0, 0.3), (1.0, 0.0, 0.5), (1.34, -4.0, 0.4), (1.7, -7.0, 0.4)),
    "loud below": ((0.58, 3.0, 0.3), (1.0, 0.0, 0.6), (1.47, 1.0, 0.5), (1.85, -5.0, 0.3)),
    "muffled": ((0.7, -8.0, 0.15), (1.0, 0.0, 0.25), (1.42, -6.0, 0.2), (1.95, -12.0, 0.15)),
}
"""Modes of made-up heads: ratio to the lug note, level in dB, decay to -60 dB in s."""


def tap(modes: tuple[tuple[float, float, float], ...], hz: float, seed: int) -> np.ndarray:
    rng, time = np.random.default_rng(seed), np.arange(round(1.1 * RATE)) / RATE
    sound = 0.2 * rng.standard_normal(len(time)) * np.exp(-time / 0.002)
    for ratio, level_db, t60_s in modes:
        phase = 2.0 * np.pi * hz * ratio * time + rng.uniform(0.0, 6.28)
        level = 10.0 ** ((level_db + rng.normal(0.0, 1.5)) / 20.0)
        sound += level * np.sin(phase) * 10.0 ** (-3.0 * time / t60_s)
    return np.asarray(sound)


def played(kind: str, seed: int, noise_db: float = -40.0) -> tuple[np.ndarray, list[float]]:
    """Return a round of taps and the true lug pitches."""
    rng = np.random.default_rng(seed)
    true = [180.0 * 2.0 ** (rng.uniform(-100.0, 100.0) / 1200.0) for _ in range(RODS)]
    out = np.zeros(round((0.4 + RODS * GAP_S) * RATE))
    for rod, hz in enumerate(true):
        start = round((0.3 + rod * GAP_S) * RATE)
        sound = tap(HEADS[kind], hz, 100 * seed + rod)[: len(out) - start]
        out[start : start + len(sound)] += sound
    level = float(np.sqrt(np.mean(out**2)))
    return out + level * 10.0 ** (noise_db / 20.0) * rng.standard_normal(len(out)), true


def errors(taps: tuple[Tap, ...], true: list[float]) -> list[float]:
    """Return the errors of the taps that were measured, cents."""
    return [
        abs(1200.0 * math.log2(one.hz / hz))
        for rod, hz in enumerate(true)
        for one in taps
        if abs(one.time_s - 0.3 - rod * GAP_S) < 0.05 and one.hz is not None
    ]


@pytest.mark.parametrize("kind", list(HEADS))
@pytest.mark.parametrize("off_semitones", [-4.0, 0.0, 3.0])
@pytest.mark.parametrize("noise_db", [-40.0, -10.0])
def test_a_round_on_an_unknown_head_is_measured(
    kind: str, off_semitones: float, noise_db: float
) -> None:
    sound, true = played(kind, 1, noise_db)
    goal_hz = 180.0 * 2.0 ** (off_semitones / 12.0)
    found = errors(read_taps(sound, RATE, tapped_head(DRUM, "batter", goal_hz, 12.0)), true)
    assert len(found) >= RODS - 1
    assert max(found) < 15.0


@pytest.mark.parametrize("seed", range(6))
def test_a_drum_struck_between_the_taps_never_gives_a_wrong_pitch(seed: int) -> None:
    kind = list(HEADS)[seed % len(HEADS)]
    sound, true = played(kind, seed)
    other = tap(HEADS["open"], 180.0 * 2.0 ** ((seed - 3) / 5.0), seed + 50)
    for rod in range(RODS):
        start = round((0.3 + rod * GAP_S + 0.6) * RATE)
        piece = other[: len(sound) - start]
        sound[start : start + len(piece)] += piece
    found = errors(read_taps(sound, RATE, tapped_head(DRUM, "batter", 175.0, 12.0)), true)
    assert all(error < 50.0 for error in found)


def test_two_partials_that_could_both_be_the_lug_note_are_not_decided() -> None:
    rows = np.array([[math.log2(180.0), 0.0], [math.log2(180.0 * 1.4), 0.0]])
    reading = read_round([rows], Prior(80.0, 400.0, 220.0, 4.0))
    assert reading is not None
    assert reading.margin < 3.0


def test_where_the_note_is_expected_decides_between_two_that_fit() -> None:
    rows = np.array([[math.log2(180.0), 0.0], [math.log2(180.0 * 1.4), -2.0]])
    for about_hz, expected in ((170.0, 180.0), (260.0, 252.0)):
        reading = read_round([rows], Prior(80.0, 400.0, about_hz, 1.5))
        assert reading is not None
        assert reading.lug_hz[0] == pytest.approx(expected, rel=1e-6)


def test_taps_without_partials_tell_nothing() -> None:
    assert read_round([np.zeros((0, 2))] * 3, Prior(80.0, 400.0, None, 12.0)) is None
    assert read_round([], Prior(80.0, 400.0, None, 12.0)) is None


def separate(kind: str, seed: int) -> tuple[list[np.ndarray], list[float]]:
    """Return a round of taps, each a clip of its own, and the true lug pitches."""
    sound, true = played(kind, seed)
    size = round(GAP_S * RATE)
    start = round(0.15 * RATE)
    return [sound[start + rod * size :][:size] for rod in range(RODS)], true


@pytest.mark.parametrize("kind", list(HEADS))
def test_taps_that_come_one_by_one_are_read_together_from_the_third_on(kind: str) -> None:
    head = tapped_head(DRUM, "batter")
    read = 0
    for seed in range(3):
        clips, true = separate(kind, seed)
        for count in range(1, RODS + 1):
            for tap, hz in zip(read_separate_taps(clips[:count], RATE, head), true, strict=False):
                assert tap.hz is None or abs(1200.0 * math.log2(tap.hz / hz)) < 20.0, (count, seed)
                read += count >= 3 and tap.hz is not None
    assert read >= 0.9 * 3 * sum(range(3, RODS + 1))


def test_a_clip_without_a_tap_is_not_read_and_leaves_the_others_alone() -> None:
    clips, _ = separate("open", 1)
    quiet = 1e-3 * np.random.default_rng(0).standard_normal(RATE)
    head = tapped_head(DRUM, "batter")
    taps = read_separate_taps([*clips[:3], quiet], RATE, head)
    assert [tap.hz is not None for tap in taps] == [True, True, True, False]
    assert read_separate_taps([quiet], RATE, head)[0].why_not == "cannot tell"
