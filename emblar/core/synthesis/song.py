"""A drum performance: strokes on voices, placed in time, panned, in a small room.

Conventions
-----------
Stereo float64 of shape (n, 2), 1.0 is full scale. ``Truth`` holds what was put in, so that whoever
measures the result can be checked against it. The same seed gives the same samples.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.signal import butter, fftconvolve, sosfilt

from emblar.core.acoustics.damping import T60_FACTOR
from emblar.core.synthesis.stroke import Samples, Voice, cut_off, render_stroke

ROOM_LOWEST_HZ = 150.0


@dataclass(frozen=True, slots=True)
class Event:
    """One stroke: when (s), on which voice, how hard (1.0 is medium)."""

    time_s: float
    voice: str
    force: float


@dataclass(frozen=True, slots=True)
class Placement:
    """Where a voice sits: gain, and pan from −1 (left) to 1."""

    gain: float
    pan: float


@dataclass(frozen=True, slots=True)
class SongRoom:
    """A small reverberation: energy share of the direct sound's, and T60 in s."""

    share: float
    t60_s: float


@dataclass(frozen=True, slots=True)
class Performance:
    """Rendered samples with what was put in."""

    samples: Samples
    sample_rate_hz: int
    events: tuple[Event, ...]
    settled_hz: Mapping[str, float]


def render_performance(
    voices: Mapping[str, Voice],
    events: Sequence[Event],
    placements: Mapping[str, Placement],
    *,
    sample_rate_hz: int = 44100,
    room: SongRoom | None = None,
    noise_floor_db: float = -78.0,
    peak: float = 0.89,
    seed: int = 0,
) -> Performance:
    """Render strokes on voices to stereo.

    A new stroke on a voice shortens what still sounds of the stroke before it, as a stick on a
    moving head does: the old tail fades over 30 ms.

    Parameters
    ----------
    voices
        Voices by name.
    events
        Strokes: when, on which voice, how hard.
    placements
        Where each voice stands, and how loud.
    sample_rate_hz
        Sample rate, Hz.
    room
        The room; dry if left out.
    noise_floor_db
        Level of the noise under it, dB re full scale.
    peak
        The largest sample.
    seed
        Which of many alike ones.
    """
    rng = np.random.default_rng(seed)
    length = max(e.time_s for e in events) + 3.0
    out = np.zeros((int(length * sample_rate_hz), 2))
    for name, voice in voices.items():
        voice_hits = sorted((e for e in events if e.voice == name), key=lambda e: e.time_s)
        track = _struck(voice, voice_hits, len(out), sample_rate_hz, rng)
        place = placements[name]
        angle = (place.pan + 1.0) * math.pi / 4.0
        out[:, 0] += place.gain * math.cos(angle) * track
        out[:, 1] += place.gain * math.sin(angle) * track
    if room is not None:
        out = _in_room(out, room, sample_rate_hz, rng)
    out *= peak / np.abs(out).max()
    out += 10.0 ** (noise_floor_db / 20.0) * rng.standard_normal(out.shape)
    settled = {n: v.settled_hz() for n, v in voices.items() if n not in ("hat", "cymbal")}
    return Performance(out, sample_rate_hz, tuple(events), settled)


def _struck(
    voice: Voice, events: Sequence[Event], length: int, rate: int, rng: np.random.Generator
) -> Samples:
    """Return one voice's strokes, ascending, each ending the one before; shape (length,)."""
    track = np.zeros(length)
    for index, event in enumerate(events):
        gap = events[index + 1].time_s - event.time_s if index + 1 < len(events) else None
        stroke = render_stroke(voice, sample_rate_hz=rate, force=event.force, rng=rng)
        if gap is not None:
            stroke = cut_off(stroke, gap, rate)
        start = round(event.time_s * rate)
        stop = min(start + len(stroke), len(track))
        track[start:stop] += stroke[: stop - start]
    return track


def _in_room(dry: Samples, room: SongRoom, rate: int, rng: np.random.Generator) -> Samples:
    count = int(room.t60_s * rate)
    time = np.arange(count) / rate
    wet = np.empty_like(dry)
    # Small rooms have no diffuse sound below their first modes, and engineers cut it there.
    highpass = butter(2, ROOM_LOWEST_HZ, "highpass", fs=rate, output="sos")
    for channel in range(2):
        response = rng.standard_normal(count) * np.exp(-T60_FACTOR / room.t60_s * time)
        response[: int(0.008 * rate)] = 0.0
        response = sosfilt(highpass, response)
        response *= math.sqrt(room.share / float(np.sum(response**2)))
        wet[:, channel] = fftconvolve(dry[:, channel], response)[: len(dry)]
    return dry + wet
