"""The pitch of short, chirping drums, and of drums struck again before they have died."""

from dataclasses import replace

import numpy as np
import pytest

from emblar.core.analysis.card.measure import CleanStroke, measure_voice
from emblar.core.analysis.pitch.chirp import (
    Near,
    between,
    by_phase_hz,
    chirp_share,
    chirped,
    mean_pitch_hz,
)
from emblar.core.analysis.pitch.mode_choice import BEFORE_SHARE, added_spectrum
from emblar.core.analysis.pitch.tracking import stroke_pitches
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.analysis.signal.low_band import (
    LOW_RATE_HZ,
    StrokeSpan,
    grid_hz,
    low_band,
)
from emblar.core.notes import cents
from emblar.core.quantities import Measured
from emblar.core.quantities.spans import ONSET_S, SETTLE_SHORT_S

AT_S = 0.2


def chirp(hz: float, fall_ct: float, t60: float, second: float = 0.0) -> tuple[np.ndarray, float]:
    """Return a kick at ``AT_S`` and its energy-weighted mean pitch over the settled span in Hz."""
    time = np.arange(int(0.8 * ANALYSIS_RATE_HZ)) / ANALYSIS_RATE_HZ
    pitch = hz * 2.0 ** (fall_ct * np.exp(-time / 0.03) / 1200.0)
    size = 10.0 ** (-3.0 * time / t60)
    turns = np.cumsum(pitch) / ANALYSIS_RATE_HZ
    sound = size * np.sin(2.0 * np.pi * turns)
    sound += second * size**2 * np.sin(2.0 * np.pi * 2.1 * turns)
    inside = (time >= SETTLE_SHORT_S[0]) & (time <= SETTLE_SHORT_S[1])
    truth = float(np.average(pitch[inside], weights=size[inside] ** 2))
    return np.concatenate([np.zeros(int(AT_S * ANALYSIS_RATE_HZ)), sound]), truth


def at(low: np.ndarray, near_hz: float = 60.0) -> Near:
    return Near(low, LOW_RATE_HZ, AT_S, 0.7, near_hz)


@pytest.mark.parametrize("hz", [45.0, 60.0, 75.0])
@pytest.mark.parametrize("fall_ct", [0.0, 150.0, 500.0])
@pytest.mark.parametrize("t60", [0.15, 0.5])
@pytest.mark.parametrize("second", [0.0, 0.4])
def test_a_chirping_kick_is_read_as_the_convention_says(
    hz: float, fall_ct: float, t60: float, second: float
) -> None:
    sound, truth = chirp(hz, fall_ct, t60, second)
    found = stroke_pitches(low_band(sound), [StrokeSpan(AT_S, 0.7)], hz * 1.03, tom=False)[0]
    assert found.settled_hz is not None
    assert abs(cents(found.settled_hz, truth)) < 35.0
    assert found.onset_hz is not None
    assert found.onset_hz > found.settled_hz - 0.5


def test_a_steady_partial_is_read_exactly_wherever_it_is_looked_for() -> None:
    sound, _ = chirp(60.0, 0.0, 0.5)
    for near in (54.0, 60.0, 66.0):
        found = mean_pitch_hz(at(low_band(sound), near), SETTLE_SHORT_S)
        assert found == pytest.approx(60.0, rel=0.005)


def test_what_sounded_before_the_stroke_has_no_say() -> None:
    sound, truth = chirp(60.0, 0.0, 0.5)
    time = np.arange(len(sound)) / ANALYSIS_RATE_HZ
    sound[time < AT_S] += 2.0 * np.sin(2.0 * np.pi * 80.0 * time[time < AT_S])
    found = mean_pitch_hz(at(low_band(sound)), SETTLE_SHORT_S)
    assert found is not None
    assert abs(cents(found, truth)) < 10.0


def test_silence_and_what_is_cut_off_have_no_pitch() -> None:
    low = np.zeros(int(LOW_RATE_HZ))
    assert mean_pitch_hz(at(low), SETTLE_SHORT_S) is None
    low = low_band(chirp(60.0, 0.0, 0.5)[0])
    assert mean_pitch_hz(at(low[: int(0.22 * LOW_RATE_HZ)]), SETTLE_SHORT_S) is None
    assert mean_pitch_hz(replace(at(low), available_s=0.021), SETTLE_SHORT_S) is None


def test_the_phase_has_its_say_on_both_pitches_only_where_a_drum_chirps() -> None:
    assert chirp_share(None, 60.0) == 0.0
    assert chirp_share(60.3, 60.0) == 0.0
    assert chirp_share(63.0, 60.0) == 1.0
    assert 0.0 < chirp_share(61.0, 60.0) < 1.0
    near = at(low_band(chirp(60.0, 0.0, 0.5)[0]))
    spans = (SETTLE_SHORT_S, ONSET_S)
    assert chirped(near, 60.2, 61.9, spans) == (60.2, 61.9), "the partial is the finer one"
    settled, onset = chirped(near, 55.0, 66.0, spans)
    assert settled == pytest.approx(60.0, rel=0.005)
    assert onset == pytest.approx(60.0, rel=0.01)
    assert chirped(near, None, None, spans) == (None, None)
    assert chirped(near, None, 61.0, spans) == (None, 61.0)


def twice(gap_s: float, seed: int) -> np.ndarray:
    """Return a tom struck twice, the last time softer, with a ring that is soon gone."""
    rng = np.random.default_rng(seed)
    time = np.arange(int(1.2 * ANALYSIS_RATE_HZ)) / ANALYSIS_RATE_HZ
    out = 1e-5 * rng.standard_normal(len(time) + int(AT_S * ANALYSIS_RATE_HZ))
    for start, force in ((AT_S, 1.0), (AT_S + gap_s, 0.35)):
        own = force * np.sin(2.0 * np.pi * 82.0 * time) * 10.0 ** (-3.0 * time / 0.9)
        own += 0.2 * force * np.sin(2.0 * np.pi * 236.0 * time) * 10.0 ** (-3.0 * time / 0.5)
        first = int(start * ANALYSIS_RATE_HZ)
        out[first:] += own[: len(out) - first]
    return out


def test_a_tom_struck_again_at_once_has_the_pitch_it_had() -> None:
    gap = 0.11
    sound = twice(gap, 1)
    last = CleanStroke(AT_S + gap, -20.0, 0.8, 0.8)
    card = measure_voice("tom-1", sound, [low_band(sound)], [last], levels_db=[-14.0, -20.0])
    assert isinstance(card["pitch"], Measured)
    assert abs(cents(card["pitch"].value, 82.0)) < 15.0


def test_a_share_of_what_sounded_before_is_taken_off_or_all_of_it() -> None:
    low, stroke = low_band(twice(0.11, 1)), StrokeSpan(AT_S + 0.11, 0.8)
    at = int(np.argmin(np.abs(grid_hz() - 82.0)))
    some, all_of_it = (
        added_spectrum(low, stroke, "tom", before_share=share) for share in (BEFORE_SHARE, 1.0)
    )
    assert some is not None
    assert all_of_it is not None
    assert some[at] > 0.0
    assert all_of_it[at] == 0.0, "it was louder before"


def test_a_phase_that_is_far_from_the_mode_has_no_say() -> None:
    low = low_band(chirp(60.0, 0.0, 0.5)[0])
    assert by_phase_hz(at(low, 61.0), SETTLE_SHORT_S) == pytest.approx(60.0, rel=0.005)
    assert by_phase_hz(at(low, 78.0), SETTLE_SHORT_S) is None
    assert between(80.0, None, 0.7) == between(80.0, 60.0, 0.0) == 80.0
    assert between(80.0, 60.0, 1.0) == pytest.approx(60.0)
    assert 60.0 < between(80.0, 60.0, 0.5) < 70.0
