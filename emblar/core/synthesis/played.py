"""A drum or a whole kit played: one stroke, strokes growing louder, a groove; and toms that hum.

Conventions
-----------
Samples are float64, 1.0 full scale, at ``sample_rate_hz``: shape (n,). A tom hums along with what
is struck next to it: its fundamental is a resonator driven by the other drum's sound, so that it
hums the more the nearer the other lies in pitch and the longer the tom rings.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
from scipy.signal import lfilter

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.damping import T60_FACTOR
from emblar.core.errors import InputError
from emblar.core.synthesis.song import Event
from emblar.core.synthesis.stroke import Samples, Voice, cut_off, render_stroke
from emblar.core.voices import is_tom

What = Literal["stroke", "ramp", "groove"]
STROKE_S = 2.0
LONGEST_S = 3.0
RAMP_FORCES = (0.15, 0.25, 0.4, 0.6, 0.85, 1.15, 1.5)
RAMP_STEP_S = 0.55
BEAT_S = 0.6
"""A quarter at 100 a minute."""
PATTERNS = {
    "kick": "X..x..x.X..x.xx.",
    "snare": "..o.X..o.o..X..o",
    "tom": "x.x.X...x.xxX...",
}
KIT_PATTERNS = {
    "kick": "X.....x.X.x.....",
    "snare": "....X..o....X...",
    "tom-1": "............Xx..",
    "tom-2": "..............x.",
    "tom-3": "...............X",
}
FORCES = {"X": 1.3, "x": 0.9, "o": 0.3}


def played(
    voice: Voice, kind: str, what: What, *, sample_rate_hz: int, seed: int = 7, force: float = 1.0
) -> Samples:
    """Return a drum played.

    Parameters
    ----------
    voice
        The drum.
    kind
        ``"kick"``, ``"snare"`` or ``"tom"``.
    what
        What is played.
    sample_rate_hz
        Sample rate, Hz.
    seed
        Which of many alike ones.
    force
        How hard, over a medium stroke.

    Raises
    ------
    InputError
        There is no such way to play it.
    """
    if what == "stroke":
        events = [(0.0, 1.0)]
    elif what == "ramp":
        events = [(i * RAMP_STEP_S, growing) for i, growing in enumerate(RAMP_FORCES)]
    elif what == "groove":
        events = [
            (i * BEAT_S / 4.0, FORCES[mark]) for i, mark in enumerate(PATTERNS[kind]) if mark != "."
        ]
    else:
        raise InputError(f"“{what}” cannot be played. Choose stroke, ramp or groove.")
    return _strokes(voice, [(t, force * f) for t, f in events], sample_rate_hz, seed)


def _strokes(voice: Voice, events: Sequence[tuple[float, float]], rate: int, seed: int) -> Samples:
    """Render strokes, each ending the one before, as on one head."""
    tail = STROKE_S if len(events) == 1 else min(voice.length_s, LONGEST_S)
    out = np.zeros(round((events[-1][0] + tail) * rate))
    for index, (time, force) in enumerate(events):
        rng = np.random.default_rng([seed, index])
        sound = render_stroke(voice, sample_rate_hz=rate, force=force, rng=rng, length_s=tail)
        if index + 1 < len(events):
            sound = cut_off(sound, events[index + 1][0] - time, rate)
        first = round(time * rate)
        sound = sound[: len(out) - first]
        out[first : first + len(sound)] += sound
    return out


def hum(source: Samples, voice: Voice, sample_rate_hz: int) -> Samples:
    """Return what a drum adds by humming along with another's sound, shape of ``source``.

    Parameters
    ----------
    source
        The other's sound, shape (n,).
    voice
        The drum that hums along.
    sample_rate_hz
        Sample rate, Hz.
    """
    if not voice.partials:
        return np.zeros_like(source)
    first = voice.partials[0]
    omega = 2.0 * math.pi * first.frequency_hz / sample_rate_hz
    radius = math.exp(-T60_FACTOR / first.t60_s / sample_rate_hz)
    # A mass on a spring driven by the pressure: static response 1, peak response its quality.
    poles = [1.0, -2.0 * radius * math.cos(omega), radius**2]
    share = prior_coefficients()["sympathetic_share"]
    driven = lfilter([sum(poles)], poles, source)
    return np.asarray(share * driven)


def kit_played(
    voices: Mapping[str, Voice],
    *,
    sample_rate_hz: int,
    seed: int = 7,
    events: Sequence[Event] | None = None,
) -> Samples:
    """Return a whole kit in a groove, toms humming along, shape (n,).

    Voices that the groove does not have are simply not struck; they hum all the same.

    Parameters
    ----------
    voices
        Voices by name.
    sample_rate_hz
        Sample rate, Hz.
    seed
        Which of many alike ones.
    events
        Strokes: when, on which voice, how hard; a groove if left out.

    Raises
    ------
    InputError
        No drum of the kit is planned.
    """
    request = _kit_events(voices) if events is None else [e for e in events if e.voice in voices]
    if not request:
        raise InputError("No drum of this kit is planned yet. Plan the kit first.")
    length = round((max(e.time_s for e in request) + LONGEST_S) * sample_rate_hz)
    dry: dict[str, Samples] = {}
    for name, voice in voices.items():
        voice_hits = [(e.time_s, e.force) for e in request if e.voice == name]
        track = np.zeros(length)
        if voice_hits:
            sound = _strokes(voice, voice_hits, sample_rate_hz, seed)[:length]
            track[: len(sound)] = sound
        dry[name] = track
    total = sum(dry.values(), np.zeros(length))
    out = total.copy()
    for name, voice in voices.items():
        if is_tom(name):
            out += hum(total - dry[name], voice, sample_rate_hz)
    return out


def _kit_events(voices: Mapping[str, Voice]) -> list[Event]:
    return [
        Event(bar * 4 * BEAT_S + step * BEAT_S / 4.0, name, FORCES[mark])
        for bar in range(2)
        for name, pattern in KIT_PATTERNS.items()
        for step, mark in enumerate(pattern)
        # The toms are heard as a roll at the end of the second bar.
        if mark != "." and name in voices and (bar == 1 or not is_tom(name))
    ]
