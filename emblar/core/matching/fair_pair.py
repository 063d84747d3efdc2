"""Two sounds made fair to compare: strokes cut alike, starting together, equally loud.

Conventions
-----------
Mono float64, 1.0 is full scale. Loudness in LUFS after ITU-R BS.1770-4 (K-weighting; ungated, as
strokes are shorter than a gate's block). Onsets are aligned to the sample by where the stroke first
reaches a tenth of its peak.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

Samples = NDArray[np.float64]
LEAD_S = 0.05
STROKE_S = 1.3
FADE_S = 0.03
HIGHEST_PEAK = 0.89
LOUDNESS_LUFS = -20.0
ONSET_SHARE = 0.1
# BS.1770-4, annex 1: the two filters' analogue prototypes, so that any rate can be served.
SHELF_HZ = 1681.974450955533
SHELF_DB = 3.999843853973347
SHELF_Q = 0.7071752369554196
PASS_HZ = 38.13547087602444
PASS_Q = 0.5003270373238773


def k_weighted(samples: Samples, rate_hz: int) -> Samples:
    """Return samples through the filters that loudness is measured behind."""
    shelf = np.tan(np.pi * SHELF_HZ / rate_hz)
    high = 10.0 ** (SHELF_DB / 20.0)
    band = high**0.4996667741545416
    down = 1.0 + shelf / SHELF_Q + shelf**2
    b = [
        high + band * shelf / SHELF_Q + shelf**2,
        2.0 * (shelf**2 - high),
        high - band * shelf / SHELF_Q + shelf**2,
    ]
    a = [down, 2.0 * (shelf**2 - 1.0), 1.0 - shelf / SHELF_Q + shelf**2]
    shelved = lfilter(np.array(b) / down, np.array(a) / down, samples)
    low = np.tan(np.pi * PASS_HZ / rate_hz)
    down = 1.0 + low / PASS_Q + low**2
    a = [1.0, 2.0 * (low**2 - 1.0) / down, (1.0 - low / PASS_Q + low**2) / down]
    return np.asarray(lfilter([1.0, -2.0, 1.0], a, shelved))


def loudness_lufs(samples: Samples, rate_hz: int) -> float:
    """Return the loudness of a mono sound, LUFS; −120 for silence."""
    power = float(np.mean(k_weighted(samples, rate_hz) ** 2)) if len(samples) else 0.0
    return -0.691 + 10.0 * float(np.log10(max(power, 1e-12)))


def onset_index(samples: Samples) -> int:
    """Return the sample at which a stroke first reaches a tenth of its peak."""
    size = np.abs(samples)
    peak = float(size.max(initial=0.0))
    return int(np.argmax(size >= ONSET_SHARE * peak)) if peak > 0.0 else 0


def cut_strokes(
    samples: Samples, rate_hz: int, times_s: Sequence[float], until_s: Sequence[float]
) -> list[Samples]:
    """Return strokes cut out, each with its onset at ``LEAD_S`` and ``STROKE_S`` long.

    Parameters
    ----------
    samples, rate_hz
        The recording, mono.
    times_s, until_s
        When each stroke begins, and when the next sound comes: it is faded out before that.
    """
    lead, length, fade = (round(x * rate_hz) for x in (LEAD_S, STROKE_S, FADE_S))
    result = []
    for time, until in zip(times_s, until_s, strict=True):
        first = max(round((time - 0.02) * rate_hz), 0)
        near = samples[first : first + round(0.08 * rate_hz)]
        start = first + onset_index(near) - lead
        stop = min(start + length, round(until * rate_hz), len(samples))
        piece = samples[max(start, 0) : max(stop, 0)]
        piece = np.concatenate([np.zeros(max(-start, 0)), piece])
        out = np.zeros(length)
        out[: len(piece)] = piece[:length]
        ends = min(len(piece), length)
        ramp = min(fade, ends)
        out[ends - ramp : ends] *= np.linspace(1.0, 0.0, ramp)
        result.append(out)
    return result


def fair_pair(
    record: Sequence[Samples], take: Sequence[Samples], rate_hz: int
) -> tuple[Samples, Samples]:
    """Return both as one sound each, stroke beside stroke, equally loud and without clipping.

    Parameters
    ----------
    record, take
        Strokes as ``cut_strokes`` returns them; as many of each are used as both have.
    rate_hz
        Samples per second of both.
    """
    count = min(len(record), len(take))
    sounds = [np.concatenate(list(side[:count])) for side in (record, take)]
    gains = [10.0 ** ((LOUDNESS_LUFS - loudness_lufs(s, rate_hz)) / 20.0) for s in sounds]
    # A peak that would clip brings both down, so that they stay equally loud.
    peaks = [g * float(np.abs(s).max(initial=0.0)) for g, s in zip(gains, sounds, strict=True)]
    guard = min(1.0, HIGHEST_PEAK / max(*peaks, 1e-9))
    first, second = (guard * g * s for g, s in zip(gains, sounds, strict=True))
    return first, second
