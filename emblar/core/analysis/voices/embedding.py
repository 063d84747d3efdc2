"""What strokes on toms sound like under other instruments, so that those of one tom are alike.

Conventions
-----------
The *levels* of a stroke are read in dB at ``SIZE`` frequencies, ``STEPS_PER_OCTAVE``: in each of
``SPANS_S`` after it, just before it, and what is usual there in the recording. What it *adds* is
what sounds after it and did not before, over what is usual: where basses and kicks are often loud,
what is added says little. Its *embedding*, of unit length, is what a small network of layers along
frequency makes of all that: strokes of one drum are to point the same way whatever else sounds. The
weights, in ``models/voices.npz``, come from made-up toms under made-up backings
(``training.fills``).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_softmax

from emblar.core.analysis.classify.model import along
from emblar.core.analysis.pitch.mode_choice import BEFORE_SHARE, LEAST_LEFT
from emblar.core.analysis.signal.band_spans import Rows
from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan, grid_hz, power_in

Array = NDArray[np.float64]
LOWEST_HZ = 45.0
STEPS_PER_OCTAVE = 24
SIZE = 85
WIDTH_SEMITONES = 0.35
"""Frequencies at which levels are read: from, steps per octave, how many, and how wide each is,
semitones."""
SPANS_S = ((0.015, 0.075), (0.015, 0.120), (0.050, 0.250))
"""Spans after a stroke that are heard, s."""
BEFORE_S = (-0.200, -0.008)
SHORTEST_S = 0.06
"""Span before it, and the shortest that tells anything, s."""
USUAL_SIZE = 1024
RINGING_S = 0.3
LEAST_FREE = 0.2
LEAST_USUAL = 1e-2
"""Samples a spectrum of what is usual is filled up to; how long a stroke rings, s; share of the
recording that must be free of strokes; power re the most that is added, under which nothing usual
is heard."""
FLOOR = 1e-11
QUIETEST = 1e-30
"""Least power, re the loudest of the recording, and of all."""
MOST_DB = 60.0
DB_SCALE = 12.0
ADDED_SCALE = 4.0
"""Levels are held within this, dB, and divided by that; what is added is multiplied by the last:
about unit range."""
CHANNELS = 3 * len(SPANS_S) + 2
MOST_AT_ONCE = 128
"""Numbers per frequency, and strokes that are read at once."""


@dataclass(frozen=True, slots=True)
class Heard:
    """What is heard of strokes: ``embeddings``, shape (strokes, size), and where they are tuned.

    ``pitch`` are log chances of the frequencies ``at_hz``, shape (strokes, SIZE).
    """

    embeddings: Array
    pitch: Array


@cache
def at_hz() -> Array:
    """Return the frequencies of levels, shape (SIZE,)."""
    return np.asarray(LOWEST_HZ * 2.0 ** (np.arange(SIZE) / STEPS_PER_OCTAVE))


@cache
def _onto() -> Array:
    """Return weights from the fine spectrum to ``at_hz``."""
    away = 12.0 * np.log2(np.maximum(grid_hz(), 1e-3) / at_hz()[:, None])
    weight = np.exp(-0.5 * (away / WIDTH_SEMITONES) ** 2)
    return np.asarray(weight / weight.sum(axis=1, keepdims=True))


def heard_of(low: Array, strokes: Sequence[StrokeSpan]) -> Heard:
    """Return what is heard of strokes.

    ``low`` is the low band of the whole recording at ``low_band.LOW_RATE_HZ``.
    """
    shown = shown_of(levels_db(low, strokes))
    if len(shown) == 0:
        return Heard(np.empty((0, SIZE)), np.empty((0, SIZE)))
    parts = np.array_split(shown, -(-len(shown) // MOST_AT_ONCE))
    return Heard(
        np.concatenate([embeddings_of(part) for part in parts]),
        np.concatenate([log_softmax(along("pitch", part)[:, :, 0], axis=1) for part in parts]),
    )


def embeddings_of(shown: Rows) -> Array:
    """Return the embeddings of strokes, shape (strokes, size), of what the network is shown."""
    seen = np.maximum(along("colour", shown), 0.0)
    return _unit(seen.reshape(len(shown), -1).astype(np.float64))


def levels_db(low: Array, strokes: Sequence[StrokeSpan]) -> Array:
    """Return the levels of strokes, shape (strokes, len(SPANS_S) + 2, SIZE).

    After each in ``SPANS_S``, before it, and what is usual. A span ends where the next drum is
    struck, but not so soon that nothing could be told.
    """
    result = np.empty((len(strokes), len(SPANS_S) + 2, SIZE))
    for row, members in zip(result, strokes, strict=True):
        spans = [*_spans(members.available_s), BEFORE_S]
        power = [
            power_in(low, members.time_s + start, members.time_s + stop) for start, stop in spans
        ]
        row[:-1] = np.array(power) @ _onto().T
    result[:, -1] = _usual(low, strokes)
    floor = FLOOR * result.max(initial=0.0) + QUIETEST
    return np.asarray(10.0 * np.log10(result + floor))


def _spans(available_s: float) -> list[tuple[float, float]]:
    stops = [min(stop, max(available_s, SPANS_S[0][1])) for _, stop in SPANS_S]
    return [
        (min(start, stop - SHORTEST_S), stop)
        for (start, _), stop in zip(SPANS_S, stops, strict=True)
    ]


def _usual(low: Array, strokes: Sequence[StrokeSpan]) -> Array:
    """Return the mean power of a recording, strokes left out.

    Where there is hardly anything but strokes, they are left in.
    """
    length = SPANS_S[1][1] - SPANS_S[1][0]
    size = min(round(length * LOW_RATE_HZ), len(low))
    pieces = low[: len(low) // size * size].reshape(-1, size)
    start = np.arange(len(pieces)) * size / LOW_RATE_HZ
    struck = np.zeros(len(pieces), bool)
    for stroke in strokes:
        struck |= (start > stroke.time_s - SPANS_S[1][1]) & (start < stroke.time_s + RINGING_S)
    if np.mean(~struck) >= LEAST_FREE:
        pieces = pieces[~struck]
    shape = np.hanning(size)
    power = np.abs(np.fft.rfft(pieces * shape, USUAL_SIZE)) ** 2 / np.sum(shape**2)
    position = np.fft.rfftfreq(USUAL_SIZE, 1.0 / LOW_RATE_HZ)
    return np.asarray(_onto() @ np.interp(grid_hz(), position, power.mean(axis=0)))


def shown_of(levels: Array) -> Rows:
    """Return what the networks are shown of levels, shape (strokes, SIZE, CHANNELS)."""
    count = len(SPANS_S)
    if len(levels) == 0:
        return np.empty((0, SIZE, CHANNELS), np.float32)
    after, usual = levels[:, :count], levels[:, -1:]
    loudest = after[:, 1].max(axis=1)[:, None, None]
    power, before, often = (10.0 ** (x / 10.0) for x in (after, levels[:, [count]], usual))
    added = np.maximum(power - BEFORE_SHARE * before, LEAST_LEFT * power)
    # Where hardly anything else is heard there is nothing to weigh.
    least = LEAST_USUAL * added.max(axis=2, keepdims=True).mean(axis=0, keepdims=True)
    added = _unit(added / (often + least))
    shown = np.concatenate([levels - loudest, after - usual], axis=1)
    shown = np.clip(shown, -MOST_DB, MOST_DB) / DB_SCALE
    shown = np.concatenate([shown, ADDED_SCALE * added], axis=1)
    return np.ascontiguousarray(shown.transpose(0, 2, 1), np.float32)


def _unit(rows: Array) -> Array:
    return np.asarray(rows / np.maximum(np.linalg.norm(rows, axis=-1, keepdims=True), QUIETEST))
