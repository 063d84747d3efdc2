"""A sweep by ear: where it is best is found, and said when it cannot be."""

import numpy as np
import pytest

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.analysis.signal.audio import Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import BadAudioError
from emblar.core.planning.kit import model
from emblar.core.synthesis.practice import PracticeDrum
from emblar.core.tuning.sweep import SweepPoint, read_sweep, sweep
from tests.drums import OWNED_TOM

RATE = 44100


def points(best_hz: float, *, seed: int = 0, noise: float = 0.4) -> list[SweepPoint]:
    """Return strokes from 90 to 170 Hz that ring for most periods at one pitch."""
    rng = np.random.default_rng(seed)
    rows = []
    for hz in np.geomspace(90.0, 170.0, 14):
        off = 12.0 * np.log2(hz / best_hz)
        steps = 8.0 - 0.9 * off**2 / 4.0 + noise * rng.standard_normal()
        rows.append(SweepPoint(float(hz), float(100.0 / hz * 1.15**steps), -14.0))
    return rows


@pytest.mark.parametrize(("best", "told_of"), [(108.0, 19), (124.0, 20), (150.0, 15)])
def test_the_sweet_spot_is_found_within_a_semitone_or_not_told(best: float, told_of: int) -> None:
    found = [sweep(points(best, seed=seed)) for seed in range(20)]
    told = [s for s in found if s.verdict == "sweet"]
    assert len(told) >= told_of
    for one in told:
        assert one.hz is not None
        assert abs(12.0 * np.log2(one.hz / best)) < 1.0
    # Near an end of the sweep it says to go on instead.
    assert {s.verdict for s in found} <= {"sweet", "still rising", "still falling"}


def test_a_sweep_that_is_still_getting_better_says_which_way_to_go() -> None:
    assert sweep(points(220.0)).verdict == "still rising"
    assert sweep(points(60.0)).verdict == "still falling"


def test_what_cannot_be_told_is_said() -> None:
    assert sweep([]).verdict == "too few"
    assert sweep(points(124.0)[:3]).verdict == "too few"
    level = [SweepPoint(hz, 100.0 / hz, -14.0) for hz in (100.0, 110.0, 120.0, 130.0, 140.0)]
    assert sweep(level).verdict == "flat"
    one_note = [SweepPoint(120.0 + 0.1 * i, 1.0, -14.0) for i in range(6)]
    assert sweep(one_note).verdict == "too few"


def test_an_overtone_over_the_note_takes_the_sweet_spot_away() -> None:
    rows = points(124.0, noise=0.0)
    shouting = [SweepPoint(p.hz, p.t60_s, 6.0 if 115.0 < p.hz < 135.0 else p.ring_db) for p in rows]
    told = sweep(shouting)
    assert told.hz is None or not 118.0 < told.hz < 131.0


def test_strokes_of_a_cranked_drum_are_read_one_by_one() -> None:
    drum, k = model(SHIPPED, OWNED_TOM), prior_coefficients()
    clip, pitches = [np.zeros(RATE // 4)], (150.0, 180.0, 215.0, 255.0)
    for hz in pitches:
        tensions = {
            side: np.full(6, tension_from_lug_pitch(drum, side, hz, k))
            for side in ("batter", "reso")
        }
        made = PracticeDrum(drum, tensions, {"batter": 1.0, "reso": 1.0}, 0.0, 3)  # type: ignore[arg-type]
        clip.append(made.strike(rate=RATE, seconds=1.5))
    found = read_sweep(Audio(np.concatenate(clip)[:, None], RATE), "tom-1")
    assert len(found) == len(pitches)
    read_hz = [p.hz for p in found]
    assert read_hz == sorted(read_hz)
    assert read_hz[-1] / read_hz[0] == pytest.approx(pitches[-1] / pitches[0], rel=0.05)


def test_a_recording_without_a_stroke_is_refused() -> None:
    noise = 1e-4 * np.random.default_rng(1).standard_normal(RATE)
    with pytest.raises(BadAudioError):
        read_sweep(Audio(noise[:, None], RATE), "tom-1")
