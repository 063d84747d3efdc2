"""A wish sung: two mouth sounds, the drum as it is and as it should be; only what differs counts.

Conventions
-----------
A voice is no drum: nothing is claimed of either sound by itself. Length and brightness are compared
as ratios and become steps of the card's length and click; how the pitch falls is told in cents.
"""

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from emblar.core.errors import BadAudioError
from emblar.core.quantities.registry import steps

Samples = NDArray[np.float64]
FRAME_S = 0.01
PAUSE_S = 0.15
SHORTEST_S = 0.04
LONGEST_S = 3.0
UNDER_PEAK_DB = 28.0
OVER_FLOOR_DB = 10.0
"""What is a sound: this near to the loudest, and this much over the quiet (assumptions)."""
BRIGHT_HZ = (80.0, 8000.0)
VOICED_HZ = (60.0, 500.0)
CLEAR = 0.6
NEARLY = 0.85
LEAST_BEND_CENTS = 60.0
"""How well a pitch has to repeat to be one; falls that differ by less are alike (assumptions)."""
LEAST_STEPS = 1.0
MOST_STEPS = 6.0
"""A voice does not say less, and no drum follows further in one go (assumptions)."""


@dataclass(frozen=True, slots=True)
class Sung:
    """One mouth sound: how long, where its middle lies, and by how many cents it falls."""

    length_s: float
    brightness_hz: float
    falls_cents: float | None


@dataclass(frozen=True, slots=True)
class SungWish:
    """What the second sound is next to the first.

    ``wished`` is steps by quantity, only what clearly differs; ``falls_more_cents`` is None where
    either has no pitch, 0 where they fall alike.
    """

    before: Sung
    after: Sung
    wished: dict[str, float] = field(default_factory=dict)
    falls_more_cents: float | None = None


def read_sung(samples: Samples, rate_hz: int) -> SungWish:
    """Return the wish of a recording of two mouth sounds.

    Raises
    ------
    BadAudioError
        There are not two sounds with a pause between them.
    """
    result = [_sung(piece, rate_hz) for piece in _sounds(samples, rate_hz)]
    before, after = result
    ratios = {
        "length": after.length_s / before.length_s,
        "click": after.brightness_hz / before.brightness_hz,
    }
    wished = {}
    for name, ratio in ratios.items():
        by = math.log(ratio) / math.log(steps()[name].step)
        if abs(by) >= LEAST_STEPS:
            wished[name] = max(-MOST_STEPS, min(by, MOST_STEPS))
    more = None
    if before.falls_cents is not None and after.falls_cents is not None:
        apart = after.falls_cents - before.falls_cents
        more = apart if abs(apart) >= LEAST_BEND_CENTS else 0.0
    return SungWish(before, after, wished, more)


def _sounds(samples: Samples, rate_hz: int) -> list[Samples]:
    size = max(round(FRAME_S * rate_hz), 1)
    count = len(samples) // size
    if count < 4 or not np.any(samples):
        raise BadAudioError("Nothing can be heard in this. Sing into the microphone.")
    power = (samples[: count * size].reshape(count, size) ** 2).mean(axis=1) + 1e-20
    level = 10.0 * np.log10(power)
    least = max(level.max() - UNDER_PEAK_DB, float(np.percentile(level, 10)) + OVER_FLOOR_DB)
    if level.max() < least:
        raise BadAudioError(
            "Nothing stands out from the room here. Sing closer to the microphone, with pauses."
        )
    loud = np.flatnonzero(level >= least)
    parts = np.split(loud, np.flatnonzero(np.diff(loud) > PAUSE_S / FRAME_S) + 1)
    long_enough = [p for p in parts if (p[-1] - p[0] + 1) * FRAME_S >= SHORTEST_S]
    if len(long_enough) != 2:
        words = {0: "None was", 1: "One was"}.get(len(long_enough), f"{len(long_enough)} were")
        raise BadAudioError(
            "Two sounds are needed: first as it is, then as you want it, with a pause between. "
            f"{words} heard."
        )
    if any((p[-1] - p[0]) * FRAME_S > LONGEST_S for p in long_enough):
        raise BadAudioError("One of these is longer than any drum. Sing two short sounds.")
    return [samples[p[0] * size : (p[-1] + 1) * size] for p in long_enough]


def _sung(piece: Samples, rate_hz: int) -> Sung:
    spectrum = np.abs(np.fft.rfft(piece * np.hanning(len(piece)))) ** 2
    hz = np.fft.rfftfreq(len(piece), 1.0 / rate_hz)
    inside = (hz >= BRIGHT_HZ[0]) & (hz <= min(BRIGHT_HZ[1], 0.45 * rate_hz))
    # What is heard as bright lies far under the voice's own lowest partials.
    weight = spectrum[inside] * hz[inside]
    middle = float(np.exp((weight * np.log(hz[inside])).sum() / weight.sum()))
    part = max(len(piece) * 2 // 5, 1)
    first, last = _pitch_hz(piece[:part], rate_hz), _pitch_hz(piece[-part:], rate_hz)
    falls = 1200.0 * math.log2(first / last) if first and last else None
    return Sung(len(piece) / rate_hz, middle, falls)


def _pitch_hz(piece: Samples, rate_hz: int) -> float | None:
    """Return the pitch of a voiced piece by its autocorrelation, None where it has none."""
    low, high = (round(rate_hz / hz) for hz in reversed(VOICED_HZ))
    if len(piece) < 2 * high:
        high = len(piece) // 2
    if high <= low + 2:
        return None
    centred = piece - piece.mean()
    size = 2 ** math.ceil(math.log2(2 * len(centred)))
    spectrum = np.fft.rfft(centred, size)
    result = np.fft.irfft(np.abs(spectrum) ** 2, size)[: high + 2]
    # Fewer samples overlap the further it is shifted.
    result = result / np.maximum(len(centred) - np.arange(len(result)), 1)
    inner = result[low + 1 : high - 1]
    tops = np.flatnonzero((inner >= result[low : high - 2]) & (inner >= result[low + 2 : high]))
    if not len(tops) or inner[tops].max() < CLEAR * result[0]:
        return None
    # Every second period fits as well: the first that does is the pitch.
    first = tops[np.flatnonzero(inner[tops] > NEARLY * inner[tops].max())[0]]
    return float(rate_hz / (low + 1 + int(first)))
