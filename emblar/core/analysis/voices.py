"""Which drum each stroke is on: kick, snare, toms from high to low, hat, cymbal.

Conventions
-----------
Voices are named ``kick``, ``snare``, ``tom-1``, ``tom-2``, … (high to low), ``hat``, ``cymbal``.
One moment can hold several voices. Confidence is between 0 and 1.

Groups of like strokes (``grouping``) are named by pitch, wires and how often they are played; then
every stroke is explained as a non-negative sum of the groups' mean prints, so that strokes that
coincide are found.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from emblar.core.analysis.features import Stroke, band_centres_hz, share
from emblar.core.analysis.grouping import (
    Group,
    decibels,
    group_membranes,
    make_group,
    membrane_indices,
)
from emblar.core.analysis.highs import cymbal_print, high_voices

Array = NDArray[np.float64]
WIRES_DB = -15.0
SNARE_LOWEST_HZ = 115.0
KICK_HIGHEST_HZ = 112.0
FAINT_SHARE = 0.08
PRESENT_SHARE = 0.22
"""A second voice counts from this share of its own usual stroke."""
PRESENT_IN_BAND = 0.45
"""… and if it explains this share of the energy in the bands where it is strongest."""


@dataclass(frozen=True, slots=True)
class Hit:
    """One stroke of one voice."""

    time_s: float
    voice: str
    level_db: float
    confidence: float
    stroke: int
    """Index of the onset it belongs to."""


@dataclass(frozen=True, slots=True)
class NamedGroup:
    """A group of membrane strokes with the voice it was named."""

    voice: str
    group: Group


@dataclass(frozen=True, slots=True)
class Naming:
    """Every stroke's evidence put into voices: drums, and strokes that hold a hat or cymbal."""

    drums: tuple[NamedGroup, ...]
    hats: tuple[int, ...]
    cymbals: tuple[int, ...]


def name_voices(strokes: list[Stroke], *, only: str | None = None) -> Naming:
    """Group the strokes and name the groups.

    Parameters
    ----------
    strokes
        Evidence per onset.
    only
        Name every stroke with this one voice (a recording of a single drum).
    """
    everything = tuple(range(len(strokes)))
    if only in ("hat", "cymbal"):
        return Naming(
            (), everything if only == "hat" else (), everything if only == "cymbal" else ()
        )
    if only is not None:
        return Naming((NamedGroup(only, make_group(strokes, list(everything))),), (), ())
    membranes = membrane_indices(strokes)
    alone = [i for i in everything if i not in set(membranes)]
    groups = _dissolve(_heard(strokes, group_membranes(strokes, membranes)))
    hats, cymbals = high_voices(strokes, groups, alone)
    return Naming(tuple(_name_membranes(groups)), tuple(hats), tuple(cymbals))


def _heard(strokes: list[Stroke], groups: list[Group]) -> list[Group]:
    """Drop lone strokes far weaker than the rest: beats in a tail, not strokes."""
    energy = [float(np.median([strokes[i].added.sum() for i in g.members])) for g in groups]
    if len(groups) < 2:
        return groups
    weakest = FAINT_SHARE * float(np.median(energy))
    return [g for g, e in zip(groups, energy, strict=True) if len(g.members) > 1 or e > weakest]


def _dissolve(groups: list[Group]) -> list[Group]:
    """Drop small groups that are two larger groups struck together."""
    groups = sorted(groups, key=lambda g: -len(g.members))
    kept: list[Group] = []
    for group in groups:
        if len(kept) >= 2 and len(group.members) <= max(2, len(kept[1].members) // 4):
            matrix = np.array([g.template.ravel() for g in kept]).T
            weight = 1.0 / (matrix.max(axis=1) + 1e-3 * matrix.max())
            target = group.template.ravel()
            gains, residual = nnls(matrix * weight[:, None], target * weight)
            explained = 1.0 - (residual / np.linalg.norm(target * weight)) ** 2
            if explained > 0.9 and np.count_nonzero(gains > 0.2 * gains.max()) >= 2:
                continue
        kept.append(group)
    return kept


def _name_membranes(groups: list[Group]) -> list[NamedGroup]:
    named = []
    wired = [g for g in groups if g.wire_db > WIRES_DB and g.pitch_hz > SNARE_LOWEST_HZ]
    rest = [g for g in groups if g not in wired]
    if wired:
        named.append(NamedGroup("snare", _largest(wired)))
        # Other wired groups are the snare struck otherwise: they stay with it if they are close.
        rest += [
            g for g in wired if g is not named[0].group and g.pitch_hz < 0.8 * wired[0].pitch_hz
        ]
    low = [g for g in rest if g.pitch_hz < KICK_HIGHEST_HZ]
    if low:
        kick = max(low, key=_kick_score)
        named.append(NamedGroup("kick", kick))
        rest = [g for g in rest if g is not kick]
    toms = sorted(rest, key=lambda g: -g.pitch_hz)
    named += [NamedGroup(f"tom-{i + 1}", g) for i, g in enumerate(toms)]
    return named


def _largest(groups: list[Group]) -> Group:
    return max(groups, key=lambda g: len(g.members))


def _kick_score(group: Group) -> float:
    """Kicks are played often, are low, and are over soon; each counts about the same."""
    often = np.log2(len(group.members) + 1.0)
    low = -4.0 * np.log2(group.pitch_hz / 70.0)
    early = share(group.template, 35.0, 320.0, slices=slice(0, 1))
    late = share(group.template, 35.0, 320.0, slices=slice(2, 3))
    short = float(decibels(early) - decibels(late)) / 4.0
    return float(often + low + short)


def assign_hits(strokes: list[Stroke], naming: Naming) -> list[Hit]:
    """Explain every stroke by the named groups.

    The print of a stroke is fitted as a non-negative sum of the drums' prints (and the cymbal's),
    every band weighted alike. The drum a stroke was clustered into is always among its voices.
    """
    hits = [
        Hit(strokes[i].time_s, voice, strokes[i].level_db, 0.8, i)
        for voice, members in (("hat", naming.hats), ("cymbal", naming.cymbals))
        for i in members
    ]
    if naming.drums:
        hits += _drum_hits(strokes, naming)
    return sorted(hits, key=lambda h: (h.time_s, h.voice))


def _drum_hits(strokes: list[Stroke], naming: Naming) -> list[Hit]:
    drums = naming.drums
    columns = [n.group.template.ravel() for n in drums]
    usual = [float(np.median([strokes[i].added.sum() for i in n.group.members])) for n in drums]
    cymbal = cymbal_print(strokes, list(naming.cymbals), [n.group for n in drums])
    if cymbal is not None:
        columns.append(cymbal.ravel())
        usual.append(float(np.median([strokes[i].added.sum() for i in naming.cymbals])))
    templates, size = np.array(columns).T, np.array(usual)
    loud = (templates * size).max(axis=1)
    weight = 1.0 / (loud + 1e-4 * loud.max())
    own = {i: k for k, n in enumerate(drums) for i in n.group.members}
    high_only = (set(naming.hats) | set(naming.cymbals)) - set(own)
    hits = []
    for index, stroke in enumerate(strokes):
        if index in high_only:
            continue
        gains, _ = nnls(templates * weight[:, None], stroke.added.ravel() * weight)
        relative = gains / size
        if index not in own and not any(relative[: len(drums)] > PRESENT_SHARE):
            continue
        main = own.get(index, int(np.argmax(relative[: len(drums)])))
        for k in range(len(drums)):
            if k != main and not _is_present(k, gains, relative, templates, stroke):
                continue
            level = stroke.level_db
            if k != main:
                level += float(decibels(gains[k]) - decibels(gains.sum()))
            sure = 0.95 if own.get(index) == k else float(np.clip(relative[k], 0.3, 0.9))
            hits.append(Hit(stroke.time_s, drums[k].voice, level, sure, index))
    return hits


def _is_present(k: int, gains: Array, relative: Array, templates: Array, stroke: Stroke) -> bool:
    if relative[k] < PRESENT_SHARE:
        return False
    parts = templates * gains
    # Look only where this voice stands out against the usual sum of the others.
    others = parts.sum(axis=1) - parts[:, k]
    dominant = parts[:, k] > others
    if np.count_nonzero(dominant) < len(band_centres_hz()) // 6:
        return False
    measured = stroke.added.ravel()[dominant].sum()
    return bool(measured >= PRESENT_IN_BAND * parts[dominant, k].sum())
