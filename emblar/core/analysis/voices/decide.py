"""Which drum each stroke is on: kick, snare, toms from high to low, hat, cymbal.

Conventions
-----------
Voices are named ``kick``, ``snare``, ``tom-1``, ``tom-2``, … (high to low), ``hat``, ``cymbal``.
One moment can hold several voices. Confidence is between 0 and 1. First the classifier says what
kinds sound at each candidate; toms are told apart by pitch; then the recording's own drums
(``templates``), learned from the surest strokes, say it again, and both are weighed together.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit, logit

from emblar.core.analysis.classify.mid_side import both_heard
from emblar.core.analysis.classify.model import KINDS, probabilities
from emblar.core.analysis.classify.neighbours import reconsidered
from emblar.core.analysis.classify.templates import (
    background_templates,
    gains_of,
    prints_of,
    template_of,
)
from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ, Samples
from emblar.core.analysis.signal.band_spectrogram import HOP_S, Frames
from emblar.core.analysis.signal.scene import ALONE, Accompaniment
from emblar.core.analysis.voices.assignment import NOWHERE, places, with_a_snare
from emblar.core.analysis.voices.clustering import falls_db, treble_db
from emblar.core.voices import VoiceName, is_tom

Array = NDArray[np.float64]
HIGH_KINDS = ("hat", "cymbal")
THRESHOLD = {"kick": 0.5, "snare": 0.42, "tom": 0.5, "hat": 0.3, "cymbal": 0.3}
"""Chance from which a stroke is told, by kind: where F1 was best on made-up scenes and sampled
kits."""
THRESHOLD_IN_MIX = {"kick": 0.4, "snare": 0.2, "tom": 0.35, "hat": 0.2, "cymbal": 0.2}
"""The same where others play on."""
SURE = 0.75
"""Chance from which a stroke teaches its drum's template …"""
OTHERS_BELOW = 0.35
"""… if no other drum has as much of a chance as this."""
LIKELY = 0.3
"""Chance from which it teaches where hardly any is sure."""
LEAST_SEEDS = 3
MOST_SEEDS = 60
"""Strokes that teach a template, at least and at most."""
GAIN_WEIGHT = 2.6
"""Log odds that a drum wholly explaining a stroke adds."""
HIGH_WEIGHT = 0.5
"""Share of that for hats and cymbals."""
ALIKE_FROM = 0.6
ALIKE_WEIGHT = 4.0
"""From this fit on a stroke is like its template, and the log odds that a perfect one adds."""
MIDDLE_GAIN_DB = -7.0
"""Level re the drum's usual stroke at which its template says neither yes nor no, dB."""
LEVEL_S = 0.05
"""A stroke's level is that of so long after it, s."""
UNPLACED = 0.7
OTHER_DRUM = 0.25
SURELY_TOO = 0.9
"""Share of being on kick or tom that one not placed has of either; of being on another drum than
its place; chance from which it is on both."""
SECOND_TOM_DB = 5.0
FAINT_SCORE = 0.2
"""A second tom fainter than the first by more was still sounding, dB; the chance it then has at
most."""
MOST_ODDS = 4.0
"""Log odds beyond these count as these when two groups are parted."""
TOGETHER_ODDS = 2.5
"""Log odds that the less sure of snare and tom loses."""
KICK_FALL_DB = 12.0
FALL_STEP_DB = 4.0
MOST_PUSH = 1.5
"""A lone stroke that falls by more is rather a kick, by less a tom; how much more or less is sure,
dB; the log odds of sure."""
WIRES_DB = (-12.5, 1.0)
MUFFLED_DB = -17.0
AGAINST = 0.1
"""Treble re bass of a lone stroke: above the first it has wires, above the second it is metal;
below MUFFLED_DB it is a kick or tom. AGAINST is what is left of the others' chances."""
WITHOUT_TREBLE = np.array([1.0 if kind in ("kick", "tom") else AGAINST for kind in KINDS])
"""What is left of each kind's chance where there is no treble."""


@dataclass(frozen=True, slots=True)
class Hit:
    """One stroke of one voice."""

    time_s: float
    voice: str
    level_db: float
    confidence: float
    stroke: int
    """Index of the candidate it belongs to."""


@dataclass(frozen=True, slots=True)
class Candidates:
    """Where strokes may be, with what was heard there."""

    frames: Frames
    times_s: Array
    levels_db: Array
    lows: Sequence[Array]
    """The low band at ``low_band.LOW_RATE_HZ``, and that of the side of a stereo mix."""
    side: Frames | None = None
    """The side of a stereo mix (``mid_side``)."""
    accompaniment: Accompaniment = ALONE

    def __len__(self) -> int:
        return len(self.times_s)


def _chances(candidates: Candidates) -> Array:
    if not candidates.accompaniment.is_audible:
        return probabilities(candidates.frames, candidates.times_s, mix=False).astype(np.float64)
    chances = told_in_mix(candidates.frames, candidates.times_s)
    if candidates.side is None:
        return chances
    side = told_in_mix(candidates.side, candidates.times_s)
    return both_heard(
        chances, side, candidates.frames.power, candidates.side.power, candidates.times_s
    )


def told_in_mix(frames: Frames, times_s: Array) -> Array:
    """Return the chances of kinds, heard from both frames between which a stroke lies.

    Under a backing, where a stroke lies between frames would sway what it is told as.
    """
    known = [probabilities(frames, times_s + side * HOP_S / 2.0, mix=True) for side in (-1.0, 1.0)]
    return np.asarray(expit(_log_odds(np.array(known, np.float64)).mean(axis=0)))


def levels_db(mono: Samples, times_s: Array) -> Array:
    """Return the RMS of the first 50 ms after each time in dB re full scale, shape (times,)."""
    total = np.concatenate([[0.0], np.cumsum(mono**2)])
    first = np.clip(np.round(times_s * ANALYSIS_RATE_HZ).astype(np.int64), 0, len(mono))
    last = np.minimum(first + round(LEVEL_S * ANALYSIS_RATE_HZ), len(mono))
    mean = (total[last] - total[first]) / np.maximum(last - first, 1)
    return np.asarray(10.0 * np.log10(np.maximum(mean, 0.0) + 1e-12))


def one_voice(candidates: Candidates, voice: str, *, lone: bool) -> list[Hit]:
    """Give every candidate that is a stroke (the strongest if ``lone``) to one voice.

    Parameters
    ----------
    candidates
        The candidates.
    voice
        Name of the voice: ``kick``, ``tom-1``, …
    lone
        Whether the recording is of a single stroke.
    """
    chosen = np.empty(0, np.int64)
    if not lone:
        chosen = np.nonzero(_chances(candidates).max(axis=1) > LIKELY)[0]
    if len(chosen) == 0:
        chosen = np.array([_strongest(candidates)])
    return [
        Hit(float(candidates.times_s[i]), voice, float(candidates.levels_db[i]), 1.0, int(i))
        for i in chosen
    ]


def _strongest(candidates: Candidates) -> int:
    """Return the first candidate within 3 dB of the loudest: later ones may be its tail."""
    return int(np.nonzero(candidates.levels_db >= candidates.levels_db.max() - 3.0)[0][0])


def lone_voice(candidates: Candidates) -> list[Hit]:
    """Name the one stroke of a recording of a single stroke."""
    index = _strongest(candidates)
    time = candidates.times_s[index : index + 1]
    known = probabilities(candidates.frames, time, mix=False)[0]
    chances = by_print(known, prints_of(candidates.frames, time))
    kind = KINDS[int(np.argmax(chances))]
    voice = "tom-1" if kind == "tom" else kind
    sure = float(chances.max() / (chances.sum() + 1e-9))
    return [
        Hit(
            float(candidates.times_s[index]), voice, float(candidates.levels_db[index]), sure, index
        )
    ]


def by_print(chances: Array, print_: Array) -> Array:
    """Weigh what the classifier says of a lone stroke with what its print shows plainly.

    Kicks lose 15 dB and more in their first tenth of a second, toms 3 to 10. After its attack what
    is mostly treble is no drum; what keeps much of it is no drum without wires; what keeps hardly
    any is on a kick or tom.
    """
    out = chances.astype(np.float64)
    kick, tom = KINDS.index("kick"), KINDS.index("tom")
    push = (
        float(np.clip((falls_db(print_)[0] - KICK_FALL_DB) / FALL_STEP_DB, -1.0, 1.0)) * MOST_PUSH
    )
    odds = _log_odds(out[[kick, tom]])
    low, high = np.sort(out[[kick, tom]])
    is_kick = odds[0] + push > odds[1] - push
    out[kick], out[tom] = (high, low) if is_kick else (low, high)
    treble = treble_db(print_)[0]
    if treble > WIRES_DB[1]:
        out[[kick, tom, KINDS.index("snare")]] *= AGAINST
    elif treble > WIRES_DB[0]:
        out[[kick, tom]] *= AGAINST
    elif treble < MUFFLED_DB:
        out *= WITHOUT_TREBLE
    return out


def name_strokes(candidates: Candidates) -> list[Hit]:
    """Return every stroke of every voice."""
    if len(candidates) == 0:
        return []
    mix = candidates.accompaniment.is_audible
    chances = _chances(candidates)
    prints = prints_of(candidates.frames, candidates.times_s)
    chances = reconsidered(chances, prints, candidates.times_s, mix=mix)
    chances = with_a_snare(
        candidates.times_s, candidates.lows, chances, prints, candidates.accompaniment
    )
    # The recording's own drums first as kinds, then with kick and toms told apart.
    kinds, _ = _weighed(chances, chances, prints)
    # Toms of different pitch have no print in common: the classifier alone says which are toms.
    tom = KINDS.index("tom")
    kinds[:, tom] = np.maximum(kinds[:, tom], chances[:, tom])
    placed = places(candidates.times_s, candidates.lows, chances, prints, candidates.accompaniment)
    voices = ["kick", "snare", *(f"tom-{i + 1}" for i in range(placed.toms)), "hat", "cymbal"]
    prior = _of_voices(chances, voices, placed.of, mix=mix)
    current = _of_voices(kinds, voices, placed.of, mix=mix)
    score, loudness = _weighed(prior, current, prints, placed.others.tolist())
    score = rarely_together(_one_tom(score, loudness, voices), voices)
    hits = []
    for index, voice in enumerate(voices):
        threshold = _threshold(voice, score[:, index], mix=mix)
        for i in np.nonzero(score[:, index] >= threshold)[0]:
            sure = float(np.clip(score[i, index], 0.0, 0.99))
            hits.append(
                Hit(
                    float(candidates.times_s[i]),
                    voice,
                    float(candidates.levels_db[i]),
                    sure,
                    int(i),
                )
            )
    return sorted(hits, key=lambda h: (h.time_s, h.voice))


def _threshold(voice: str, score: Array, *, mix: bool) -> float:
    """Return the least chance at which a stroke is given to a voice.

    How sure the classifier is of a snare depends on the recording; half of the way goes to where
    this recording's own candidates part into two (Otsu).
    """
    usual = (THRESHOLD_IN_MIX if mix else THRESHOLD)[VoiceName(voice).kind]
    if voice != "snare":
        return usual
    middle = 0.5 * (_log_odds(np.array([usual]))[0] + _parted(_log_odds(score)))
    return float(expit(middle))


def _log_odds(chance: Array) -> Array:
    return np.asarray(logit(np.clip(chance, 1e-4, 1.0 - 1e-4)))


def _parted(odds: Array) -> float:
    """Return the border that parts log odds into two groups with the most between them."""
    held = np.clip(odds, -MOST_ODDS, MOST_ODDS)
    borders = np.linspace(-MOST_ODDS, MOST_ODDS, 60)[1:-1]
    above = held[None, :] >= borders[:, None]
    share = above.mean(axis=1)
    high = (above * held).sum(axis=1) / np.maximum(above.sum(axis=1), 1)
    low = (~above * held).sum(axis=1) / np.maximum((~above).sum(axis=1), 1)
    return float(borders[int(np.argmax(share * (1.0 - share) * (high - low) ** 2))])


def _of_voices(kinds: Array, voices: list[str], of: NDArray[np.int64], *, mix: bool) -> Array:
    """Return chances of voices from those of kinds.

    A stroke put with the kick or with a tom goes there with the chance of being on either; in a
    mix, where pitch and print are others' too, with the chance of being on that kind.
    """
    kick, tom = kinds[:, KINDS.index("kick")], kinds[:, KINDS.index("tom")]
    either = 1.0 - (1.0 - kick) * (1.0 - tom)
    out = np.zeros((len(kinds), len(voices)))
    for index, voice in enumerate(voices):
        kind = VoiceName(voice).kind
        out[:, index] = kinds[:, KINDS.index(kind)]
        if kind in ("kick", "tom"):
            place = VoiceName(voice).number or 0
            unplaced = out[:, index] if mix else np.maximum(out[:, index], UNPLACED * either)
            elsewhere = np.where(of == NOWHERE, unplaced, 0.0)
            # A foot and a hand can strike at once, two hands on two toms are rare.
            too = out[:, index] >= SURELY_TOO if kind == "kick" else False
            elsewhere = np.where(
                of > NOWHERE, np.where(too, 1.0, OTHER_DRUM) * out[:, index], elsewhere
            )
            present = out[:, index] if mix else either
            out[:, index] = np.where(of == place, present, elsewhere)
    return out


def _one_tom(score: Array, loudness: Array, voices: list[str]) -> Array:
    """Leave each stroke the tom that explains most of it, and others only if nearly as loud.

    A tom still sounding looks like a second one struck.
    """
    toms = [index for index, voice in enumerate(voices) if is_tom(voice)]
    if len(toms) < 2:
        return score
    held = np.where(score[:, toms] >= THRESHOLD["tom"], loudness[:, toms], -np.inf)
    fainter = held < held.max(axis=1, keepdims=True) - SECOND_TOM_DB
    out = score.copy()
    out[:, toms] = np.where(fainter, np.minimum(score[:, toms], FAINT_SCORE), score[:, toms])
    return out


def rarely_together(score: Array, voices: list[str]) -> Array:
    """Make the less sure of snare and toms less sure still where both seem struck at once.

    Players hardly ever strike them together; a bright tom has the snare's noise in it, and a snare
    a tom's body.
    """
    snare = voices.index("snare")
    toms = [index for index, voice in enumerate(voices) if is_tom(voice)]
    if not toms:
        return score
    best_tom = score[:, toms].max(axis=1)
    both = np.minimum(score[:, snare], best_tom) >= min(THRESHOLD["snare"], THRESHOLD["tom"])
    out = score.copy()
    for index in (snare, *toms):
        other = best_tom if index == snare else score[:, snare]
        lesser = both & (score[:, index] < other)
        fainter = expit(_log_odds(score[:, index]) - TOGETHER_ODDS)
        out[:, index] = np.where(lesser, fainter, score[:, index])
    return out


def _weighed(
    prior: Array, present: Array, prints: Array, others: Sequence[int] = ()
) -> tuple[Array, Array]:
    """Weigh the classifier's chances with what the recording's own drums explain.

    Parameters
    ----------
    prior
        The classifier's chances, shape (candidates, columns).
    present
        What is believed so far: the surest strokes by it teach the templates.
    prints
        Shape (candidates, size).
    others
        Candidates that are on no drum after all: what they have in common no drum explains.

    Returns
    -------
    score
        Chances, shape of ``prior``.
    loudness
        What each drum explains of a stroke in dB re its usual stroke, shape of ``prior``.
    """
    templates, usual, columns = [], [], []
    loudness = np.zeros_like(prior)
    for index in range(prior.shape[1]):
        seeds = _seeds(present, index)
        if len(seeds) >= LEAST_SEEDS:
            templates.append(template_of(prints, [int(i) for i in seeds]))
            usual.append(float(np.median(prints[seeds].sum(axis=1))))
            columns.append(index)
    if len(columns) < 2:
        return prior, loudness
    likeliest = present.max(axis=1)
    likeliest[list(others)] = 0.0
    notes = background_templates(prints, likeliest)
    gains, fits = gains_of(prints, np.concatenate([np.array(templates), notes]))
    score = prior.copy()
    for row, index in enumerate(columns):
        relative = 10.0 * np.log10(gains[:, row] * fits[:, row] / usual[row] + 1e-6)
        loudness[:, index] = relative
        push = np.clip((relative - MIDDLE_GAIN_DB) / 10.0, -1.0, 1.0) * GAIN_WEIGHT
        # A print that is the template all over says more than any general rule.
        alike = np.clip((fits[:, row] - ALIKE_FROM) / (1.0 - ALIKE_FROM), 0.0, 1.0)
        push += ALIKE_WEIGHT * alike * np.clip((relative + 6.0) / 6.0, 0.0, 1.0)
        held = np.clip(prior[:, index], 1e-3, 1.0 - 1e-3)
        # Hats and cymbals are never struck alike twice; their templates say less.
        push *= HIGH_WEIGHT if index >= prior.shape[1] - len(HIGH_KINDS) else 1.0
        score[:, index] = expit(logit(held) + push)
    return score, loudness


def _seeds(prior: Array, index: int) -> NDArray[np.int64]:
    others = np.delete(prior, index, axis=1).max(axis=1)
    sure = np.nonzero((prior[:, index] > SURE) & (others < OTHERS_BELOW))[0]
    if len(sure) < LEAST_SEEDS:
        sure = np.nonzero((prior[:, index] > LIKELY) & (others < prior[:, index]))[0]
    return sure[np.argsort(-prior[sure, index], kind="stable")][:MOST_SEEDS]
