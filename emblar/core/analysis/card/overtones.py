"""The overtones of a drum: which, how strong, how long.

Conventions
-----------
Read on the low band from 20 to 320 ms after the stroke, until the next drum, with the glide taken
out (``dechirp``): close pairs come apart only in so long a window, and only if they hold still.
Levels are the energy of one partial between 40 and 120 ms in dB re the fundamental's. Overtones of
several strokes within 3 % of each other are one ring.

Source: partials by ESPRIT (``esprit``).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.damping import T60_FACTOR
from emblar.core.analysis.card.pooling import centre_and_spread
from emblar.core.analysis.pitch.dechirp import dechirped, stroke_glide
from emblar.core.analysis.pitch.esprit import fit_pieces
from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan
from emblar.core.quantities.card import Ring
from emblar.core.quantities.spans import RING_BELOW_HZ, RING_FROM_RATIO, RING_S

Array = NDArray[np.float64]
START_S = 0.020
LENGTH_S = 0.300
LEAST_S = 0.060
"""From when after the stroke overtones are fitted, over how long, and over how long at least, s."""
MODES_FITTED = 20
LEAST_RATE = 0.8
MOST_STROKES = 6
"""Partials of a fit; slower ones than this rate, 1/s, are hum; strokes that are fitted."""
SAME_RATIO = 0.03
SAME_PARTIAL = 0.008
"""How near ratios of several strokes are one ring; how near partials of one stroke are one."""
FAINTEST_DB = -30.0
"""Fainter overtones re the fundamental are not told, dB."""
MOST_RINGS = 5
"""So many overtones are told."""
LONGEST_T60_S = 8.0
SHORTEST_T60_S = 0.02
"""Decays outside these are none of a drum's, s."""


def voice_ring(low: Array, strokes: Sequence[StrokeSpan], pitch_hz: float) -> list[Ring]:
    """Return a drum's overtones, strongest first.

    Parameters
    ----------
    low
        The low band of the recording at ``LOW_RATE_HZ``, shape (n,).
    strokes
        Strokes with the time until the next one.
    pitch_hz
        The drum's pitch, Hz; None if it has none.
    """
    enough = [s for s in strokes if s.available_s > START_S + LEAST_S]
    longest = sorted(enough, key=lambda s: -s.available_s)[:MOST_STROKES]
    sounds = [_stroke(low, s, pitch_hz) for s in longest]
    known = [rows for rows in sounds if len(rows)]
    if not known:
        return []
    table = np.concatenate(known)
    rings: list[Ring] = []
    while len(table) and len(rings) < MOST_RINGS:
        top = table[int(np.argmax(table[:, 1]))]
        near = np.abs(table[:, 0] / top[0] - 1.0) < SAME_RATIO
        strokes_with = len(np.unique(table[near, 3]))
        if strokes_with * 2 >= len(known):
            rings.append(_ring(strongest_of_each(table[near])))
        table = table[~near]
    return sorted((r for r in rings if r.level_db > FAINTEST_DB), key=lambda r: -r.level_db)


def strongest_of_each(rows: Array) -> Array:
    """Return each stroke's strongest row: next to a partial the fit leaves faint ghosts of it."""
    order = rows[np.lexsort((-rows[:, 1], rows[:, 3]))]
    _, first = np.unique(order[:, 3], return_index=True)
    return np.asarray(order[first])


def _ring(rows: Array) -> Ring:
    level, spread = centre_and_spread([float(v) for v in rows[:, 1]])
    t60 = rows[np.isfinite(rows[:, 2]), 2]
    sd = max(spread if len(rows) > 2 else 2.5, 0.8)
    return Ring(
        float(np.median(rows[:, 0])), level, sd, float(np.median(t60)) if len(t60) else None
    )


def _stroke(low: Array, stroke: StrokeSpan, pitch_hz: float) -> Array:
    """Return the overtones of one stroke: ratio, dB, T60 (NaN if not read), time of the stroke."""
    span = (START_S, min(START_S + LENGTH_S, stroke.available_s - 0.005))
    glide = stroke_glide(low, stroke, pitch_hz, span)
    window = dechirped(low, stroke, glide, span)
    if len(window) < 32 or not np.any(window):
        return np.empty((0, 4))
    fits = fit_pieces(window[None, :], LOW_RATE_HZ, count=MODES_FITTED, rows=len(window) // 3)
    used = fits.used[0] & (fits.frequency_hz[0] < RING_BELOW_HZ) & (fits.decay_rate[0] > LEAST_RATE)
    frequency, rate = fits.frequency_hz[0][used], fits.decay_rate[0][used]
    since = [np.exp(-2.0 * rate * (position - START_S)) for position in RING_S]
    energy = fits.amplitude[0][used] ** 2 * (since[0] - since[1]) / rate
    fundamental = np.abs(frequency / glide.settled_hz - 1.0) < 0.15
    if not fundamental.any():
        return np.empty((0, 4))
    pitch = float(frequency[fundamental][int(np.argmax(energy[fundamental]))])
    # What the fit splits off the fundamental belongs to it.
    base = float(energy[fundamental & (np.abs(frequency / pitch - 1.0) < SAME_RATIO)].sum())
    above = frequency > RING_FROM_RATIO * pitch
    frequency, rate, energy = _once(frequency[above], rate[above], energy[above])
    t60 = T60_FACTOR / rate
    t60[(t60 > LONGEST_T60_S) | (t60 < SHORTEST_T60_S)] = np.nan
    level = 10.0 * np.log10(energy / base + 1e-12)
    return np.stack([frequency / pitch, level, t60, np.full(len(level), stroke.time_s)], 1)


def _once(frequency: Array, rate: Array, energy: Array) -> tuple[Array, Array, Array]:
    """Return partials strongest first; what a glide not wholly taken out left beside is added."""
    rows: list[list[float]] = []
    for i in np.argsort(-energy).tolist():
        same = next((r for r in rows if abs(frequency[i] / r[0] - 1.0) < SAME_PARTIAL), None)
        if same is None:
            rows.append([float(frequency[i]), float(rate[i]), float(energy[i])])
        else:
            same[2] += float(energy[i])
    table = np.array(rows).reshape(-1, 3)
    return table[:, 0], table[:, 1], table[:, 2]
