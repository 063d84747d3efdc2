"""Strokes of the same drum put together.

Conventions
-----------
Works on ``Stroke`` evidence. A *membrane* stroke adds energy below 320 Hz; the others are hats and
cymbals. Groups are lists of stroke indices.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.signal import find_peaks

from emblar.core.analysis.features import Stroke, band_centres_hz, low_grid_hz, share

Array = NDArray[np.float64]
MEMBRANE_DB = -27.0
"""Low energy of a membrane stroke over that of the recording's strong ones, at least."""
MEMBRANE_OVER_HIGH_DB = -16.0
LOWEST_WITHIN_DB = 12.0
"""The lowest spectral peak this close to the strongest one is a membrane's pitch."""
SEMITONES_APART = 1.6
PRINT_DB_APART = 9.0
LINK_DISTANCE = 1.25


@dataclass(frozen=True, slots=True)
class Group:
    """Strokes taken as one drum: indices, pitch in Hz (membranes), mean print of unit energy."""

    members: tuple[int, ...]
    pitch_hz: float
    template: Array
    wire_db: float


def decibels(power: float | Array) -> Array:
    """Return 10 log10 of a power, with a floor far below anything heard."""
    return np.asarray(10.0 * np.log10(np.maximum(power, 1e-12)))


def membrane_indices(strokes: list[Stroke]) -> list[int]:
    """Return the indices of strokes on a drum rather than on a hat or cymbal alone."""
    low = np.array([decibels(share(s.added, 35.0, 320.0)) for s in strokes])
    high = np.array([decibels(share(s.added, 5000.0, 16000.0)) for s in strokes])
    strong = float(np.percentile(low, 95)) if len(low) else 0.0
    return [
        i
        for i in range(len(strokes))
        if low[i] > strong + MEMBRANE_DB and low[i] > high[i] + MEMBRANE_OVER_HIGH_DB
    ]


def membrane_pitch_hz(stroke: Stroke) -> float:
    """Return the lowest strong peak of a stroke's low spectrum in Hz."""
    return lowest_peak_hz(stroke.low_power)


def lowest_peak_hz(power: Array) -> float:
    """Return the lowest peak within ``LOWEST_WITHIN_DB`` of the strongest one in Hz."""
    grid = low_grid_hz()
    peaks, _ = find_peaks(power)
    if len(peaks) == 0:
        return float(grid[int(np.argmax(power))])
    level = decibels(power[peaks])
    return float(grid[peaks[level >= level.max() - LOWEST_WITHIN_DB][0]])


def _print_db(stroke: Stroke) -> Array:
    """Print in dB relative to the stroke's own loudest band, floored at −40 dB, up to 5 kHz."""
    kept = stroke.added[:, band_centres_hz() < 5000.0]
    level = decibels(kept)
    return np.asarray(np.maximum(level - level.max(), -40.0).ravel())


def group_membranes(strokes: list[Stroke], indices: list[int]) -> list[Group]:
    """Cluster membrane strokes by pitch and by the shape of their prints.

    Average linkage on the sum of the pitch distance (in steps of ``SEMITONES_APART``) and the RMS
    difference of the prints (in steps of ``PRINT_DB_APART``).
    """
    if not indices:
        return []
    pitch = np.array([12.0 * np.log2(membrane_pitch_hz(strokes[i])) for i in indices])
    prints = np.array([_print_db(strokes[i]) for i in indices])
    if len(indices) == 1:
        return [make_group(strokes, indices)]
    rows = []
    for a in range(len(indices) - 1):
        by_pitch = np.minimum(np.abs(pitch[a + 1 :] - pitch[a]) / SEMITONES_APART, 4.0)
        by_print = np.sqrt(np.mean((prints[a + 1 :] - prints[a]) ** 2, axis=1)) / PRINT_DB_APART
        rows.append(0.5 * by_pitch + 0.5 * by_print)
    labels = fcluster(linkage(np.concatenate(rows), "average"), LINK_DISTANCE, "distance")
    groups = [
        make_group(strokes, [indices[i] for i in np.nonzero(labels == label)[0]])
        for label in np.unique(labels)
    ]
    return _merge_same_pitch(strokes, groups)


def _merge_same_pitch(strokes: list[Stroke], groups: list[Group]) -> list[Group]:
    """Join groups less than a semitone apart whose prints are alike: soft and loud strokes."""
    merged: list[Group] = []
    for group in sorted(groups, key=lambda g: -len(g.members)):
        for index, other in enumerate(merged):
            close = abs(12.0 * np.log2(group.pitch_hz / other.pitch_hz)) < 1.0
            if close and abs(group.wire_db - other.wire_db) < 12.0:
                members = [*other.members, *group.members]
                merged[index] = make_group(strokes, members)
                break
        else:
            merged.append(group)
    return merged


def make_group(strokes: list[Stroke], members: list[int]) -> Group:
    """Return the group of these strokes with its median pitch, template and wire level."""
    low = np.median([_unit(strokes[i].low_power) for i in members], axis=0)
    # The median keeps a hat or cymbal that sometimes coincides out of the drum's print.
    template = np.median([_unit(strokes[i].added) for i in members], axis=0)
    wires = np.median(
        [
            decibels(share(strokes[i].added, 1500.0, 5000.0, slices=slice(1, 3)))
            - decibels(share(strokes[i].added, 100.0, 320.0, slices=slice(1, 3)))
            for i in members
        ]
    )
    return Group(tuple(sorted(members)), lowest_peak_hz(low), template, float(wires))


def _unit(power: Array) -> Array:
    total = power.sum()
    return np.asarray(power / total) if total > 0 else power
