"""Which of the recording's kicks and toms each candidate is on, told by what the strokes share.

Conventions
-----------
Chances are the classifier's, shape (candidates, KINDS). A candidate's place is 0 for the kick,
1 and up for the toms from high to low, ``NOWHERE`` if it is on none or cannot be placed.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.pitch.mode_choice import tuned_hz
from emblar.core.analysis.signal.low_band import StrokeSpan
from emblar.core.analysis.signal.scene import Accompaniment
from emblar.core.analysis.voices.clustering import group_membranes, snare_among, stroke_pitch_hz
from emblar.core.analysis.voices.embedding import heard_of
from emblar.core.analysis.voices.joint_clustering import Toms, joint_toms

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Lows = Sequence[Array]
KICK, SNARE, TOM = (KINDS.index(kind) for kind in ("kick", "snare", "tom"))
MEMBRANE_FROM = 0.25
SNARE_OVER = 0.65
"""Least chance of being on kick or tom, and the chance of a snare over it from which it is not
placed by pitch."""
NOWHERE = -1
"""Place of a candidate that is on no kick or tom."""
LISTENED_FROM_S = (0.0, -0.006, -0.003, 0.003, 0.006)
"""Beginnings, after a stroke's own, from which toms are told apart."""
SURE_SNARE = 0.75
FEW_SNARES = 0.06
SNARE_AFTER_ALL = 0.85
"""Chance of a sure snare; share of the strokes that must be one, or a snare is sought among the
toms; and the chance its strokes then have."""


@dataclass(frozen=True, slots=True)
class Places:
    """How many toms there are, each candidate's place, and which seem toms but are on none."""

    toms: int
    of: Index
    others: Index


def with_a_snare(
    times_s: Array, lows: Lows, chances: Array, prints: Array, playing: Accompaniment
) -> Array:
    """Return chances in which a kit has a snare, if hardly any stroke was surely one.

    A snare whose wires are off or faint sounds like a high tom to the classifier.

    Parameters
    ----------
    times_s, chances, prints
        The candidates.
    lows
        The low band at ``low_band.LOW_RATE_HZ``, and that of the side of a stereo mix.
    playing
        Who else plays.
    """
    struck = chances[:, [KICK, SNARE, TOM]].max(axis=1) > MEMBRANE_FROM
    sure = np.count_nonzero(chances[:, SNARE] > SURE_SNARE)
    if sure > FEW_SNARES * np.count_nonzero(struck):
        return chances
    if playing.is_audible:
        maybe, result = _toms(times_s, lows, chances, prints, mix=True)
        snare = maybe[result.snare]
    else:
        maybe = _maybe(chances)
        pitches = _pitches(times_s, lows[0], chances, maybe)
        snare = maybe[
            snare_among(pitches, prints[maybe], chances[maybe, KICK], chances[maybe, TOM])
        ]
    out = chances.copy()
    out[snare, SNARE] = SNARE_AFTER_ALL
    for kind in (KICK, TOM):
        out[snare, kind] *= 1.0 - SNARE_AFTER_ALL
    return out


def places(
    times_s: Array, lows: Lows, chances: Array, prints: Array, playing: Accompaniment
) -> Places:
    """Return which kick or tom each candidate is on.

    Parameters
    ----------
    times_s, lows, chances, prints, playing
        As for ``with_a_snare``.
    """
    maybe, of = _maybe(chances), np.full(len(times_s), NOWHERE, np.int64)
    if playing.is_audible:
        # Other instruments' notes hide pitch and print: the classifier alone says what is a kick.
        of[maybe[chances[maybe, KICK] >= chances[maybe, TOM]]] = 0
        maybe, result = _toms(times_s, lows, chances, prints, mix=True)
        for place, members in enumerate(result.toms):
            of[maybe[members]] = place + 1
        return Places(len(result.toms), of, maybe[result.others])
    low, spans = lows[0], _spans(times_s, chances, maybe)
    pitches = [stroke_pitch_hz(low, span) for span in spans]
    groups = group_membranes(pitches, prints[maybe], chances[maybe, KICK], chances[maybe, TOM])
    for group in groups:
        if group.kick:
            of[maybe[list(group.members)]] = 0
    # Alone, pitch and print say what is a kick; toms are told apart as in a mix, by more than that.
    seem, result = _toms(times_s, lows, chances, prints, mix=False)
    toms = [values[of[values] != 0] for values in (seem[members] for members in result.toms)]
    toms = [np.searchsorted(maybe, values) for values in toms if len(values)]
    if not playing.taken:
        # Nothing else leads their notes astray: they put them in order.
        tuned = [
            _tuned_hz(low, [(pitches[i], spans[i]) for i in values.tolist()]) for values in toms
        ]
        toms = [toms[index] for index in np.argsort(-np.array(tuned), kind="stable")]
    for place, values in enumerate(toms):
        of[maybe[values]] = place + 1
    return Places(len(toms), of, np.empty(0, np.int64))


def _tuned_hz(low: Array, strokes: Sequence[tuple[float | None, StrokeSpan]]) -> float:
    """Return the pitch of a tom by the pitches and spans of its strokes; 0 if none has one."""
    pitches = [pitch_hz for pitch_hz, _ in strokes if pitch_hz is not None]
    if not pitches:
        return 0.0
    return tuned_hz(float(np.median(pitches)), low, [span for _, span in strokes])


def _maybe(chances: Array) -> Index:
    """Return which candidates may be on kick or tom alone."""
    either = 1.0 - (1.0 - chances[:, KICK]) * (1.0 - chances[:, TOM])
    snare = chances[:, SNARE]
    # With a snare over it a stroke says little of its pitch; it is placed by its print later.
    return np.nonzero((either > np.maximum(snare, MEMBRANE_FROM)) & (snare < SNARE_OVER))[0]


def _spans(times_s: Array, chances: Array, maybe: Index) -> list[StrokeSpan]:
    """Return strokes with the time until the next one on any drum."""
    drums = times_s[chances[:, [KICK, SNARE, TOM]].max(axis=1) > MEMBRANE_FROM]
    spans = []
    for time in times_s[maybe].tolist():
        later = drums[drums > time + 0.004]
        spans.append(StrokeSpan(time, float(later[0]) - time - 0.008 if len(later) else 2.0))
    return spans


def _pitches(times_s: Array, low: Array, chances: Array, maybe: Index) -> list[float | None]:
    return [stroke_pitch_hz(low, span) for span in _spans(times_s, chances, maybe)]


def _toms(
    times_s: Array, lows: Lows, chances: Array, prints: Array, *, mix: bool
) -> tuple[Index, Toms]:
    """Return which candidates are rather on a tom than on the kick, and the toms they are on."""
    maybe = _maybe(chances)
    maybe = maybe[chances[maybe, KICK] < chances[maybe, TOM]]
    spans = _spans(times_s, chances, maybe)
    runs = []
    # Alone, nothing else sways what is heard: one beginning parts them as five do.
    for off_s in LISTENED_FROM_S if mix else LISTENED_FROM_S[:1]:
        moved = [StrokeSpan(s.time_s + off_s, s.available_s - off_s) for s in spans]
        audible = [heard_of(low, moved) for low in lows]
        runs.append(joint_toms(audible, prints[maybe], chances[maybe, TOM]))
    return maybe, agreed(runs, len(maybe))


def agreed(runs: Sequence[Toms], strokes: int) -> Toms:
    """Return that of several ways to tell toms apart which agrees most with all, the first if even.

    A few milliseconds' difference in where one begins to listen may part toms otherwise.
    """
    places = np.zeros((len(runs), strokes), np.int64)
    for row, run in zip(places, runs, strict=True):
        for place, members in enumerate(run.toms):
            row[members] = place + 1
    return runs[int(np.argmax([np.count_nonzero(places == row) for row in places]))]
