"""Hum: what the other drums of a kit answer when one is struck, measured and expected.

Conventions
-----------
Works on a mono recording of one stroke, everything else left open and untouched. A drum is looked
for near the pitch that it is known to have; its hum is a decaying sine. Levels are in dB re the
stroke's own first tenth of a second, ``hum_from`` after the stroke, for measured and expected
alike.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from annotated_types import Interval, Le, Len
from numpy.typing import NDArray

from emblar.core.errors import BadAudioError
from emblar.core.notes import cents
from emblar.core.synthesis.played import STROKE_S, hum, played
from emblar.core.synthesis.stroke import Voice
from emblar.core.tuning.parameters import parameter

Samples = NDArray[np.float64]
FRAME_S = 0.005
FIRST_S = 0.1
NEAR_SEMITONES = 4.0
OVERSAMPLED = 4
WhyNot = Literal["its note is the struck drum's own", "two drums share this note"]
EXPECTED_RATE_HZ = 22050


@dataclass(frozen=True, slots=True)
class Ringing:
    """A mode of the struck drum: frequency in Hz, T60 in s, level in dB re its loudest."""

    hz: Annotated[float, Interval(gt=0, le=5000)]
    t60_s: Annotated[float, Interval(gt=0, le=30)]
    level_db: Annotated[float, Le(0)] = 0.0


@dataclass(frozen=True, slots=True)
class Beside:
    """A drum next to the struck one: its pitch in Hz and how well that is known, in cents."""

    name: Annotated[str, Len(1, 80)]
    hz: Annotated[float, Interval(ge=15, le=1000)]
    sd_cents: Annotated[float, Interval(gt=0, le=300)] = 20.0


@dataclass(frozen=True, slots=True)
class Answer:
    """What a drum answers.

    Parameters
    ----------
    level_db
        How loud it hums; where ``audible`` is false, what it stays under; None if unknown.
    audible
        Whether it stands out of what else is there.
    hz, t60_s
        The pitch of the hum and how long it rings, None where that cannot be told.
    why_not
        Why nothing can be told.
    """

    name: str
    level_db: float | None
    audible: bool
    hz: float | None = None
    t60_s: float | None = None
    why_not: WhyNot | None = None


def read_hum(
    samples: Samples, rate_hz: int, modes: Sequence[Ringing], others: Sequence[Beside]
) -> tuple[Answer, ...]:
    """Return what every other drum answers to the stroke of a recording.

    Parameters
    ----------
    samples
        One stroke, shape (n,), any level.
    modes
        The struck drum's modes; the more are given, the surer nothing of it is taken for a hum.
    others
        The drums next to it.
    rate_hz
        Sample rate, Hz.

    Raises
    ------
    BadAudioError
        There is no stroke, or it does not ring on long enough to be heard out.
    """
    start, first = _stroke(samples, rate_hz)
    begin = start + round(parameter("hum_from") * rate_hz)
    end = min(len(samples), begin + round(parameter("hum_span") * rate_hz))
    if end - begin < parameter("hum_least_span") * rate_hz:
        raise BadAudioError(
            "This ends too soon after the stroke. Strike once, touch nothing, and let it ring for "
            "two seconds."
        )
    piece = samples[begin:end]
    if float(np.sqrt((piece**2).mean())) > first * 10.0 ** (-parameter("hum_least_drop") / 20.0):
        raise BadAudioError(
            "Nothing dies away in this, so it is no single stroke. Strike once, firmly, with "
            "nothing else sounding."
        )
    span_s = len(piece) / rate_hz
    result = [_answer(piece, rate_hz, first, _left(modes, span_s), other) for other in others]
    return tuple(_told_apart(result, span_s))


def _stroke(samples: Samples, rate_hz: int) -> tuple[int, float]:
    """Return where the stroke begins and the RMS of its first tenth of a second."""
    size = max(round(FRAME_S * rate_hz), 1)
    count = len(samples) // size
    if count < 2 or not np.any(samples):
        raise BadAudioError("There is no stroke in this. Strike once, firmly.")
    power = (samples[: count * size].reshape(count, size) ** 2).mean(axis=1)
    top = int(np.argmax(power))
    start = top
    while start > 0 and power[start - 1] > 0.01 * power[top]:
        start -= 1
    first = samples[start * size : start * size + round(FIRST_S * rate_hz)]
    return start * size, float(np.sqrt((first**2).mean()))


def _left(modes: Sequence[Ringing], span_s: float) -> list[tuple[float, float, float]]:
    """Return (Hz, half width in Hz, dB re the stroke) of what of the struck drum still sounds.

    It may ring longer than the model says, and lie off it.
    """
    longer, off = parameter("hum_own_longer"), parameter("hum_own_off")
    rows = []
    for mode in modes:
        level = mode.level_db - 60.0 * parameter("hum_from") / (longer * mode.t60_s)
        width = mode.hz * (2.0 ** (off / 1200.0) - 1.0) + 2.0 / span_s
        rows.append((mode.hz, width, level))
    return rows


def _answer(
    piece: Samples,
    rate_hz: int,
    first: float,
    matching: Sequence[tuple[float, float, float]],
    other: Beside,
) -> Answer:
    window = np.hanning(len(piece))
    size = 2 ** math.ceil(math.log2(OVERSAMPLED * len(piece)))
    hz = np.fft.rfftfreq(size, 1.0 / rate_hz)
    height = 2.0 * np.abs(np.fft.rfft(piece * window, size)) / window.sum()
    within = max(parameter("hum_within"), min(2.0 * other.sd_cents, parameter("hum_within_most")))
    low, high = (other.hz * 2.0 ** (s * within / 1200.0) for s in (-1.0, 1.0))
    near = np.flatnonzero((hz >= low) & (hz <= high))
    around = 2.0 ** (NEAR_SEMITONES / 12.0)
    floor = float(np.median(height[(hz > other.hz / around) & (hz < other.hz * around)]))
    top = near[int(np.argmax(height[near]))]
    least = floor * 10.0 ** (parameter("hum_over_floor") / 20.0)
    # A peak at the end of what is looked through belongs to something next to it.
    peak = 0 < top < len(height) - 1 and height[top] >= max(height[top - 1], height[top + 1])
    masked = max(
        (db for position, width, db in matching if abs(position - hz[top]) < width),
        default=-math.inf,
    )
    if not peak or height[top] < least:
        level = _db(max(least, 1e-12) / math.sqrt(2.0) / first)
        under = max(level, masked)
        if masked > level:
            return Answer(
                other.name, None, audible=False, why_not="its note is the struck drum's own"
            )
        return Answer(other.name, under, audible=False)
    t60_s, level = _decay(piece, rate_hz, float(hz[top]))
    level_db = _db(level / math.sqrt(2.0) / first)
    if masked > level_db - parameter("hum_clear_of_own"):
        return Answer(other.name, None, audible=False, why_not="its note is the struck drum's own")
    return Answer(other.name, level_db, audible=True, hz=float(hz[top]), t60_s=t60_s)


def _decay(piece: Samples, rate_hz: int, hz: float) -> tuple[float | None, float]:
    """Return a sine's T60 in s, None if it hardly falls, and its amplitude at the beginning."""
    half = len(piece) // 2
    time = np.arange(half) / rate_hz
    window = np.hanning(half)
    turn = window * np.exp(-2j * np.pi * hz * time)
    early, late = (
        2.0 * abs(complex((piece[a : a + half] * turn).sum())) / window.sum() for a in (0, half)
    )
    rate = math.log(max(early, 1e-12) / max(late, 1e-12)) / (half / rate_hz)
    if rate <= 0.2:
        return None, early
    # What a window sees of a falling sine is less than it had at the beginning.
    seen = float((window * np.exp(-rate * time)).sum() / window.sum())
    return 3.0 * math.log(10.0) / rate, early / seen


def _told_apart(answers: Sequence[Answer], span_s: float) -> list[Answer]:
    """Return answers, none for two drums whose hums are one line."""
    out = []
    for answer in answers:
        shared = answer.hz is not None and any(
            other is not answer
            and other.hz is not None
            and abs(other.hz - answer.hz) < 1.0 / span_s
            for other in answers
        )
        why: WhyNot = "two drums share this note"
        out.append(Answer(answer.name, None, audible=False, why_not=why) if shared else answer)
    return out


def _db(ratio: float) -> float:
    return 20.0 * math.log10(max(ratio, 1e-12))


def is_loud(answer: Answer) -> bool:
    """Whether a hum is one that is heard in the song."""
    return (
        answer.audible and answer.level_db is not None and (answer.level_db > parameter("hum_loud"))
    )


def expected_hum(voices: Mapping[str, tuple[str, Voice]]) -> dict[tuple[str, str], float]:
    """Return how loud each drum hums when another is struck, dB, by (struck, answering).

    Parameters
    ----------
    voices
        Kind and sound of each drum, by name.
    """
    rate = EXPECTED_RATE_HZ
    begin = round(parameter("hum_from") * rate)
    result = {}
    for struck, (kind, voice) in voices.items():
        sound = played(voice, kind, "stroke", sample_rate_hz=rate)[: round(STROKE_S * rate)]
        first = float(np.sqrt((sound[: round(FIRST_S * rate)] ** 2).mean()))
        for name, (_, other) in voices.items():
            if name != struck:
                after = hum(sound, other, rate)[begin : begin + round(FIRST_S * rate)]
                result[struck, name] = _db(float(np.sqrt((after**2).mean())) / max(first, 1e-12))
    return result


def apart_cents(struck: Sequence[Ringing], other_hz: float) -> float:
    """Return how far a drum's pitch lies from the nearest mode of the struck one, in cents."""
    return min((abs(cents(other_hz, mode.hz)) for mode in struck), default=math.inf)
