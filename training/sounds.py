"""Made-up drums, hats and cymbals of every kind: one stroke each, drawn at random.

Conventions
-----------
Mono float32 at ``RATE``, peak about 1 at full force. A *maker* draws one instrument; calling it with
a force between 0 and 1 gives one stroke of it. Ranges are wide on purpose: what the classifier has
not seen it cannot tell.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from training.spectra import shaped

Sound = NDArray[np.float32]
Maker = Callable[[float], Sound]
RATE = 44100
USUAL_FORCE = 0.65
MEMBRANE = np.array([1.0, 1.59, 2.14, 2.30, 2.65, 2.92, 3.16, 3.50, 3.60, 4.06, 4.15, 4.6])


def log_uniform(rng: np.random.Generator, low: float, high: float) -> float:
    """Draw evenly on a logarithmic scale."""
    return float(np.exp(rng.uniform(np.log(low), np.log(high))))


def decay(time: NDArray[np.floating[Any]], t60_s: float) -> NDArray[np.float64]:
    """Return an amplitude that falls by 60 dB in ``t60_s``."""
    return np.exp(-6.908 * time / t60_s)


def coloured(
    rng: np.random.Generator, size: int, low_hz: float, high_hz: float, tilt_db: float
) -> NDArray[np.float64]:
    """Return noise between two frequencies with soft edges and a tilt per octave."""
    count = next_fast_len(size, real=True)
    spectrum = rfft(rng.standard_normal(count))
    bins = np.fft.rfftfreq(count, 1 / RATE) + 1.0
    gain = 1.0 / (1.0 + (low_hz / bins) ** 4) / (1.0 + (bins / high_hz) ** 4)
    gain *= 10.0 ** (tilt_db * np.log2(bins / np.sqrt(low_hz * high_hz)) / 20.0)
    out = irfft(spectrum * gain, count)[:size]
    return out / (np.sqrt(np.mean(out**2)) + 1e-9)


def equaliser(
    rng: np.random.Generator, spread_db: float
) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    """Return a random smooth colouring, the same for every stroke it is given."""
    knots = np.log2(np.array([20, 60, 150, 400, 1000, 2500, 6000, 16000, 22050.0]))
    gains = rng.normal(0, spread_db, len(knots))
    lowpass = log_uniform(rng, 6000, 20000) if rng.random() < 0.25 else 30000.0

    def apply(sound: NDArray[np.float64]) -> NDArray[np.float64]:
        count = next_fast_len(len(sound), real=True)
        bins = np.fft.rfftfreq(count, 1 / RATE) + 1.0
        gain = 10.0 ** (np.interp(np.log2(bins), knots, gains) / 20.0) / (1 + (bins / lowpass) ** 8)
        return np.asarray(irfft(rfft(sound, count) * gain, count)[: len(sound)])

    return apply


def membrane(
    rng: np.random.Generator, f0: float, t60_s: float, bend_ct: float, bend_s: float, ring_db: float
) -> Callable[[float, NDArray[np.float64]], NDArray[np.float64]]:
    """Return the tonal part of a drum as a function of force and time."""
    count = int(rng.integers(3, len(MEMBRANE)))
    ratios = MEMBRANE[:count] * (1 + rng.normal(0, 0.05, count))
    ratios[0] = 1.0
    levels = ring_db - 3.0 * np.arange(count) + rng.normal(0, 5, count)
    levels[0] = 0.0
    t60 = t60_s * ratios ** -rng.uniform(0.2, 1.4) * np.exp(rng.normal(0, 0.25, count))
    split = rng.random(count) < 0.3
    detune = rng.uniform(0.004, 0.03, count)
    phase = rng.uniform(0, 2 * np.pi, count) * (rng.random() < 0.5)

    def tone(force: float, time: NDArray[np.float64]) -> NDArray[np.float64]:
        bend = bend_ct * force**1.5 * np.exp(-time / bend_s)
        turns = np.cumsum(2.0 ** (bend / 1200.0)) / RATE
        out = np.zeros(len(time))
        for i in range(count):
            level = 10.0 ** ((levels[i] - 6.0 * (1 - force) * (i > 0)) / 20.0)
            wave = np.sin(2 * np.pi * f0 * ratios[i] * turns + phase[i])
            if split[i]:
                wave = 0.6 * wave + 0.4 * np.sin(
                    2 * np.pi * f0 * ratios[i] * (1 + detune[i]) * turns
                )
            out += level * wave * decay(time, t60[i])
        return out

    return tone


PITCH_HZ = {
    "kick": (60.0, 0.40, 33.0, 118.0),
    "snare": (195.0, 0.26, 120.0, 320.0),
    "tom": (104.0, 0.42, 51.0, 225.0),
}
"""Middle, spread in octaves, lowest and highest."""
TAIL_DB = {"kick": (-28.0, -31.0), "snare": (0.0, -6.0), "tom": (-8.0, -12.0)}
"""Usual level of the dense modes and the room in the middle and on top, RMS re the fundamental."""


def pitch(rng: np.random.Generator, kind: str) -> float:
    """Draw a drum's pitch in Hz."""
    middle, octaves, low, high = PITCH_HZ[kind]
    return float(np.clip(middle * 2.0 ** rng.normal(0, octaves), low, high))


Tail = Callable[[float, NDArray[np.float64]], NDArray[np.float64]]


def tails(rng: np.random.Generator, rows: list[tuple[float, float, float, float, float]]) -> Tail:
    """Return noise that stands for dense modes and the near room.

    Rows are low and high in Hz, level in dB, shortest and longest T60 in s; levels scatter by 6 dB.
    """
    drawn = [(a, b, level + rng.normal(0, 6), log_uniform(rng, s, t)) for a, b, level, s, t in rows]

    def tail(force: float, time: NDArray[np.float64]) -> NDArray[np.float64]:
        out = np.zeros(len(time))
        for low, high, level, t60 in drawn:
            out += (
                10 ** ((level - 5 * (1 - force)) / 20)
                * coloured(rng, len(time), low, high, -2.0)
                * decay(time, t60)
            )
        return out

    return tail


def drum(rng: np.random.Generator, kind: str) -> tuple[Maker, float]:
    """Draw a kick, snare or tom; return its maker and its pitch in Hz."""
    f0 = pitch(rng, kind)
    middle, top = TAIL_DB[kind]
    if kind == "kick":
        t60, bend_s = log_uniform(rng, 0.10, 1.1), rng.uniform(0.008, 0.06)
        bend, ring = float(rng.choice([0, 60, 200, 600, 1200])), rng.uniform(-30, -3)
        click = (
            rng.uniform(-26, 0),
            log_uniform(rng, 300, 2500),
            log_uniform(rng, 1500, 9000),
            log_uniform(rng, 0.006, 0.05),
        )
        diffuse = tails(
            rng,
            [(30, 300, -20, 0.2, 0.9), (200, 1500, middle, 0.1, 0.6), (1500, 9000, top, 0.06, 0.5)],
        )
    elif kind == "snare":
        t60, bend_s = log_uniform(rng, 0.12, 0.9), rng.uniform(0.01, 0.06)
        bend, ring = rng.uniform(0, 150), rng.uniform(-16, 2)
        click = (
            rng.uniform(-14, 4),
            log_uniform(rng, 500, 2500),
            log_uniform(rng, 4000, 14000),
            log_uniform(rng, 0.01, 0.06),
        )
        diffuse = tails(
            rng,
            [
                (60, 300, -26, 0.2, 0.9),
                (250, 1800, middle, 0.2, 0.8),
                (1500, 12000, top, 0.12, 0.7),
            ],
        )
    else:
        t60, bend_s = log_uniform(rng, 0.3, 4.0), rng.uniform(0.03, 0.2)
        bend, ring = rng.uniform(0, 280), rng.uniform(-24, 1)
        click = (
            rng.uniform(-26, 0),
            log_uniform(rng, 250, 2500),
            log_uniform(rng, 1500, 12000),
            log_uniform(rng, 0.006, 0.05),
        )
        diffuse = tails(
            rng,
            [
                (30, 250, -18, 0.2, 1.2),
                (200, 1500, middle, 0.15, 1.0),
                (1500, 10000, top, 0.08, 0.6),
            ],
        )
    tone = membrane(rng, f0, t60, bend, float(bend_s), float(ring))
    second = None
    if kind == "kick" and rng.random() < 0.4:
        second = membrane(
            rng,
            f0 * rng.uniform(1.3, 2.3),
            t60 * rng.uniform(0.3, 1),
            bend,
            float(bend_s),
            float(ring),
        )
    buzz_db = {
        "kick": rng.uniform(-55, -25),
        "tom": rng.uniform(-55, -16),
        "snare": rng.uniform(-14, 8),
    }[kind]
    if kind == "snare" and rng.random() < 0.22:
        buzz_db = rng.uniform(-26, -14)
    buzz = (
        log_uniform(rng, 500, 4000),
        log_uniform(rng, 6000, 16000),
        rng.uniform(-4, 2),
        log_uniform(rng, 0.1, 0.6),
        rng.uniform(0, 0.006),
    )
    colour = equaliser(rng, 3.5)
    length = int(RATE * min(max(1.2 * t60, buzz[3], 0.5), 1.6))
    rise = rng.uniform(0.0002, 0.004 if kind == "kick" else 0.002)

    def stroke(force: float) -> Sound:
        time = np.arange(length) / RATE
        out = tone(force, time) + diffuse(force, time)
        if second is not None:
            out = out + 0.7 * second(force, time)
        level_db, low, high, t60_click = click
        hard = level_db - 9.0 * (1 - force)
        out += (
            10.0 ** (hard / 20.0) * coloured(rng, length, low, high, 0.0) * decay(time, t60_click)
        )
        envelope = decay(time, buzz[3]) * (1 - np.exp(-time / (buzz[4] + 1e-4)))
        out += (
            10.0 ** (buzz_db / 20.0) * coloured(rng, length, buzz[0], buzz[1], buzz[2]) * envelope
        )
        out *= 1 - np.exp(-time / rise)
        out = colour(out)
        return np.asarray(force**1.2 * out / (np.abs(out).max() + 1e-9), np.float32)

    return shaped(rng, kind, stroke, USUAL_FORCE), f0


def metal(rng: np.random.Generator, kind: str) -> Maker:
    """Draw a hat or a cymbal."""
    hat = kind == "hat"
    low, high = (
        log_uniform(rng, 1800 if hat else 300, 7000 if hat else 3500),
        log_uniform(rng, 9000, 18000),
    )
    t60 = log_uniform(rng, 0.06, 1.0) if hat else log_uniform(rng, 0.6, 5.0)
    count = int(rng.integers(10, 60))
    pitches = np.exp(rng.uniform(np.log(low * 0.4), np.log(min(high, 15000)), count))
    gains = rng.rayleigh(0.5, count) / np.sqrt(count)
    fades = t60 * rng.uniform(0.3, 1.2, count)
    phase = rng.uniform(0, 6.28, count)
    ping = rng.uniform(0.1, 1.4)
    stick_db = rng.uniform(-12, 8)
    bell = rng.uniform(500, 4000) if (not hat and rng.random() < 0.4) else 0.0
    thump_db = rng.uniform(-60, -18)
    thump = (log_uniform(rng, 60, 500), log_uniform(rng, 0.02, 0.15))
    bloom = rng.uniform(0.0005, 0.02 if not hat else 0.003)
    diffuse = tails(rng, [(30, 300, -34, 0.1, 0.7), (250, 3500, -14, 0.1, 1.0)])
    colour = equaliser(rng, 3.0)
    tilt = rng.uniform(-5, 3)
    length = int(RATE * min(max(t60 * 1.2 + 0.05, 0.5), 1.6))

    def stroke(force: float) -> Sound:
        time = np.arange(length) / RATE
        out = (
            coloured(rng, length, low, high, tilt) * decay(time, t60) * (1 - np.exp(-time / bloom))
        )
        for f, g, tail, p in zip(pitches, gains, fades, phase, strict=True):
            out += ping * g * np.sin(2 * np.pi * f * time + p) * decay(time, tail)
        out += diffuse(force, time)
        stick = coloured(rng, length, low * 0.7, high, 0.0) * decay(time, 0.015)
        out += 10.0 ** (stick_db / 20.0) * stick
        if bell:
            out += 1.5 * np.sin(2 * np.pi * bell * time) * decay(time, min(t60, 1.0))
        out += (
            10.0 ** (thump_db / 20.0)
            * 3
            * np.sin(2 * np.pi * thump[0] * time)
            * decay(time, thump[1])
        )
        out = colour(out)
        return np.asarray(force**1.2 * out / (np.abs(out).max() + 1e-9), np.float32)

    return shaped(rng, kind, stroke, USUAL_FORCE)


def cross_stick(rng: np.random.Generator) -> Maker:
    """Draw a stick laid across and knocked on a hoop: no drum for the classifier."""
    f0, colour = log_uniform(rng, 350, 1800), equaliser(rng, 3.0)
    tone = membrane(rng, f0, log_uniform(rng, 0.03, 0.15), 0.0, 0.02, float(rng.uniform(-8, 3)))

    def stroke(force: float) -> Sound:
        time = np.arange(int(0.3 * RATE)) / RATE
        out = colour(
            tone(force, time) + 0.7 * coloured(rng, len(time), 800, 9000, 0) * decay(time, 0.02)
        )
        return np.asarray(force * out / np.abs(out).max(), np.float32)

    return stroke
