"""How long a drum rings, not the room around it nor the next partial."""

import numpy as np
import pytest

from emblar.core.analysis.pitch.decay import UNKNOWN_ROOM, fit_decay
from emblar.core.analysis.pitch.tracking import stroke_pitches
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.analysis.signal.low_band import StrokeSpan, low_band
from emblar.core.quantities.card import Track


def stroke(
    hz: float, t60: float, *, room_db: float | None = None, room_t60: float = 1.2
) -> np.ndarray:
    """Return a low band with one stroke at 0.2 s, perhaps in a diffuse room."""
    time = np.arange(int(1.6 * ANALYSIS_RATE_HZ)) / ANALYSIS_RATE_HZ
    sound = np.sin(2.0 * np.pi * hz * time) * 10.0 ** (-3.0 * time / t60)
    if room_db is not None:
        rng = np.random.default_rng(4)
        wet = rng.standard_normal(len(time)) * 10.0 ** (-3.0 * time / room_t60)
        narrow = np.exp(2j * np.pi * hz * time)
        # A room's answer to a note is noise of about the note's pitch.
        slow = np.convolve(wet * narrow, np.hanning(2205) / 1000.0, "same")
        own = (slow * np.exp(-4j * np.pi * hz * time)).imag
        own *= 10.0 ** (room_db / 20.0) / np.abs(own).max()
        own[: int(0.012 * ANALYSIS_RATE_HZ)] = 0.0
        sound = sound + own
    return low_band(np.concatenate([np.zeros(int(0.2 * ANALYSIS_RATE_HZ)), sound]))


@pytest.mark.parametrize(("hz", "t60"), [(170.0, 0.12), (200.0, 0.2), (160.0, 0.3)])
@pytest.mark.parametrize("room_db", [None, -18.0])
def test_a_short_drum_is_read_short_in_a_room_too(
    hz: float, t60: float, room_db: float | None
) -> None:
    low = stroke(hz, t60, room_db=room_db)
    found = stroke_pitches(low, [StrokeSpan(0.2, 1.4)], hz, tom=False)[0].t60_s
    assert found == pytest.approx(t60, rel=0.35 if room_db else 0.1)


def t60_s(track: Track, noise_amplitude: float) -> float | None:
    """T60 of a track after which a room may ring on."""
    decay = fit_decay(track, noise_amplitude, room=UNKNOWN_ROOM)
    return decay.t60_s if decay else None


def test_a_beating_pair_is_followed_through_its_nulls() -> None:
    time = np.arange(0.03, 1.2, 0.02)
    pair = np.abs(1.0 + 0.5 * np.exp(2j * np.pi * 4.0 * time)) * 10.0 ** (-3.0 * time / 1.5)
    found = t60_s(Track(time, np.full_like(time, 100.0), pair), 0.0)
    assert found == pytest.approx(1.5, rel=0.35)


def test_what_comes_again_after_a_steep_fall_is_another_sound() -> None:
    time = np.arange(0.02, 0.6, 0.012)
    own = 10.0 ** (-3.0 * time / 0.15)
    later = 0.12 * np.where(time > 0.07, 1.0, 0.0) * 10.0 ** (-3.0 * time / 3.0)
    found = t60_s(Track(time, np.full_like(time, 200.0), own + later), 0.0)
    assert found == pytest.approx(0.15, rel=0.2)


def test_too_few_windows_say_nothing() -> None:
    two = np.array([0.02, 0.04])
    assert t60_s(Track(two, np.full(2, 100.0), np.array([1.0, 0.1])), 0.0) is None
    many = np.linspace(0.02, 0.5, 20)
    assert t60_s(Track(many, np.full(20, 100.0), np.full(20, 1.0)), 0.0) is None, "nothing falls"


def test_what_comes_up_after_the_noise_had_it_is_the_room() -> None:
    time = np.arange(0.02, 0.4, 0.012)
    own = 10.0 ** (-3.0 * time / 0.2)
    # The room cancels the note for a moment, then answers it.
    level = np.where(time < 0.08, own, np.where(time < 0.10, 1e-3, 0.1 * 10.0 ** (-3.0 * time)))
    found = t60_s(Track(time, np.full_like(time, 200.0), level), 0.008)
    assert found == pytest.approx(0.2, rel=0.1)
