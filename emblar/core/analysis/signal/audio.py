"""Decoded sound, checked, and brought to the form the analysis works on.

Conventions
-----------
Samples are floating point of shape (n, channels), 1.0 is full scale. The analysis works on
one channel at ``ANALYSIS_RATE_HZ``: the principal component of the channels, so that opposite
polarities do not cancel.
"""

from dataclasses import dataclass

import numpy as np
import soxr
from numpy.typing import NDArray

from emblar.core.errors import BadAudioError

Samples = NDArray[np.float64]
ANALYSIS_RATE_HZ = 44100
"""What everything is brought to."""
SHORTEST_S = 0.15
LONGEST_S = 30 * 60.0
"""Shortest and longest recording, s."""
LOWEST_RATE_HZ = 8000
HIGHEST_RATE_HZ = 192_000
"""Sample rates that are read, Hz."""
SILENCE_PEAK = 10.0 ** (-70.0 / 20.0)
"""A recording whose peak is lower, −70 dB, is silent."""
HIGHEST_PEAK = 1e6
"""Re full scale: samples of a float file that reach higher, by 120 dB, are no sound."""
LEAD_S = 0.25
GRID = 4620
"""Silence that is listened to before the first sound; samples in which all that is read in steps
(of 5 ms, 1 ms, a sample of the low band) comes round to where it was."""
FIRST_HEARD = 10.0 ** (-90.0 / 20.0)
LOUD = 10.0 ** (-30.0 / 20.0)
"""Re the recording's peak."""
LEAST_SIDE = 1e-4
"""Power re the first component under which a second is nothing but noise."""


@dataclass(frozen=True, slots=True)
class Audio:
    """Decoded sound: samples of shape (n, channels) and their rate in Hz."""

    samples: NDArray[np.floating]
    sample_rate_hz: int

    @property
    def duration_s(self) -> float:
        """Length in s."""
        return len(self.samples) / self.sample_rate_hz

    @property
    def channels(self) -> int:
        """Number of channels."""
        return int(self.samples.shape[1])


def check_audio(audio: Audio) -> None:
    """Check that there is something to measure.

    Raises
    ------
    BadAudioError
        Not numbers, too short, too long, silent, or of a rate that is not handled.
    """
    check_rate(audio.sample_rate_hz)
    check_numbers(audio)
    if audio.duration_s < SHORTEST_S:
        raise BadAudioError(
            f"The recording is {1000 * audio.duration_s:.0f} ms long; at least "
            f"{1000 * SHORTEST_S:.0f} ms are needed to hear one stroke. Bring a longer piece."
        )
    check_duration(audio.duration_s)
    if float(np.abs(audio.samples).max()) < SILENCE_PEAK:
        raise BadAudioError(
            "The recording is silent (its peak is below −70 dB). Check that the right file or "
            "track was exported."
        )


def check_rate(rate_hz: int) -> None:
    """Check that a sample rate is one that is handled, or raise ``BadAudioError``."""
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise BadAudioError(
            f"The sample rate is {rate_hz} Hz; Emblar reads {LOWEST_RATE_HZ} to "
            f"{HIGHEST_RATE_HZ} Hz. Convert the file and bring it again."
        )


def check_numbers(audio: Audio) -> None:
    """Check that every sample is a number as sound has them, or raise ``BadAudioError``."""
    if not np.isfinite(audio.samples).all():
        bad = int(np.count_nonzero(~np.isfinite(audio.samples)))
        raise BadAudioError(
            f"{bad} samples are not numbers (NaN or infinite), so nothing can be measured. "
            "Export the file again, as 16 or 24 bit if you can."
        )
    if float(np.abs(audio.samples).max(initial=0.0)) > HIGHEST_PEAK:
        raise BadAudioError(
            "Samples reach more than a million times full scale, so this is no sound. Export the "
            "file again, as 16 or 24 bit if you can."
        )


def check_duration(duration_s: float, longest_s: float = LONGEST_S) -> None:
    """Check that a recording is not too long.

    Raises
    ------
    BadAudioError
        It is longer than 30 minutes, or than ``longest_s``.
    """
    if duration_s > longest_s:
        raise BadAudioError(
            f"The recording is {_minutes(duration_s)} long; at most {_minutes(longest_s)} are "
            "read. Cut out the part you want."
        )


def _minutes(duration_s: float) -> str:
    return f"{duration_s:.0f} s" if duration_s < 200.0 else f"{duration_s / 60:.0f} minutes"


def one_channel(audio: Audio) -> Samples:
    """Return the principal component of the channels at ``ANALYSIS_RATE_HZ``, shape (n,).

    The sign is that of the louder channel, so polarity is kept.
    """
    if audio.channels == 1:
        return _at_rate(audio.samples[:, 0].astype(np.float64), audio.sample_rate_hz)
    weights = _components(audio)[1][:, -1]
    weights = weights * np.sign(weights[np.argmax(np.abs(weights))])
    return _at_rate(audio.samples @ weights / np.abs(weights).sum(), audio.sample_rate_hz)


def side(audio: Audio) -> Samples | None:
    """Return the second component of the channels at ``ANALYSIS_RATE_HZ``, shape (n,).

    What is in the middle of the stereo image, as bass and voice mostly are, is not in it. None
    where there is hardly any.
    """
    if audio.channels == 1:
        return None
    power, vectors = _components(audio)
    if power[-2] < LEAST_SIDE * power[-1]:
        return None
    weights = vectors[:, -2]
    return _at_rate(audio.samples @ weights / np.abs(weights).sum(), audio.sample_rate_hz)


def begins_at(mono: Samples) -> int:
    """Return the sample at which listening begins, before the first if nothing is silent there.

    So that nothing hangs on how much silence a recording happens to begin with: between ``LEAD_S``
    and ``LEAD_S`` and ``GRID`` samples before it is first heard, and a whole number of ``GRID``
    before it is first loud.
    """
    level = np.abs(mono)
    begin, loud = (int(np.argmax(level > share * level.max())) for share in (FIRST_HEARD, LOUD))
    return loud - -(-(loud - begin + round(LEAD_S * ANALYSIS_RATE_HZ)) // GRID) * GRID


def from_sample(mono: Samples, first: int) -> Samples:
    """Return a recording from a sample on; the first is held where that is before it."""
    return np.pad(mono[max(first, 0) :], (max(-first, 0), 0), mode="edge")


def _components(audio: Audio) -> tuple[Samples, Samples]:
    """Return power and weights of the components of the channels, the strongest last."""
    samples = audio.samples
    power, vectors = np.linalg.eigh((samples.T @ samples).astype(np.float64))
    return power, vectors


def _at_rate(mono: Samples, rate_hz: int) -> Samples:
    if rate_hz == ANALYSIS_RATE_HZ:
        return np.ascontiguousarray(mono)
    return np.asarray(soxr.resample(mono, rate_hz, ANALYSIS_RATE_HZ, quality="HQ"))
