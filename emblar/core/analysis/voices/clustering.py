"""Strokes on kicks and toms put together: which are on the same drum, and which drum is the kick.

Conventions
-----------
The classifier tells kicks from toms only roughly: a big tom and a ringing kick look alike. Within
one recording it is clear which strokes are alike. They are clustered by pitch (what each adds
until the next drum, in steps of ``SEMITONES_APART``) and by the shape of their prints below
``PRINT_HIGHEST_HZ`` (in steps of ``PRINT_DB_APART``). One cluster is the kick: the one the
classifier is surest of that is played often; the others are toms, from high to low.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.hierarchy import fcluster, linkage

from emblar.core.analysis.pitch.mode_choice import added_spectrum
from emblar.core.analysis.signal.band_spectrogram import BANDS, band_centres_hz
from emblar.core.analysis.signal.low_band import StrokeSpan, grid_hz

Array = NDArray[np.float64]
Groups = list[NDArray[np.int64]]
RANGE_HZ = (32.0, 260.0)
"""Where pitches of kicks and toms are sought, Hz."""
PRINT_HIGHEST_HZ = 2500.0
"""Above this, strokes of one drum differ by how they are struck."""
PRINT_FLOOR_DB = -35.0
"""Fainter bands of a print re its loudest are nothing, dB."""
TREBLE_HZ = 2500.0
BASS_HZ = 600.0
"""From where treble counts, and up to where bass does, Hz."""
SEMITONES_APART = 0.9
PRINT_DB_APART = 7.0
"""What is one step apart: in pitch, semitones, and in print, dB."""
MOST_PITCH_STEPS = 4.0
"""Farther apart in pitch is no more unlike."""
KIND_WEIGHT = 0.8
"""Steps that a sure kick lies from a sure tom."""
LINK_DISTANCE = 1.2
"""Clusters farther apart than so many steps are two."""
MOST_CLUSTERED = 700
"""The loudest so many strokes are clustered: more takes long and tells no more."""
SAME_SEMITONES = 1.0
SAME_SHARE = 0.5
"""Clusters this near in pitch, and in share of kick, are one drum struck soft and hard."""
KICK_SHARE = 0.70
"""A cluster the classifier takes for the kick this surely is the kick struck otherwise …"""
ABOVE_KICK_SEMITONES = 2.0
SLOWER_DB = 4.0
"""… unless it is this much higher and loses this much less between 28 and 107 ms …"""
SURELY_KICK = 0.78
"""… and the classifier does not take it for the kick as surely as this …"""
WELL_ABOVE_SEMITONES = 4.0
ENOUGH_SHARE = 0.12
TOM_FALL_DB = (2.0, 9.0)
"""… or it is well above, has this share of the strokes, and falls as toms do."""
SOMEWHAT_SLOWER_DB = 1.5
"""What loses so much less than the kick, and is higher, is a tom whatever it is taken for."""
LEAST_STROKES = 2
LEAST_SHARE = 0.06
"""Strokes, and share of all, that a tom needs."""
MOST_TOMS = 6
"""No kit has more toms."""
SNARE_HZ = (105.0, 260.0)
LEAST_SNARE = 4
SNARE_TREBLE_DB = -13.0
SAME_TREBLE_DB = 3.0
"""Where a snare's pitch lies, Hz; strokes it needs; how much treble it keeps re bass, and how much
less the others of it may, dB."""
SURE_KICK = 0.6
"""Least share of kick that the kick's cluster has."""
LEAST_WORTH = 1.0
LEAST_WORTH_SHARE = 0.25
"""A tom's strokes hold this many sure strokes together, and this share of the surest tom's."""


@dataclass(frozen=True, slots=True)
class Membrane:
    """A kick or tom: pitch in Hz, and which of the given strokes are on it."""

    pitch_hz: float
    members: tuple[int, ...]
    kick: bool


@dataclass(frozen=True, slots=True)
class Tom:
    """Strokes that may be on one tom, and the chance of each."""

    group: NDArray[np.int64]
    chances: Array

    @property
    def worth(self) -> float:
        """Return how many sure strokes these hold together."""
        return float(self.chances.sum())


def stroke_pitch_hz(low: Array, stroke: StrokeSpan) -> float | None:
    """Return the strongest pitch that a stroke adds, or None if it is cut off."""
    added = added_spectrum(low, stroke, "tom")
    if added is None:
        return None
    grid = grid_hz()
    first, last = np.searchsorted(grid, RANGE_HZ)
    if not added[first:last].any():
        return None
    # Overtones of a low drum can be stronger for a moment; the ear goes by the lower one.
    tilt = (grid[first:last] / RANGE_HZ[0]) ** -0.5
    return float(grid[first + int(np.argmax(added[first:last] * tilt))])


def group_membranes(
    pitches_hz: Sequence[float | None], prints: Array, kick: Array, tom: Array
) -> list[Membrane]:
    """Group strokes on kicks and toms.

    Parameters
    ----------
    pitches_hz
        One per stroke, None where it cannot be told.
    prints
        One per stroke, shape (strokes, segments × bands).
    kick, tom
        The classifier's chances of each stroke.

    Returns
    -------
    membranes
        The kick first if there is one, then toms from high to low.
    """
    groups, semitones = _alike(pitches_hz, prints, kick, tom)
    if not groups:
        return []
    kicks, toms = _parted(groups, semitones, falls_db(prints), kick, tom)
    return _named(kicks, [x.group for x in toms], semitones)


def snare_among(
    pitches_hz: Sequence[float | None], prints: Array, kick: Array, tom: Array
) -> NDArray[np.int64]:
    """Return which strokes are on a snare whose wires the classifier did not hear; none if none.

    The group struck often enough, in a snare's range, that keeps most treble after its attack, and
    more than toms do; and those that keep nearly as much.

    Parameters
    ----------
    pitches_hz, prints, kick, tom
        As for ``group_membranes``.
    """
    groups, semitones = _alike(pitches_hz, prints, kick, tom)
    if not groups:
        return np.empty(0, np.int64)
    treble = treble_db(prints)
    low, high = (12.0 * np.log2(hz) for hz in SNARE_HZ)
    bright = [
        (float(np.median(treble[group])), group)
        for group in groups
        if len(group) >= LEAST_SNARE and low <= _middle(group, semitones) <= high
    ]
    most = max((above for above, _ in bright), default=-np.inf)
    least = max(most - SAME_TREBLE_DB, SNARE_TREBLE_DB)
    values = [group for above, group in bright if above >= least]
    return np.concatenate(values) if values else np.empty(0, np.int64)


def _alike(
    pitches_hz: Sequence[float | None], prints: Array, kick: Array, tom: Array
) -> tuple[Groups, dict[int, float]]:
    """Return groups of strokes that are alike, and the pitch of each in semitones."""
    known = np.array([i for i, pitch in enumerate(pitches_hz) if pitch is not None], np.int64)
    if len(known) == 0:
        return [], {}
    strongest = known[np.argsort(-prints[known].sum(axis=1), kind="stable")][:MOST_CLUSTERED]
    pitch = np.array([12.0 * np.log2(pitches_hz[i] or 1.0) for i in strongest])
    share = kick[strongest] / (kick[strongest] + tom[strongest] + 1e-9)
    labels = _labels(pitch, shapes_db(prints[strongest]), share)
    groups = [strongest[labels == label] for label in np.unique(labels)]
    semitones = {int(i): float(p) for i, p in zip(strongest, pitch, strict=True)}
    return _joined(groups, semitones, kick, tom), semitones


def falls_db(prints: Array) -> Array:
    """Return what each stroke loses from its third to its last segment, without the top."""
    inside = band_centres_hz() < PRINT_HIGHEST_HZ
    power = prints.reshape(len(prints), -1, BANDS)[:, :, inside].sum(axis=2) + 1e-30
    return np.asarray(10.0 * np.log10(power[:, 2] / power[:, -1]))


def treble_db(prints: Array) -> Array:
    """Return how much more of each stroke lies in the treble than in the bass after its attack."""
    centres = band_centres_hz()
    power = prints.reshape(len(prints), -1, BANDS)[:, 2:]
    high = power[:, :, centres > TREBLE_HZ].sum(axis=(1, 2)) + 1e-30
    low = power[:, :, centres < BASS_HZ].sum(axis=(1, 2)) + 1e-30
    return np.asarray(10.0 * np.log10(high / low))


def shapes_db(prints: Array) -> Array:
    """Return prints below ``PRINT_HIGHEST_HZ`` in dB re their loudest band, held at a floor."""
    inside = np.tile(band_centres_hz() < PRINT_HIGHEST_HZ, prints.shape[1] // BANDS)
    level = 10.0 * np.log10(prints[:, inside] + 1e-30)
    return np.asarray(np.maximum(level - level.max(axis=1, keepdims=True), PRINT_FLOOR_DB))


def _labels(pitch: Array, shapes: Array, share: Array) -> NDArray[np.int64]:
    if len(pitch) == 1:
        return np.ones(1, np.int64)
    rows = []
    for a in range(len(pitch) - 1):
        apart = np.abs(pitch[a + 1 :] - pitch[a]) / SEMITONES_APART
        unlike = np.sqrt(np.mean((shapes[a + 1 :] - shapes[a]) ** 2, axis=1)) / PRINT_DB_APART
        kinds = KIND_WEIGHT * np.abs(share[a + 1 :] - share[a])
        rows.append(0.5 * np.minimum(apart, MOST_PITCH_STEPS) + 0.5 * unlike + kinds)
    result = fcluster(linkage(np.concatenate(rows), "average"), LINK_DISTANCE, "distance")
    return np.asarray(result, np.int64)


def _middle(group: NDArray[np.int64], semitones: dict[int, float]) -> float:
    return float(np.median([semitones[int(i)] for i in group]))


def _share(group: NDArray[np.int64], kick: Array, tom: Array) -> float:
    """Return how much rather a kick than a tom some strokes are, 0 to 1."""
    return float(kick[group].sum() / (kick[group].sum() + tom[group].sum() + 1e-9))


def _joined(groups: Groups, semitones: dict[int, float], kick: Array, tom: Array) -> Groups:
    """Join groups of nearly the same pitch and kind: soft and hard, or with something over them."""
    joined: Groups = []
    for group in sorted(groups, key=lambda g: -len(g)):
        near = [
            abs(_middle(group, semitones) - _middle(other, semitones)) < SAME_SEMITONES
            and abs(_share(group, kick, tom) - _share(other, kick, tom)) < SAME_SHARE
            for other in joined
        ]
        if any(near):
            index = near.index(True)
            joined[index] = np.concatenate([joined[index], group])
        else:
            joined.append(group)
    return joined


def _parted(
    groups: Groups, semitones: dict[int, float], falls: Array, kick: Array, tom: Array
) -> tuple[list[int], list[Tom]]:
    """Part groups into the strokes of the kick and those of each tom."""
    total = sum(len(g) for g in groups)
    share = [_share(g, kick, tom) for g in groups]
    # The kick is sure of itself first, played often second.
    score = [s**3 * float(np.log2(1.0 + kick[g].sum())) for s, g in zip(share, groups, strict=True)]
    first = int(np.argmax(score))
    kicks: list[int] = list(groups[first]) if share[first] > SURE_KICK else []
    toms: list[Tom] = []
    for index, group in enumerate(groups):
        if kicks and index == first:
            continue
        higher = _middle(group, semitones) - _middle(groups[first], semitones)
        slower = float(np.median(falls[groups[first]]) - np.median(falls[group]))
        rings_on = higher > ABOVE_KICK_SEMITONES and slower > SLOWER_DB
        few = len(group) < max(LEAST_STROKES, LEAST_SHARE * total)
        surely = share[index] > SURELY_KICK and not (
            higher > WELL_ABOVE_SEMITONES
            and len(group) >= ENOUGH_SHARE * total
            and TOM_FALL_DB[0] < float(np.median(falls[group])) < TOM_FALL_DB[1]
        )
        if kicks and (surely or (share[index] > KICK_SHARE and not (rings_on and not few))):
            kicks += list(group)
        elif not few or total <= LEAST_STROKES * 2:
            # What rings on above the kick is a tom whatever the classifier takes it for.
            either = higher > ABOVE_KICK_SEMITONES and slower > SOMEWHAT_SLOWER_DB
            toms.append(Tom(group, (kick + tom if either else tom)[group]))
    least = max(LEAST_WORTH, LEAST_WORTH_SHARE * max((x.worth for x in toms), default=0.0))
    toms.sort(key=lambda x: -x.worth)
    return kicks, [x for x in toms[:MOST_TOMS] if x.worth >= least or total <= LEAST_STROKES * 2]


def _named(kicks: list[int], toms: Groups, semitones: dict[int, float]) -> list[Membrane]:
    high_to_low = sorted(toms, key=lambda g: -_middle(g, semitones))
    result = [_membrane(group, semitones, kick=False) for group in high_to_low]
    if kicks:
        result.insert(0, _membrane(np.array(kicks, np.int64), semitones, kick=True))
    return result


def _membrane(group: NDArray[np.int64], semitones: dict[int, float], *, kick: bool) -> Membrane:
    pitch = 2.0 ** (_middle(group, semitones) / 12.0)
    return Membrane(pitch, tuple(int(i) for i in np.sort(group)), kick)
