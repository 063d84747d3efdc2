"""Hats and cymbals, alone and over drums.

Conventions
-----------
Works above 6 kHz, where drums have only what click and wires give them. What a drum gives there by
itself is taken from its own strokes with the least of it. A *cymbal* still sounds 52–92 ms after
the stroke, a closed *hat* has mostly gone.
"""

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.features import Stroke, share
from emblar.core.analysis.grouping import Group, decibels

Array = NDArray[np.float64]
HIGH_HZ = (6000.0, 16000.0)
TOP_HZ = (9500.0, 16000.0)
LASTING_DB = -9.0
HAT_OVER_USUAL = 0.28
CYMBAL_OVER_OWN = 4.0
FAINT_SHARE = 0.003
"""Less high energy than this share of a loud stroke's is no hat or cymbal."""
QUIET_SHARE = 12.0
"""Percentile of a drum's strokes taken as struck without a hat."""


def high_voices(
    strokes: list[Stroke], groups: list[Group], alone: list[int]
) -> tuple[list[int], list[int]]:
    """Return the strokes that hold a hat and those that hold a cymbal.

    Parameters
    ----------
    strokes
        Evidence per onset.
    groups
        The membrane groups.
    alone
        Strokes without a membrane.
    """
    hats: list[int] = []
    cymbals: list[int] = []
    loud = np.percentile([_early(s) for s in strokes], 90) if strokes else 0.0
    for i in alone:
        if _early(strokes[i]) > FAINT_SHARE * loud:
            (cymbals if _lasts(strokes[i]) else hats).append(i)
    usual_hat = float(np.median([_early(strokes[i]) for i in hats])) if len(hats) >= 3 else None
    for group in groups:
        own_late = float(np.median([_late(strokes[i]) for i in group.members]))
        totals = np.array([strokes[i].added.sum() for i in group.members])
        early = np.array([_early(strokes[i]) for i in group.members])
        quiet = np.percentile(early / np.maximum(totals, 1e-12), QUIET_SHARE)
        for i, total, energy in zip(group.members, totals, early, strict=True):
            reference = max(own_late, (usual_hat or 0.0) * 0.1)
            if _lasts(strokes[i]) and _late(strokes[i]) > CYMBAL_OVER_OWN * reference:
                cymbals.append(i)
            elif (
                usual_hat is not None and energy - 1.5 * quiet * total > HAT_OVER_USUAL * usual_hat
            ):
                hats.append(i)
    return sorted(hats), sorted(cymbals)


def _early(stroke: Stroke) -> float:
    return share(stroke.added, *TOP_HZ, slices=slice(0, 1))


def _late(stroke: Stroke) -> float:
    return share(stroke.added, *HIGH_HZ, slices=slice(2, 3))


def _lasts(stroke: Stroke) -> bool:
    if stroke.gap_s < 0.095:
        return False
    early = share(stroke.added, *HIGH_HZ, slices=slice(0, 1))
    return float(decibels(_late(stroke)) - decibels(early)) > LASTING_DB


def cymbal_print(strokes: list[Stroke], cymbals: list[int], groups: list[Group]) -> Array | None:
    """Return the mean print of what a cymbal adds, unit energy, or None without one.

    From each stroke the print of its drum is taken off, scaled to the stroke's energy below 1 kHz.
    """
    owner = {i: g for g in groups for i in g.members}
    prints = []
    for i in cymbals:
        added = strokes[i].added
        if i in owner:
            template = owner[i].template
            low = share(template, 35.0, 1000.0)
            scale = share(added, 35.0, 1000.0) / low if low > 0 else 0.0
            added = np.maximum(added - scale * template, 0.0)
        if added.sum() > 0:
            prints.append(added / added.sum())
    return np.mean(prints, axis=0) if prints else None
