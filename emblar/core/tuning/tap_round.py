"""Which of the partials of some taps is the lug note, all taps on one head read together.

Conventions
-----------
Partials of a tap: shape (partials, 2), log2 of the frequency in Hz and level in dB. All taps on one
head have the same modes, moved a little from rod to rod; so they are moved onto one another, and
the lug note is the mode with the right neighbours below and above it (``tap_modes.toml``), where
the goal or earlier readings allow. Nothing here comes from the model of drums.
"""

import math
import tomllib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.spatial.distance import squareform

from emblar.core.tuning.parameters import parameter

Array = NDArray[np.float64]
OCTAVE_CENTS = 1200.0
GRID_CENTS = 10.0
"""Step of the log-frequency spectra that taps are compared by."""
GRID_SIZE = 720
"""Steps of such a spectrum: six octaves."""
WIDTH_CENTS = 22.0
"""Width of a partial in such a spectrum, one standard deviation."""
REACH_CENTS = 300.0
"""Rods of one head differ by less."""
ALIGN_ROUNDS = 3
"""How often every tap is moved onto the sum of the others."""


@dataclass(frozen=True, slots=True)
class Prior:
    """Where the lug note may lie, Hz, and where it is expected, ± one sd in semitones."""

    low_hz: float
    high_hz: float
    about_hz: float | None
    sd_semitones: float
    stretch: float = 1.0
    """How much farther up its modes may reach than usual: thin film carries more air."""

    def log_density(self, octave: float) -> float:
        """Return the logarithm of the density at log2 of a frequency, up to a constant."""
        outside = max(math.log2(self.low_hz) - octave, octave - math.log2(self.high_hz), 0.0)
        density = -0.5 * (12.0 * outside) ** 2
        if self.about_hz is not None:
            density -= 0.5 * (12.0 * (octave - math.log2(self.about_hz)) / self.sd_semitones) ** 2
        return density


@dataclass(frozen=True, slots=True)
class TapMode:
    """A mode that may ring with the lug note (``tap_modes.toml``)."""

    low: float
    high: float
    level_db: float
    level_sd_db: float
    present: float


@dataclass(frozen=True, slots=True)
class CommonPartial:
    """A partial of all taps together: log2 Hz, level in dB, share of the taps that have it."""

    octave: float
    level_db: float
    share: float


@dataclass(frozen=True, slots=True)
class RoundReading:
    """What some taps say together.

    Attributes
    ----------
    lug_hz
        The lug note by tap.
    margin
        By how much the logarithm of its probability is above that of the next other mode.
    score
        How well the modes of these taps fit a head's, as a logarithm.
    groups, largest
        How many kinds of sound there are among the taps, and how many are of the most frequent.
    """

    lug_hz: dict[int, float]
    margin: float
    score: float
    groups: int
    largest: int


@lru_cache(maxsize=1)
def tap_modes() -> tuple[TapMode, ...]:
    """Return the modes that ring with the lug note."""
    text = (resources.files(__package__) / "tap_modes.toml").read_text(encoding="utf-8")
    return tuple(
        TapMode(
            low=row["ratio"][0],
            high=row["ratio"][1],
            level_db=row["level_db"],
            level_sd_db=row["level_sd_db"],
            present=row["present"],
        )
        for row in tomllib.loads(text).values()
    )


def read_round(partials: Sequence[Array], prior: Prior) -> RoundReading | None:
    """Return the lug note of each tap of a head, or None if no mode can be it.

    What was struck besides the head (another drum, a voice) is separated by its partials: taps
    that are alike are read together, and the group that is best explained counts.

    Parameters
    ----------
    partials
        Of each tap, shape (partials, 2): log2 Hz and level in dB.
    prior
        Where the lug note may lie.
    """
    usable = [i for i, rows in enumerate(partials) if len(rows) >= 2]
    readings = []
    for group in _groups([partials[i] for i in usable]):
        members = [usable[j] for j in group]
        reading = _read_group([partials[i] for i in members], prior)
        if reading is not None:
            score, octave, margin, lug_hz = reading
            named = {members[j]: hz for j, hz in lug_hz.items()}
            readings.append((score + len(members), octave, margin, named, score, len(members)))
    if not readings:
        return None
    readings.sort(key=lambda row: -row[0])
    total, octave, margin, lug_hz, score, _ = readings[0]
    for other_total, other_octave, *_ in readings[1:]:
        if abs(other_octave - octave) * OCTAVE_CENTS > parameter("tap_same_within"):
            margin = min(margin, total - other_total)
    largest = max(row[5] for row in readings)
    return RoundReading(lug_hz, margin, score, len(readings), largest)


def _groups(partials: Sequence[Array]) -> list[list[int]]:
    """Return which taps are alike, each group by its taps; single ones only if all are."""
    if len(partials) < 2:
        return [[i] for i in range(len(partials))]
    base = min(float(rows[:, 0].min()) for rows in partials)
    spectra = np.array([_spectrum(rows, base) for rows in partials])
    spectra /= np.linalg.norm(spectra, axis=1, keepdims=True) + 1e-12
    size = 4 * GRID_SIZE
    transforms = np.fft.rfft(spectra, size, axis=1)
    reach = round(REACH_CENTS / GRID_CENTS)
    likeness = np.zeros((len(partials), len(partials)))
    for i, transform in enumerate(transforms):
        lags = np.fft.irfft(transforms * np.conj(transform), size, axis=1)
        likeness[i] = np.maximum(lags[:, : reach + 1].max(1), lags[:, -reach:].max(1))
    apart = np.clip(1.0 - np.maximum(likeness, likeness.T), 0.0, None)
    np.fill_diagonal(apart, 0.0)
    tree = linkage(squareform(apart, checks=False), "average")
    labels = fcluster(tree, parameter("tap_alike"), "distance")
    groups = [np.flatnonzero(labels == label).tolist() for label in np.unique(labels)]
    return [group for group in groups if len(group) > 1] or groups


def _spectrum(rows: Array, base: float) -> Array:
    """Return a tap's partials as a spectrum over log-frequency, weaker partials counting less."""
    span = parameter("tap_partial_range")
    weights = np.clip(rows[:, 1] - rows[:, 1].max() + span, 0.0, None) / span
    places = OCTAVE_CENTS * (rows[:, 0] - base)
    grid = GRID_CENTS * np.arange(GRID_SIZE)
    shapes = np.exp(-0.5 * ((grid[None, :] - places[:, None]) / WIDTH_CENTS) ** 2)
    return np.asarray(weights @ shapes)


def _read_group(
    partials: Sequence[Array], prior: Prior
) -> tuple[float, float, float, dict[int, float]] | None:
    """Return score and log2 Hz of the best mode, its margin, and the lug note by tap."""
    shifts = _shifts(partials)
    pooled = _pool([rows - [shift, 0.0] for rows, shift in zip(partials, shifts, strict=True)])
    if not pooled:
        return None
    scores = [_score(pooled, k, prior, len(partials)) for k in range(len(pooled))]
    best = int(np.argmax(scores))
    octave = pooled[best].octave
    others = [
        score
        for score, mode in zip(scores, pooled, strict=True)
        if abs(mode.octave - octave) * OCTAVE_CENTS > parameter("tap_same_within")
    ]
    margin = scores[best] - max(others) if others else math.inf
    lug_hz = {}
    for i, (rows, shift) in enumerate(zip(partials, shifts, strict=True)):
        hz = _lug_of(rows, float(shift), pooled, octave)
        if hz is not None:
            lug_hz[i] = hz
    return scores[best], octave, margin, lug_hz


def _shifts(partials: Sequence[Array]) -> Array:
    """Return by how many octaves each tap lies above the middle one."""
    base = min(float(rows[:, 0].min()) for rows in partials)
    spectra = np.array([_spectrum(rows, base) for rows in partials])
    reach = round(REACH_CENTS / GRID_CENTS)
    lags = np.arange(-reach, reach + 1)
    steps = np.zeros(len(partials), np.int64)
    for _ in range(ALIGN_ROUNDS if len(partials) > 1 else 0):
        moved = np.array([np.roll(s, -k) for s, k in zip(spectra, steps, strict=True)])
        total = moved.sum(0)
        for i, spectrum in enumerate(spectra):
            rest = total - moved[i]
            fits = [rest @ np.roll(spectrum, -lag) - 0.01 * abs(lag) for lag in lags]
            steps[i] = lags[int(np.argmax(fits))]
            total += np.roll(spectrum, -steps[i]) - moved[i]
            moved[i] = np.roll(spectrum, -steps[i])
    steps -= int(np.median(steps))
    return np.asarray(steps * (GRID_CENTS / OCTAVE_CENTS), np.float64)


def _pool(aligned: Sequence[Array]) -> list[CommonPartial]:
    """Return the partials that most taps have, at most one of each tap."""
    rows = np.concatenate([np.c_[tap, np.full(len(tap), i)] for i, tap in enumerate(aligned)])
    tops = np.array([tap[:, 1].max() for tap in aligned])
    rows[:, 1] -= tops[rows[:, 2].astype(np.int64)]
    rows = rows[rows[:, 1] > -parameter("tap_deepest")]
    grid = np.arange(rows[:, 0].min() - 0.02, rows[:, 0].max() + 0.02, 5.0 / OCTAVE_CENTS)
    apart = (rows[None, :, 0] - grid[:, None]) * OCTAVE_CENTS
    density = np.exp(-0.5 * (apart / WIDTH_CENTS) ** 2) @ 10.0 ** (rows[:, 1] / 40.0)
    inner = (density[1:-1] >= density[:-2]) & (density[1:-1] > density[2:])
    pooled = []
    for place in grid[1:-1][inner]:
        near = rows[np.abs(rows[:, 0] - place) * OCTAVE_CENTS < parameter("tap_pool_within")]
        loudest: dict[int, Array] = {}
        for row in near[np.argsort(near[:, 1])]:
            loudest[int(row[2])] = row
        share = len(loudest) / len(aligned)
        if loudest and (share >= parameter("tap_pool_share") or len(aligned) < 3):
            middle = np.median(list(loudest.values()), axis=0)
            pooled.append(CommonPartial(float(middle[0]), float(middle[1]), share))
    return pooled


def _score(pooled: Sequence[CommonPartial], index: int, prior: Prior, taps: int) -> float:
    """Return the logarithm of how probable it is that a mode is the lug note."""
    lug = pooled[index]
    score = prior.log_density(lug.octave)
    score += parameter("tap_share_counts") * taps * math.log(max(lug.share, 0.05))
    others = [mode for k, mode in enumerate(pooled) if k != index]
    modes = [_stretched(mode, prior.stretch) for mode in tap_modes()]
    slack = parameter("tap_ratio_slack")
    pairs = []
    for m, mode in enumerate(modes):
        width = 12.0 * math.log2(mode.high / mode.low)
        for k, other in enumerate(others):
            ratio = 2.0 ** (other.octave - lug.octave)
            if mode.low / slack <= ratio <= mode.high * slack:
                off = (other.level_db - lug.level_db - mode.level_db) / mode.level_sd_db
                density = mode.present * other.share / (width * mode.level_sd_db)
                pairs.append((math.log(density) - 0.5 * off * off, m, k))
    used_modes: set[int] = set()
    used_partials: set[int] = set()
    for value, m, k in sorted(pairs, reverse=True):
        if m not in used_modes and k not in used_partials:
            used_modes.add(m)
            used_partials.add(k)
            score += value + parameter("tap_clutter")
    for m, mode in enumerate(modes):
        if m not in used_modes:
            score += math.log(1.0 - mode.present) - parameter("tap_missing")
    return score - _unexplained(others, used_partials, lug, slack * modes[-1].high)


def _unexplained(
    others: Sequence[CommonPartial], explained: set[int], lug: CommonPartial, highest_ratio: float
) -> float:
    """Return what loud partials cost that are none of the head's modes."""
    return parameter("tap_unexplained") * sum(
        other.share * max(0.0, other.level_db + parameter("tap_unexplained_from"))
        for k, other in enumerate(others)
        if k not in explained and other.octave - lug.octave <= math.log2(highest_ratio)
    )


def _stretched(mode: TapMode, stretch: float) -> TapMode:
    return replace(mode, high=mode.high * stretch) if mode.high > 1.0 else mode


def _lug_of(
    rows: Array, shift: float, pooled: Sequence[CommonPartial], octave: float
) -> float | None:
    """Return the partial of one tap that fits the whole head's modes as its lug note, Hz."""
    weights = np.array([mode.share * 10.0 ** (mode.level_db / 40.0) for mode in pooled])
    ratios = np.array([mode.octave - octave for mode in pooled])
    best = (parameter("tap_least_fit"), None)
    for place, _ in rows:
        moved = abs(place - octave - shift) * OCTAVE_CENTS
        if abs(place - octave) * OCTAVE_CENTS > REACH_CENTS + parameter("tap_same_within"):
            continue
        apart = np.abs(place + ratios[:, None] - rows[None, :, 0]).min(1) * OCTAVE_CENTS
        fit = float(weights @ np.exp(-0.5 * (apart / WIDTH_CENTS) ** 2) / weights.sum())
        fit -= moved / parameter("tap_shift_costs")
        if fit > best[0]:
            best = (fit, 2.0 ** float(place))
    return best[1]
