"""Taps next to the rods, the other head silenced: when, how high, how sure, or why not.

Conventions
-----------
Mono samples of shape (n,), any rate from 8 kHz; times in s from the start. The lug pitch is that
of mode (1,1); the tapped head's other modes lie at known ratios to it (``tapped_modes``), and a
reading counts only where they are found there and where little else sounds. A reading that cannot
be trusted is none: its reason says why.

Source: ESPRIT as in ``analysis.partials``; ratios of a head's modes from ``acoustics.one_head``.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.head import lug_pitch_from_tension, tension_from_lug_pitch
from emblar.core.acoustics.limits import stress_limits_pa
from emblar.core.acoustics.one_head import tapped_modes
from emblar.core.analysis.pitch.esprit import DampedSinusoid, fit_damped_sinusoids
from emblar.core.errors import BadAudioError
from emblar.core.tuning.parameters import parameter
from emblar.core.tuning.tap_round import Prior, RoundReading, read_round

Samples = NDArray[np.float64]
WhyNot = Literal[
    "clipped",
    "double tap",
    "something else sounds",
    "other head",
    "wrong mode",
    "cut off",
    "cannot tell",
]
LOWEST_RATE_HZ = 8000
FRAME_S = 0.010
HOP_S = 0.0025
LOOK_BACK_S = 0.12
BRIGHT_BACK_S = 0.05
BRIGHT_HZ = 1500.0
"""A low head's modes beat within a tenth of a second; the click of a stick is gone much sooner."""
MODES = 9
ROUND = 3
"""So many taps on one head tell more together than each alone."""
USUAL_SECOND = 1.45
"""Mode (2,1) over (1,1) of a usual head; of a thin snare-side film the model has 1.56."""
PARTIALS = 12
"""Sinusoids that are fitted to a tap of a round."""
SAMPLES_A_SWING = 12.7
"""Samples of a fitted ring per swing of the lug note, up to its modes at over twice its pitch."""
LOW_RATES_HZ = (800.0, 8000.0)
"""Between which a ring is decimated."""


@dataclass(frozen=True, slots=True)
class Tap:
    """One tap: when, s; its lug pitch and uncertainty, Hz; or why there is none."""

    time_s: float
    hz: float | None
    sd_hz: float | None
    why_not: WhyNot | None = None

    @property
    def is_read(self) -> bool:
        """Whether the tap told a pitch."""
        return self.hz is not None


@dataclass(frozen=True, slots=True)
class TappedHead:
    """What a tap on one head may sound like.

    Parameters
    ----------
    ratios, levels_db
        Its modes over the lug pitch, and their levels next to a rod, dB re the loudest.
    low_hz, high_hz
        Between which its lug pitch can lie.
    about_hz, sd_semitones
        Where it is expected, and how sure that is; None where nothing is known.
    rods
        A round has so many taps; more means that something else was struck, too.
    """

    ratios: tuple[float, ...]
    levels_db: tuple[float, ...]
    low_hz: float
    high_hz: float
    about_hz: float | None = None
    sd_semitones: float = 12.0
    rods: int = 20

    def prior(self) -> Prior:
        """Return where its lug pitch may lie."""
        above = [row for row in zip(self.levels_db, self.ratios, strict=True) if row[1] > 1.2]
        stretch = max(max(above)[1] / USUAL_SECOND, 1.0) if above else 1.0
        return Prior(self.low_hz, self.high_hz, self.about_hz, self.sd_semitones, stretch)


@dataclass(frozen=True, slots=True)
class _Piece:
    """The ring of one tap, decimated, and what sounded before it."""

    time_s: float
    ring: Samples
    before: Samples
    rate_hz: float


@lru_cache(maxsize=64)
def tapped_head(
    drum: Drum, side: Side, about_hz: float | None = None, within_semitones: float = 36.0
) -> TappedHead:
    """Return what taps on one head of a drum may sound like.

    Parameters
    ----------
    drum, side
        The drum and which of its heads is tapped.
    about_hz, within_semitones
        Where its lug pitch is thought to be and how well that is known; anywhere that the head
        bears if left out.

    Raises
    ------
    BadAudioError
        There is no such head.
    """
    k = prior_coefficients()
    film = drum.film(side)
    if film is None:
        raise BadAudioError(f"This drum has no {side} head to tap.")
    stop = 1.15 * stress_limits_pa(drum.kind, side, k)[1] * film.thickness_m
    high = lug_pitch_from_tension(drum, side, stop, k)
    low = lug_pitch_from_tension(drum, side, 0.5 * k["slack_stop"], k)
    middle = about_hz or math.sqrt(low * high)
    if about_hz is not None:
        apart = 2.0 ** (within_semitones / 12.0)
        low, high = max(low, about_hz / apart), min(high, about_hz * apart)
    tension = tension_from_lug_pitch(drum, side, middle, k)
    # A little unevenness lets both halves of every pair sound.
    rods = tension * (1.0 + 1e-6 * np.cos(np.arange(drum.rods)))
    result = sorted(tapped_modes(drum, side, rods.tolist(), 0, k), key=lambda mode: -mode.level_db)
    rows: dict[float, float] = {}
    for mode in result:
        rows.setdefault(round(mode.frequency_hz / middle, 3), mode.level_db)
    kept = list(rows.items())[:MODES]
    return TappedHead(
        ratios=tuple(r for r, _ in kept),
        levels_db=tuple(v for _, v in kept),
        low_hz=low,
        high_hz=high,
        about_hz=about_hz,
        sd_semitones=within_semitones / 3.0,
        rods=drum.rods,
    )


def read_taps(samples: Samples, rate_hz: int, head: TappedHead) -> tuple[Tap, ...]:
    """Return the taps in a recording, in order.

    Parameters
    ----------
    samples
        Mono, shape (n,), full scale 1.0.
    rate_hz
        Samples per second, 8000 or more.
    head
        What is tapped.

    Raises
    ------
    BadAudioError
        The rate is too low, or there is no sound at all.
    """
    if rate_hz < LOWEST_RATE_HZ:
        raise BadAudioError(
            f"{rate_hz} samples a second are too few to find taps; record with {LOWEST_RATE_HZ} "
            "or more."
        )
    samples = np.asarray(samples, np.float64)
    if len(samples) < rate_hz * 0.1 or not np.any(samples):
        raise BadAudioError("There is no sound in this clip. Check the microphone and tap again.")
    onsets = find_taps(samples, rate_hz)
    low_rate = _low_rate(samples, rate_hz, onsets, head)
    pieces = [
        _piece(samples, rate_hz, onset_s, until, head, low_rate)
        for onset_s, until in zip(onsets, _ends(samples, rate_hz, onsets), strict=True)
    ]
    return _read_pieces(pieces, head)


def read_separate_taps(clips: Sequence[Samples], rate_hz: int, head: TappedHead) -> tuple[Tap, ...]:
    """Return the first tap of each clip, all of them on one head and read together.

    Parameters
    ----------
    clips
        Mono, shape (n,) each, full scale 1.0.
    rate_hz
        Samples per second of all of them, 8000 or more.
    head
        What is tapped.

    Returns
    -------
    taps
        One a clip; times are from its start. A clip without a tap has one that was not read.
    """
    sounds = [np.asarray(clip, np.float64) for clip in clips]
    firsts = [next(iter(find_taps(clip, rate_hz)), None) for clip in sounds]
    tapped = [(clip, t) for clip, t in zip(sounds, firsts, strict=True) if t is not None]
    if not tapped:
        return tuple(Tap(0.0, None, None, "cannot tell") for _ in clips)
    whole = np.concatenate([clip for clip, _ in tapped])
    starts = np.cumsum([0, *(len(clip) for clip, _ in tapped)])[:-1] / rate_hz
    places = [float(start + t) for start, (_, t) in zip(starts, tapped, strict=True)]
    low_rate = _low_rate(whole, rate_hz, places, head)
    pieces: list[_Piece | Tap] = []
    for clip, first in zip(sounds, firsts, strict=True):
        if first is None:
            pieces.append(Tap(0.0, None, None, "cannot tell"))
        else:
            pieces.append(_piece(clip, rate_hz, first, len(clip) / rate_hz, head, low_rate))
    return _read_pieces(pieces, head)


def _read_pieces(pieces: Sequence[_Piece | Tap], head: TappedHead) -> tuple[Tap, ...]:
    """Return the reading of each ring; taps that already have a reason stay as they are."""
    readings = iter(_read_rings([p for p in pieces if isinstance(p, _Piece)], head))
    return tuple(next(readings) if isinstance(piece, _Piece) else piece for piece in pieces)


def _read_rings(rings: Sequence[_Piece], head: TappedHead) -> list[Tap]:
    """Return what taps tell: a round of them as a whole, one or two only if the model agrees.

    One or two strokes on the whole drum may look like taps, and the model's ratios alone take
    another mode for the lug note on heads that it does not know.
    """
    if not rings:
        return []
    together, lug_hz = _read_together(rings, head)
    if len(rings) >= ROUND:
        return together
    result = []
    for i, piece in enumerate(rings):
        tap = _read_piece(piece, head)
        if tap.hz is not None and not _agree(tap.hz, lug_hz.get(i)):
            tap = Tap(tap.time_s, None, None, "wrong mode")
        result.append(tap)
    return result


def _agree(hz: float, other_hz: float | None) -> bool:
    if other_hz is None:
        return False
    return 1200.0 * abs(math.log2(hz / other_hz)) < parameter("tap_same_within")


def _ends(samples: Samples, rate_hz: int, onsets: Sequence[float]) -> list[float]:
    """Return where each tap's ring ends at the latest, s: at the next that is about as loud."""
    level = _levels_db(samples, rate_hz)
    width = round(FRAME_S / HOP_S)
    loud = [
        float(level[min(round(t / HOP_S), len(level) - width - 1) :][:width].max()) for t in onsets
    ]
    length_s = len(samples) / rate_hz
    return [
        next(
            (
                later
                for later, db in zip(onsets[i + 1 :], loud[i + 1 :], strict=True)
                if db > loud[i] - parameter("tap_ends_within")
            ),
            length_s,
        )
        for i in range(len(onsets))
    ]


def _low_rate(samples: Samples, rate_hz: int, onsets: Sequence[float], head: TappedHead) -> float:
    """Return the rate at which a ring is fitted: some thirty swings within ``fit_samples``."""
    about_hz = head.about_hz
    if len(onsets) < ROUND:
        return float(np.clip(head.high_hz * 8.0, *LOW_RATES_HZ))
    if about_hz is None:
        about_hz = _loudest_hz(samples, rate_hz, onsets, head)
    return float(np.clip(about_hz * SAMPLES_A_SWING, *LOW_RATES_HZ))


def _loudest_hz(samples: Samples, rate_hz: int, onsets: Sequence[float], head: TappedHead) -> float:
    """Return where most of the taps' power is, near where the lug pitch can lie."""
    size = round(0.3 * rate_hz)
    power = np.zeros(size // 2 + 1)
    for onset_s in onsets:
        piece = samples[round((onset_s + parameter("skip_click")) * rate_hz) :][:size]
        power += np.abs(np.fft.rfft(piece * np.hanning(len(piece)), size)) ** 2
    places = np.fft.rfftfreq(size, 1.0 / rate_hz)
    inside = (places >= 0.5 * head.low_hz) & (places <= 2.0 * head.high_hz)
    return float(places[inside][np.argmax(power[inside])])


def find_taps(samples: Samples, rate_hz: int) -> list[float]:
    """Return when something is struck, s: where the sound rises quickly and far."""
    bright = sosfilt(butter(4, BRIGHT_HZ, "highpass", fs=rate_hz, output="sos"), samples)
    level = _levels_db(samples, rate_hz)
    loud = float(level.max()) - parameter("tap_range")
    audible = [
        t
        for t in _rises(bright, rate_hz, BRIGHT_BACK_S)
        if level[min(round(t / HOP_S), len(level) - 1)] > loud
    ]
    result = sorted({*_rises(samples, rate_hz, LOOK_BACK_S), *audible})
    apart = parameter("tap_apart")
    return [t for i, t in enumerate(result) if i == 0 or t - result[i - 1] > apart]


def _rises(samples: Samples, rate_hz: int, back_s: float) -> list[float]:
    """Return when the level rises over the loudest of the time before, s."""
    level = _levels_db(samples, rate_hz)
    back, near = round(back_s / HOP_S), round(FRAME_S / HOP_S) + 1
    floor = float(np.percentile(level, 10))
    least = max(floor + parameter("tap_over_floor"), float(level.max()) - parameter("tap_range"))
    result: list[float] = []
    i = 0
    while i < len(level):
        before = level[max(i - back, 0) : max(i - near, 0)]
        rise = level[i] - (float(before.max()) if len(before) else floor)
        if level[i] >= least and rise >= parameter("tap_rise"):
            top = i + int(np.argmax(level[i : i + 2 * near]))
            result.append((i + 1) * HOP_S)
            i = max(top, i + round(parameter("tap_apart") / HOP_S))
        else:
            i += 1
    return result


def _levels_db(samples: Samples, rate_hz: int) -> Samples:
    size, hop = round(FRAME_S * rate_hz), round(HOP_S * rate_hz)
    energy = np.concatenate([[0.0], np.cumsum(samples**2)])
    starts = np.arange(0, max(len(samples) - size, 1), hop)
    power = (energy[np.minimum(starts + size, len(samples))] - energy[starts]) / size
    return np.asarray(10.0 * np.log10(power + 1e-12))


def _piece(
    samples: Samples, rate_hz: int, begin_s: float, until: float, head: TappedHead, low_rate: float
) -> _Piece | Tap:
    """Return the ring of a tap, or the tap with the reason why it cannot be read."""
    lowest = head.low_hz
    if head.about_hz is not None:
        lowest = max(lowest, head.about_hz / 1.6)
    needed = max(parameter("least_span"), parameter("least_periods") / lowest)
    start = begin_s + parameter("skip_click")
    stop = min(until - 0.005, start + max(parameter("most_span"), 2.0 * needed))
    if stop - start < min(needed, parameter("least_span")):
        followed = until < len(samples) / rate_hz
        return Tap(begin_s, None, None, "double tap" if followed else "cut off")
    whole = samples[round(begin_s * rate_hz) : round(stop * rate_hz)]
    if _clipped(whole):
        return Tap(begin_s, None, None, "clipped")
    first = max(round((begin_s - parameter("listen_before")) * rate_hz), 0)
    band = _decimated(samples[first : round(stop * rate_hz)], rate_hz, low_rate)
    begin = round((start - first / rate_hz) * low_rate)
    ring = band[begin:]
    if len(ring) < 32:
        return Tap(begin_s, None, None, "cut off")
    before = band[: max(round((begin_s - first / rate_hz - 0.01) * low_rate), 0)]
    return _Piece(begin_s, ring, before, low_rate)


def _read_together(rings: Sequence[_Piece], head: TappedHead) -> tuple[list[Tap], dict[int, float]]:
    """Return the taps read together (``tap_round``), and each lug pitch that is certain, Hz."""
    fits = [_sinusoids(piece.ring, piece.rate_hz, PARTIALS) for piece in rings]
    partials = [
        np.array(
            [
                (math.log2(s.frequency_hz), 20.0 * math.log10(s.amplitude + 1e-12))
                for s in fit
                if s.frequency_hz > 0.3 * head.low_hz
            ]
        ).reshape(-1, 2)
        for fit in fits
    ]
    reading = read_round(partials, head.prior())
    is_sure = reading is not None and _is_sure(reading, len(rings), head)
    taps = []
    for i, (piece, fit) in enumerate(zip(rings, fits, strict=True)):
        if reading is None:
            taps.append(Tap(piece.time_s, None, None, "cannot tell"))
        elif i not in reading.lug_hz:
            taps.append(Tap(piece.time_s, None, None, "something else sounds"))
        elif not is_sure:
            taps.append(Tap(piece.time_s, None, None, "wrong mode"))
        else:
            taps.append(_checked(piece, fit, reading.lug_hz[i]))
    return taps, (reading.lug_hz if reading is not None and is_sure else {})


def _is_sure(reading: RoundReading, rings: int, head: TappedHead) -> bool:
    """Whether the lug note of some taps stands out from their other modes enough to count."""
    if reading.score < parameter("tap_least_score"):
        return False
    if reading.largest > head.rods + 1:
        # Taps and strokes of something else, taken for the same.
        return reading.margin >= parameter("tap_mixed_margin")
    busy = reading.groups > 1 or rings > head.rods + 1 or head.about_hz is None
    return reading.margin >= parameter("tap_busy_margin" if busy else "tap_round_margin")


def _checked(piece: _Piece, fit: Sequence[DampedSinusoid], about_hz: float) -> Tap:
    """Return a tap at a pitch if nothing else sounded there and its two halves agree."""
    hz = _own_hz(fit, about_hz)
    if hz is None:
        return Tap(piece.time_s, None, None, "cannot tell")
    if _sounded_before(piece.before, piece.ring, piece.rate_hz, hz):
        return Tap(piece.time_s, None, None, "something else sounds")
    apart = _apart_cents(piece.ring, piece.rate_hz, hz)
    if apart is None or apart > parameter("agree_within"):
        return Tap(piece.time_s, None, None, "cannot tell")
    sd = math.hypot(parameter("reading_sd"), 0.5 * apart)
    return Tap(piece.time_s, hz, hz * (2.0 ** (sd / 1200.0) - 1.0))


def _clipped(whole: Samples) -> bool:
    top = float(np.abs(whole).max())
    return top > 0.5 and float((np.abs(whole) > 0.997 * top).mean()) > parameter("clipped_share")


def _decimated(samples: Samples, rate_hz: int, low_rate: float) -> Samples:
    return np.asarray(soxr.resample(samples, rate_hz, low_rate, quality="HQ"), np.float64)


def _read_piece(piece: _Piece, head: TappedHead) -> Tap:
    """Return what a single tap tells by the modes that the model expects of this head."""

    def unread(why: WhyNot) -> Tap:
        return Tap(piece.time_s, None, None, why)

    fit = _sinusoids(piece.ring, piece.rate_hz)
    best, second = _best_two(fit, head) if fit else (None, None)
    if best is None:
        return unread("cannot tell")
    hz, share = best
    if _present(fit, hz, head) < parameter("least_present"):
        # The drum struck whole has other modes than one head tapped.
        return unread("other head")
    if share < parameter("least_explained"):
        hum = _hums(piece.before, piece.ring)
        return unread("something else sounds" if hum else "cannot tell")
    if second is not None and second[1] > share - parameter("clear_by"):
        return unread("wrong mode")
    lug_hz = _own_hz(fit, hz)
    if lug_hz is None or not _is_loud(fit, lug_hz):
        return unread("wrong mode")
    return _checked(piece, fit, hz)


def _sinusoids(piece: Samples, rate: float, count: int = 8) -> list[DampedSinusoid]:
    """Return what rings in a piece and dies away as drums do, the strongest first."""
    longest = round(parameter("fit_samples"))
    fit = piece[:longest]
    result = fit_damped_sinusoids(fit, rate, count=min(count, len(fit) // 8))
    result = [
        s
        for s in result
        if s.frequency_hz < 0.45 * rate and -1.0 < s.decay_rate < parameter("fastest_decay")
    ]
    top = max((s.energy for s in result), default=0.0)
    return [s for s in result if s.energy > top * 10.0 ** (-parameter("partial_range") / 10.0)]


def _best_two(
    sinusoids: Sequence[DampedSinusoid], head: TappedHead
) -> tuple[tuple[float, float] | None, tuple[float, float] | None]:
    """Return the lug pitch that explains most of what rings, and the next other one.

    Each as (Hz, share explained). A candidate's modes have to be where the loud partials are, and
    a loud mode that is missing counts against it.
    """
    hz = np.array([s.frequency_hz for s in sinusoids])
    power = np.array([s.energy for s in sinusoids])
    power = np.sqrt(power / power.sum())
    power /= power.sum()
    ratios, weight = np.array(head.ratios), _weights(head)
    rows: list[tuple[float, float]] = []
    near = parameter("mode_near")
    for candidate in {float(f / r) for f in hz for r in head.ratios[:4]}:
        if not head.low_hz <= candidate <= head.high_hz:
            continue
        off = np.abs(np.log2(hz[:, None] / (candidate * ratios[None, :]))) * 12.0
        explained = float(power[off.min(axis=1) < near].sum())
        present = float(weight[off.min(axis=0) < near].sum())
        if off[:, np.argmin(np.abs(ratios - 1.0))].min() < near:
            rows.append((candidate, explained * (0.5 + 0.5 * present)))
    if not rows:
        return None, None
    rows.sort(key=lambda row: -row[1])
    best = rows[0]
    others = [r for r in rows[1:] if abs(math.log2(r[0] / best[0])) * 12.0 > 1.2]
    return best, (others[0] if others else None)


def _weights(head: TappedHead) -> Samples:
    weight = 10.0 ** (np.array(head.levels_db) / 40.0)
    return np.asarray(weight / weight.sum())


def _present(sinusoids: Sequence[DampedSinusoid], hz: float, head: TappedHead) -> float:
    """Return how much of what a tap at this pitch would let sound is there, 0 to 1."""
    places = np.array([s.frequency_hz for s in sinusoids])
    off = np.abs(np.log2(places[:, None] / (hz * np.array(head.ratios)[None, :]))) * 12.0
    return float(_weights(head)[off.min(axis=0) < parameter("mode_near")].sum())


def _own_hz(sinusoids: Sequence[DampedSinusoid], about_hz: float) -> float | None:
    """Return mode (1,1): both halves of its pair, weighted by how loud each is."""
    near = parameter("mode_near")
    pair = [s for s in sinusoids if abs(math.log2(s.frequency_hz / about_hz)) * 12.0 < near]
    if not pair:
        return None
    loud = max(s.amplitude for s in pair)
    pair = [s for s in pair if s.amplitude > 0.1 * loud]
    total = sum(s.amplitude for s in pair)
    return sum(s.frequency_hz * s.amplitude for s in pair) / total


def _is_loud(sinusoids: Sequence[DampedSinusoid], hz: float) -> bool:
    """Whether (1,1) is about the loudest, as it is next to a rod."""
    near = parameter("mode_near")
    members = sum(s.energy for s in sinusoids if abs(math.log2(s.frequency_hz / hz)) * 12.0 < near)
    top = max(s.energy for s in sinusoids)
    return bool(members >= top * 10.0 ** (-parameter("own_within") / 10.0))


def _level(piece: Samples, rate: float, hz: float) -> float:
    """Return the mean power near a frequency, by projecting on it."""
    if len(piece) < 16:
        return 0.0
    shape = np.hanning(len(piece))
    time = np.arange(len(piece)) / rate
    wave = np.exp(-2j * np.pi * hz * time) * shape
    return float(np.abs((piece * wave).sum() / shape.sum()) ** 2)


def _sounded_before(before: Samples, piece: Samples, rate: float, hz: float) -> bool:
    """Whether the same pitch sounded before the tap, another drum's or a note's."""
    length = min(len(before), len(piece))
    if length < 24:
        return False
    was = _level(before[-length:], rate, hz)
    current = _level(piece[:length], rate, hz)
    return bool(was > current * 10.0 ** (-parameter("before_under") / 10.0))


def _hums(before: Samples, piece: Samples) -> bool:
    if len(before) < 24:
        return False
    was, current = float(np.mean(before**2)), float(np.mean(piece[: len(before)] ** 2))
    return bool(was > current * 10.0 ** (-parameter("before_under") / 10.0))


def _apart_cents(piece: Samples, rate: float, hz: float) -> float | None:
    """Return how far apart the pitch lies in two overlapping parts of the tap, cents."""
    longest = min(round(parameter("fit_samples")), len(piece))
    size = max(round(0.7 * longest), 24)
    known = []
    for part in (piece[:size], piece[longest - size : longest]):
        matching = _own_hz(_sinusoids(part, rate), hz)
        if matching is None:
            return None
        known.append(matching)
    return abs(1200.0 * math.log2(known[0] / known[1]))
