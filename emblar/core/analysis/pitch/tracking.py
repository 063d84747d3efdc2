"""The fundamental of a drum: where it settles, how far it bends, how long it rings.

Conventions
-----------
Works on the low band (``low_band``) near the mode that is chosen in ``mode_choice``. *Settled*:
energy-weighted mean of the tracked fundamental over 80–350 ms after the stroke for toms (150–450 ms
while it still glides by more than 30 cents per 100 ms; near that limit both spans have a say),
20–150 ms for snare and kick. *Onset pitch*: 15–60 ms. T60 is from the slope of the tracked
amplitude (``decay``).

Source: partials by ESPRIT (``esprit``) on consecutive windows.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.pitch.chirp import FARTHEST_OCTAVES, Near, between, by_phase_hz, chirped
from emblar.core.analysis.pitch.decay import UNKNOWN_ROOM, Decay, RoomTail, fit_decay
from emblar.core.analysis.pitch.esprit import Fits, fit_pieces
from emblar.core.analysis.signal.low_band import LOW_RATE_HZ, StrokeSpan
from emblar.core.quantities.card import Track
from emblar.core.quantities.spans import (
    ONSET_S,
    SETTLE_LATE_S,
    SETTLE_SHORT_S,
    SETTLE_TOM_S,
)

Array = NDArray[np.float64]
STEP_S = 0.012
LATE_STEP_S = 0.035
LATE_S = 0.150
"""Steps between windows, early and later, and from when on it is later, s."""
TRACK_CENTS = 220.0
"""A partial farther from where it was last is another."""
LONGEST_TRACK_S = 1.3
"""A track is followed so long, s."""
FARTHEST_OFF_CENTS = 150.0
HOP_CENTS = 50.0
EVEN_STEPS = 120
"""A window this far from all the others, or from its neighbours, is another partial's."""
STILL_GLIDING_CENTS_PER_S = (250.0, 350.0)
"""Below the first a tom has settled in the usual span, above the second it is read later."""
WANDERING_CENTS = (45.0, 60.0)
UNSTEADY_CENTS = 40.0
"""How far off a line a partial may be, in the root mean square, times windows over those found."""
FAINTEST = 10.0**-4.5
"""Windows this much fainter than the loudest, in energy, say nothing."""
MOST_EARLY = 0.25
"""How much of a window before its middle the energy of a dying note can lie at most."""
LEADING_S = 0.05
FARTHEST_BACK_S = 0.03
MOST_GLIDE_OCTAVES_PER_S = 8.0
"""How much of a track leads back to its span's start, how far back, s, and the steepest glide it
may have."""


@dataclass(frozen=True, slots=True)
class StrokePitch:
    """What one stroke says of its drum's fundamental; None where it cannot tell."""

    settled_hz: float | None
    onset_hz: float | None
    t60_s: float | None
    track: Track
    unsteady_cents: float = 0.0
    """How much less sure its settled pitch is because no partial of it holds still."""
    t60_doubt: float = 0.0
    """Uncertainty of ``t60_s`` from how its decay may be read, as a natural logarithm."""


def window_s(pitch_hz: float) -> float:
    """Return the window length in s for tracking near a pitch: 3.8 periods, 40 to 70 ms."""
    return float(np.clip(3.8 / pitch_hz, 0.040, 0.070))


def _starts(available_s: float, length: float) -> Array:
    last = min(available_s, LONGEST_TRACK_S) - length
    return np.concatenate(
        [np.arange(0.004, min(last, LATE_S), STEP_S), np.arange(LATE_S, last, LATE_STEP_S)]
    )


def track_strokes(low: Array, strokes: Sequence[StrokeSpan], expected_hz: float) -> list[Track]:
    """Follow the partial nearest to an expected pitch after each stroke.

    Parameters
    ----------
    low
        The low band at ``LOW_RATE_HZ``.
    strokes
        Where to look.
    expected_hz
        Where the drum's fundamental is expected.
    """
    length = window_s(expected_hz)
    size = round(length * LOW_RATE_HZ)
    pieces, owner, middle = [], [], []
    for index, stroke in enumerate(strokes):
        starts = _starts(stroke.available_s, length)
        firsts = [round((stroke.time_s + start) * LOW_RATE_HZ) for start in starts]
        windows = [low[first : first + size] for first in firsts]
        loudest = max((float(w @ w) for w in windows), default=0.0)
        for start, window in zip(starts, windows, strict=True):
            # What has sunk this far says nothing any more, and would lead the way back astray.
            if len(window) == size and float(window @ window) > FAINTEST * loudest:
                pieces.append(window)
                owner.append(index)
                middle.append(start + length / 2.0)
    if not pieces:
        return [Track(np.zeros(0), np.zeros(0), np.zeros(0)) for _ in strokes]
    fits = fit_pieces(np.array(pieces), LOW_RATE_HZ, count=5, rows=size // 3)
    owners, middles = np.array(owner), np.array(middle)
    return [
        _track(fits, np.flatnonzero(owners == index).astype(np.int64), middles, expected_hz, length)
        for index in range(len(strokes))
    ]


def _track(
    fits: Fits, rows: NDArray[np.int64], middles: Array, expected_hz: float, length: float
) -> Track:
    # Late windows first: the note is steady there, and the glide is followed backwards.
    near, result = expected_hz, []
    for row in rows[::-1]:
        used = fits.used[row] & (
            np.abs(np.log2(np.maximum(fits.frequency_hz[row], 1e-3) / expected_hz))
            < FARTHEST_OCTAVES
        )
        frequency = np.where(used, fits.frequency_hz[row], 1e-3)
        off = np.abs(1200.0 * np.log2(np.maximum(frequency, 1e-3) / near))
        close = used & (off < TRACK_CENTS)
        if not close.any():
            continue
        energy = np.where(close, fits.energy[row], 0.0)
        loud = close & (energy > 0.05 * energy.max())
        best = int(np.argmin(np.where(loud, off, np.inf)))
        near = 0.5 * near + 0.5 * float(frequency[best])
        at_middle = fits.amplitude[row, best] * np.exp(-fits.decay_rate[row, best] * length / 2.0)
        # A dying note's frequency is that of where most of its energy lies: before the middle.
        early = min(max(float(fits.decay_rate[row, best]), 0.0) * length / 6.0, MOST_EARLY) * length
        result.append((middles[row] - early, frequency[best], at_middle))
    return Track(*np.array(result[::-1]).reshape(-1, 3).T)


def settled_hz(track: Track, *, tom: bool) -> float | None:
    """Return the settled fundamental in Hz by the convention above, or None if not heard."""
    span = SETTLE_TOM_S if tom else SETTLE_SHORT_S
    inside, late = _inside(track, span), _inside(track, SETTLE_LATE_S)
    if np.count_nonzero(inside) < 3:
        return None
    early = _over(track, inside, span)
    if not tom or np.count_nonzero(inside) < 6 or np.count_nonzero(late) < 5:
        return early.mean_hz()
    # Near the limit both spans have a say: a hair more or less of glide is not ten cents of pitch.
    steady, gliding = STILL_GLIDING_CENTS_PER_S
    share = np.clip((early.glide_cents_per_s() - steady) / (gliding - steady), 0.0, 1.0)
    later = _over(track, late, SETTLE_LATE_S).mean_hz()
    return float(early.mean_hz() ** (1.0 - share) * later**share)


@dataclass(frozen=True, slots=True)
class _Line:
    """A track over a span at even steps: s, natural logarithms of Hz and of amplitude."""

    time_s: Array
    pitch: Array
    level: Array

    def mean_hz(self) -> float:
        """Return the energy-weighted mean in Hz."""
        weight = np.exp(2.0 * (self.level - self.level.max()))
        return float(np.average(np.exp(self.pitch), weights=weight))

    def glide_cents_per_s(self) -> float:
        """Return how fast it goes up or down, cents per s."""
        return abs(1200.0 / math.log(2.0) * float(np.polyfit(self.time_s, self.pitch, 1)[0]))


def _over(track: Track, inside: NDArray[np.bool_], span_s: tuple[float, float]) -> _Line:
    """Return a track over a span, between its windows, too, of which some are ``inside``.

    Windows are where they happen to be: so one that lies on the span's edge is not all or nothing.
    """
    middle = np.median(track.frequency_hz[inside])
    good = np.abs(1200.0 * np.log2(track.frequency_hz / middle)) < FARTHEST_OFF_CENTS
    time, frequency, amplitude = _led_back(
        track.time_s[good], track.frequency_hz[good], track.amplitude[good], span_s[0]
    )
    order = np.argsort(time, kind="stable")
    # One window that hopped to another partial lies off both its neighbours, to the same side.
    steps = 1200.0 * np.diff(np.log2(frequency[order]))
    hops = (steps[:-1] * steps[1:] < 0.0) & (np.abs(steps) > HOP_CENTS)[:-1]
    order = np.delete(order, 1 + np.flatnonzero(hops & (np.abs(steps) > HOP_CENTS)[1:]))
    first, last = max(span_s[0], time[order[0]]), min(span_s[1], time[order[-1]])
    position = np.linspace(first, last, EVEN_STEPS)
    return _Line(
        position,
        np.interp(position, time[order], np.log(frequency[order])),
        np.interp(position, time[order], np.log(amplitude[order] + 1e-20)),
    )


def _led_back(
    time_s: Array, frequency_hz: Array, amplitude: Array, start_s: float
) -> tuple[Array, Array, Array]:
    """Return a track that begins where its span does: a long window's middle comes later.

    Glide and decay of the first ``LEADING_S`` go on backwards, both straight on their log scales,
    for at most ``FARTHEST_BACK_S`` and never down: a drum's pitch only falls.
    """
    gap = time_s[0] - start_s
    first = time_s <= time_s[0] + LEADING_S
    if not STEP_S / 2.0 < gap <= FARTHEST_BACK_S or np.count_nonzero(first) < 3:
        return time_s, frequency_hz, amplitude
    back = np.arange(start_s, time_s[0] - STEP_S / 4.0, STEP_S / 2.0)
    since = back - time_s[0]
    glide = min(float(np.polyfit(time_s[first], np.log2(frequency_hz[first]), 1)[0]), 0.0)
    glide = max(glide, -MOST_GLIDE_OCTAVES_PER_S)
    fall = min(float(np.polyfit(time_s[first], np.log(amplitude[first] + 1e-20), 1)[0]), 0.0)
    return (
        np.concatenate([back, time_s]),
        np.concatenate([frequency_hz[0] * 2.0 ** (glide * since), frequency_hz]),
        np.concatenate([amplitude[0] * np.exp(fall * since), amplitude]),
    )


def _inside(track: Track, span: tuple[float, float]) -> NDArray[np.bool_]:
    return np.asarray((track.time_s >= span[0]) & (track.time_s <= span[1]))


def stroke_pitches(
    low: Array,
    strokes: Sequence[StrokeSpan],
    expected_hz: float,
    *,
    tom: bool,
    over: bool = False,
    room: RoomTail = UNKNOWN_ROOM,
) -> list[StrokePitch]:
    """Measure the fundamental of each stroke of a drum.

    Parameters
    ----------
    low, strokes, expected_hz
        As for ``track_strokes``.
    tom
        Whether it is read in the settled span of toms.
    over
        Whether others sound on in its range: then only the tracked partial says where it is.
    room
        Whether a room rings on after the strokes, and for how long.
    """
    tracks = track_strokes(low, strokes, expected_hz)
    known = [
        _stroke_pitch(low, *row, tom=tom, room=room) for row in zip(strokes, tracks, strict=True)
    ]
    if over:
        return known
    out = []
    for pitch, stroke in zip(known, strokes, strict=True):
        near = Near(low, LOW_RATE_HZ, stroke.time_s, stroke.available_s, expected_hz)
        if tom:
            out.append(_held(pitch, near))
            continue
        # What few windows hold a partial of, but some do, is read by phase alone.
        few = pitch.settled_hz is None and _inside(pitch.track, SETTLE_SHORT_S).any()
        share = 1.0 if few else _wandering(pitch.track, near, SETTLE_SHORT_S)
        tracked = expected_hz if few else pitch.settled_hz
        spans = (SETTLE_SHORT_S, ONSET_S)
        settled, onset = chirped(near, tracked, pitch.onset_hz, spans, least=share)
        out.append(replace(pitch, settled_hz=settled, onset_hz=onset))
    return out


def _held(known: StrokePitch, near: Near) -> StrokePitch:
    """Return a tom's pitch, by the phase of the band round its mode where its partial wanders.

    A tom with hardly a note has no partial to follow: what is tracked hops between what there is.
    """
    if known.settled_hz is None:
        return known
    share = _wandering(known.track, near, SETTLE_TOM_S)
    if share == 0.0:
        return known
    settled = between(known.settled_hz, by_phase_hz(near, SETTLE_TOM_S), share)
    return replace(known, settled_hz=settled, unsteady_cents=share * UNSTEADY_CENTS)


def _wandering(track: Track, near: Near, span_s: tuple[float, float]) -> float:
    """Return from 0 to 1 whether a track is no partial's: off a line, or lost, in a span."""
    inside = _inside(track, span_s)
    if np.count_nonzero(inside) < 3:
        return 0.0
    length = window_s(near.pitch_hz)
    middles = _starts(near.available_s, length) + length / 2.0
    request = np.count_nonzero((middles >= span_s[0]) & (middles <= span_s[1]))
    time, amplitude = track.time_s[inside], track.amplitude[inside]
    pitch = 1200.0 * np.log2(track.frequency_hz[inside])
    off = pitch - np.polyval(np.polyfit(time, pitch, 1, w=amplitude + 1e-20), time)
    apart = float(np.sqrt(np.average(off**2, weights=amplitude**2 + 1e-20)))
    steady_ct, lost_ct = WANDERING_CENTS
    return float(
        np.clip((apart * request / len(time) - steady_ct) / (lost_ct - steady_ct), 0.0, 1.0)
    )


def _stroke_pitch(
    low: Array, stroke: StrokeSpan, track: Track, *, tom: bool, room: RoomTail
) -> StrokePitch:
    if len(track.time_s) == 0:
        return StrokePitch(None, None, None, track)
    early = _inside(track, ONSET_S)
    onset = None
    if early.any():
        weight = track.amplitude[early] ** 2 + 1e-20
        onset = float(np.average(track.frequency_hz[early], weights=weight))
    first, last = (
        round((stroke.time_s - 0.06) * LOW_RATE_HZ),
        round((stroke.time_s - 0.01) * LOW_RATE_HZ),
    )
    quiet = low[max(first, 0) : max(last, 0)]
    # An amplitude fitted to noise of this RMS in the same window.
    noise = float(np.sqrt(np.mean(quiet**2))) * 0.4 if len(quiet) > 8 else 0.0
    decay = fit_decay(track, noise, room=room) or Decay(None, 0.0)
    return StrokePitch(settled_hz(track, tom=tom), onset, decay.t60_s, track, t60_doubt=decay.doubt)
