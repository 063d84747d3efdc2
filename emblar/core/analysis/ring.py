"""The overtones of a drum: which, how strong, how long.

Conventions
-----------
Read on the low band between 40 and 200 ms after the stroke, until the next drum. Levels are energy
in dB re the fundamental's. A group of overtones within 6 % of each other is one ring.

Source: partials by ESPRIT (``partials``).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.partials import fit_pieces
from emblar.core.analysis.pitch import LOW_RATE_HZ, StrokeSpan
from emblar.core.analysis.robust import centre_and_spread

Array = NDArray[np.float64]
START_S, LENGTH_S, LEAST_S = 0.040, 0.080, 0.040
LOWEST_RATIO, HIGHEST_HZ = 1.25, 900.0
SAME_RATIO = 0.06
FAINTEST_DB = -30.0
MOST_RINGS = 5
LONGEST_T60_S, SHORTEST_T60_S = 8.0, 0.02
MODES = {1.59: "(1,1)", 2.14: "(2,1)", 2.30: "(0,2)", 2.65: "(3,1)", 2.92: "(1,2)", 3.16: "(4,1)"}
"""Ratios to the fundamental of an ideal film in vacuo; air lowers the lowest modes most."""
MODE_WITHIN = 0.10


@dataclass(frozen=True, slots=True)
class Ring:
    """An overtone group: Hz over the fundamental's, dB re it with its spread, T60 in s if read."""

    ratio: float
    level_db: float
    level_sd_db: float
    t60_s: float | None

    @property
    def mode(self) -> str:
        """The mode of an ideal film that this ratio fits, or an empty string."""
        near = min(MODES, key=lambda ratio: abs(ratio / self.ratio - 1.0))
        return MODES[near] if abs(near / self.ratio - 1.0) < MODE_WITHIN else ""


def voice_ring(low: Array, strokes: Sequence[StrokeSpan], pitch_hz: float) -> list[Ring]:
    """Return a drum's overtones, strongest first."""
    sounds = [_stroke(low, s, pitch_hz) for s in strokes if s.available_s > START_S + LEAST_S]
    told = [rows for rows in sounds if len(rows)]
    if not told:
        return []
    table = np.concatenate(told)
    rings: list[Ring] = []
    while len(table) and len(rings) < MOST_RINGS:
        top = table[int(np.argmax(table[:, 1]))]
        near = np.abs(table[:, 0] / top[0] - 1.0) < SAME_RATIO
        strokes_with = len(np.unique(table[near, 3]))
        if strokes_with * 2 >= len(told):
            rings.append(_ring(_strongest_of_each(table[near])))
        table = table[~near]
    return sorted((r for r in rings if r.level_db > FAINTEST_DB), key=lambda r: -r.level_db)


def _strongest_of_each(rows: Array) -> Array:
    """Return each stroke's strongest row: beside a partial the fit leaves faint ghosts of it."""
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
    length = min(LENGTH_S, stroke.available_s - START_S - 0.005)
    first = round((stroke.time_s + START_S) * LOW_RATE_HZ)
    window = low[first : first + round(length * LOW_RATE_HZ)]
    if len(window) < 32 or not np.any(window):
        return np.empty((0, 4))
    fits = fit_pieces(window[None, :], LOW_RATE_HZ, count=8)
    used = fits.used[0] & (fits.frequency_hz[0] < HIGHEST_HZ)
    frequency, energy = fits.frequency_hz[0][used], fits.energy[0][used]
    own = np.abs(frequency / pitch_hz - 1.0) < 0.15
    if not own.any():
        return np.empty((0, 4))
    base = float(energy[own].max())
    above = frequency > LOWEST_RATIO * pitch_hz
    rate = fits.decay_rate[0][used][above]
    t60 = np.where(rate > 0, 6.908 / np.maximum(rate, 1e-9), np.nan)
    t60[(t60 > LONGEST_T60_S) | (t60 < SHORTEST_T60_S)] = np.nan
    level = 10.0 * np.log10(energy[above] / base + 1e-12)
    # The ratio is to what the fundamental is at that moment, so that a glide does not matter.
    pitch = float(frequency[own][int(np.argmax(energy[own]))])
    return np.stack([frequency[above] / pitch, level, t60, np.full(len(level), stroke.time_s)], 1)
