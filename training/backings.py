"""Everything that is not a drum: plucked, held and sung notes, speech-like noise.

Conventions
-----------
Mono float32 at ``RATE``, RMS about 1. All of it is drawn at random and made from sines and noise.
"""

import numpy as np
from numpy.typing import NDArray

from training.sounds import RATE, coloured, decay, log_uniform

Sound = NDArray[np.float32]
DYING = ("plucked", "struck")
ROLES = ("bass", "chords", "lead", "arpeggio", "speech")


def note(
    rng: np.random.Generator, pitch_hz: float, length_s: float, manner: str
) -> NDArray[np.float64]:
    """Return one note: harmonics under a plucked, struck, held or sung envelope."""
    size = int(length_s * RATE)
    time = np.arange(size) / RATE
    count = int(min(rng.integers(4, 16), 16000 / pitch_hz))
    tilt = rng.uniform(0.6, 2.0)
    inharmonic = log_uniform(rng, 1e-5, 6e-4)
    turns = time
    if manner == "sung":
        wobble = rng.uniform(0, 0.01) * np.sin(2 * np.pi * rng.uniform(4, 7) * time)
        turns = np.cumsum(1 + wobble) / RATE
    out = np.zeros(size)
    t60 = log_uniform(rng, 0.3, 5.0)
    odd = rng.random() < 0.2
    for k in range(1, count + 1, 2 if odd else 1):
        f = pitch_hz * k * np.sqrt(1 + inharmonic * k * k)
        if f > 18000:
            break
        level = k**-tilt * rng.rayleigh(0.8)
        tail = 1.0
        if manner in DYING:
            tail = decay(time, t60 / (1 + 0.15 * k))
        if manner == "struck":
            # Strings struck together die fast at first, then slowly.
            tail = 0.7 * decay(time, 0.25 * t60 / (1 + 0.15 * k)) + 0.3 * tail
        out += level * np.sin(2 * np.pi * f * turns + rng.uniform(0, 6.28)) * tail
    rise = {
        "plucked": log_uniform(rng, 0.0005, 0.006),
        "struck": log_uniform(rng, 0.0008, 0.004),
        "held": log_uniform(rng, 0.002, 0.05),
    }.get(manner, rng.uniform(0.02, 0.15))
    out *= 1 - np.exp(-time / rise)
    if manner in DYING and rng.random() < 0.6:
        out += (
            log_uniform(rng, 0.02, 0.6)
            * coloured(rng, size, log_uniform(rng, 60, 500), log_uniform(rng, 1200, 9000), -2)
            * decay(time, log_uniform(rng, 0.012, 0.08))
        )
    if manner in DYING and rng.random() < 0.3:
        # A finger's or a hammer's thump in the body.
        body_hz = log_uniform(rng, 50, 220)
        thump = np.sin(2 * np.pi * body_hz * time) * decay(time, log_uniform(rng, 0.05, 0.3))
        out += log_uniform(rng, 0.1, 1.0) * thump
    fade = min(int(0.02 * RATE), size)
    out[size - fade :] *= np.linspace(1, 0, fade)
    return out


def part(rng: np.random.Generator, seconds: float, role: str, step_s: float) -> Sound:
    """Return one instrument's part: bass, chords, arpeggio, lead or speech."""
    out = np.zeros(int(seconds * RATE) + RATE * 3)
    manner = str(rng.choice(["plucked", "plucked", "struck", "struck", "held", "sung"]))
    timbre = int(rng.integers(2**31))
    strummed = rng.uniform(0.0, 0.02) if rng.random() < 0.4 else 0.0
    root = {"bass": log_uniform(rng, 32, 70), "chords": log_uniform(rng, 110, 260)}.get(
        role, log_uniform(rng, 160, 500)
    )
    scale = 2.0 ** (np.array([0, 2, 3, 5, 7, 9, 10, 12]) / 12)
    at = float(rng.uniform(0, 0.3))
    while at < seconds:
        if role == "speech":
            size = rng.uniform(0.05, 0.3)
            sound = (
                note(rng, log_uniform(rng, 80, 300), size, "sung")
                if rng.random() < 0.6
                else (
                    coloured(rng, int(size * RATE), log_uniform(rng, 1500, 5000), 14000, 0)
                    * np.hanning(int(size * RATE))
                )
            )
            gap = size + (rng.uniform(0, 0.5) if rng.random() < 0.3 else 0)
        else:
            steps = (
                int(rng.choice([1, 2, 2, 4, 8]))
                if role != "chords"
                else int(rng.choice([2, 4, 8, 16]))
            )
            gap = steps * step_s
            pitch = root * float(rng.choice(scale))
            pitches = (
                [pitch * float(rng.choice(scale)) for _ in range(3)]
                if role == "chords"
                else [pitch]
            )
            # Every note of a part sounds of the same instrument.
            notes = [
                note(np.random.default_rng(timbre), p, min(gap * 1.1, 1.5), manner) for p in pitches
            ]
            late = [int(strummed * RATE) * i for i in range(len(notes))]
            sound = np.sum(
                [
                    np.roll(n, k) * (np.arange(len(n)) >= k)
                    for n, k in zip(notes, late, strict=True)
                ],
                axis=0,
            )
            if rng.random() < 0.15:
                sound = sound * 0.0
        first = int((at + rng.normal(0, 0.004) * (role != "speech")) * RATE)
        first = max(first, 0)
        sound = sound * rng.uniform(0.5, 1.0)
        out[first : first + len(sound)] += sound[: len(out) - first]
        at += gap
    out = out[: int(seconds * RATE)]
    return np.asarray(out / (np.sqrt(np.mean(out**2)) + 1e-9), np.float32)


def backing(rng: np.random.Generator, seconds: float, step_s: float) -> Sound:
    """Return one to four parts together, RMS about 1."""
    roles = [str(r) for r in rng.choice(ROLES, int(rng.integers(1, 5)), replace=False)]
    for usual, odds in (("bass", 0.8), ("chords", 0.5)):
        if usual not in roles and rng.random() < odds:
            roles.append(usual)
    total = np.zeros(int(seconds * RATE), np.float32)
    for role in roles:
        total += part(rng, seconds, role, step_s) * np.float32(10 ** (rng.uniform(-6, 3) / 20))
    return np.asarray(total / (np.sqrt(np.mean(total**2)) + 1e-9), np.float32)
