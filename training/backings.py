"""Everything that is not a drum: plucked, held and sung notes, speech-like noise.

Conventions
-----------
Float32 at ``RATE``, RMS about 1, one channel but for ``wide_backing``. All of it is drawn at random
and made from sines and noise.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from training.sounds import RATE, coloured, decay, equaliser, log_uniform

Sound = NDArray[np.float32]
DYING = ("plucked", "struck")
ROLES = ("bass", "chords", "lead", "arpeggio", "speech")
CENTRED_ODDS = {"bass": 0.85, "speech": 0.85, "lead": 0.6}
DOUBLED_ODDS = 0.35
SCALE = 2.0 ** (np.array([0, 2, 3, 5, 7, 9, 10, 12]) / 12)
BAR = 16
RIFF_ODDS = 0.6
REST_ODDS = 0.15
TOGETHER_ODDS = 0.3
FORMANTS_DB = 5.0
HISS_DB = (-46.0, -16.0)


def _sine(turns: NDArray[np.float64]) -> NDArray[np.float32]:
    # Whole turns off first: single precision is then enough, and several times as fast.
    return np.sin(np.float32(2 * np.pi) * (turns - np.floor(turns)).astype(np.float32))


def note(
    rng: np.random.Generator, pitch_hz: float, length_s: float, manner: str
) -> NDArray[np.float64]:
    """Return one note: harmonics under a plucked, struck, held or sung envelope."""
    size = int(length_s * RATE)
    time = np.arange(size) / RATE
    single = time.astype(np.float32)
    count = int(min(log_uniform(rng, 10, 110), 17000 / pitch_hz))
    tilt = rng.uniform(0.6, 1.8)
    inharmonic = log_uniform(rng, 1e-6, 4e-4)
    odd = rng.random() < 0.2
    t60, faster = log_uniform(rng, 0.8, 12.0), rng.uniform(0.01, 0.15)
    # Several players or a chorus: the same note a few cents apart.
    voices = int(rng.integers(2, 5)) if rng.random() < TOGETHER_ODDS else 1
    # Pitch decides how many partials are drawn; all else must not hang on it.
    note_rng, out = np.random.default_rng(int(rng.integers(2**31))), np.zeros(size)
    for _ in range(voices):
        turns = time * 2.0 ** (note_rng.normal(0, 6.0) * (voices > 1) / 1200.0)
        if manner == "sung":
            wobble = note_rng.uniform(0, 0.01) * np.sin(
                2 * np.pi * (note_rng.uniform(4, 7) * time + note_rng.random())
            )
            turns = np.cumsum(1 + wobble) / RATE
        for k in range(1, max(count, 1) + 1, 2 if odd else 1):
            f = pitch_hz * k * np.sqrt(1 + inharmonic * k * k)
            if f > 18000:
                break
            level = k**-tilt * note_rng.rayleigh(0.8)
            tail: float | NDArray[np.float64] = 1.0
            if manner in DYING:
                tail = decay(single, t60 / (1 + faster * k))
            if manner == "struck":
                # Strings struck together die fast at first, then slowly.
                tail = 0.7 * decay(single, 0.25 * t60 / (1 + faster * k)) + 0.3 * tail
            out += level * _sine(f * turns + note_rng.random()) * tail
    out = equaliser(rng, FORMANTS_DB)(out)
    # Breath, bow, frets, pick-up: what lies between the partials, as long as the note does.
    loud = np.sqrt(np.mean(out**2)) + 1e-9
    hiss = coloured(rng, size, log_uniform(rng, 30, 900), log_uniform(rng, 2500, 14000), -3)
    if manner in DYING:
        hiss *= decay(time, t60 * rng.uniform(0.2, 1.0))
    out += loud * 10 ** (rng.uniform(*HISS_DB) / 20) * hiss
    if manner not in DYING:
        # Held notes are never quite still.
        slow = coloured(rng, size, 0.5, log_uniform(rng, 4, 40), 0)
        out *= 1.0 + rng.uniform(0.02, 0.2) * np.clip(slow, -3, 3)
    rise = {
        "plucked": log_uniform(rng, 0.0005, 0.006),
        "struck": log_uniform(rng, 0.0008, 0.004),
        "held": log_uniform(rng, 0.002, 0.05),
    }.get(manner, rng.uniform(0.02, 0.15))
    out *= 1 - np.exp(-time / rise)
    if manner in DYING and rng.random() < 0.6:
        out += (
            log_uniform(rng, 0.02, 0.6)
            * loud
            * coloured(rng, size, log_uniform(rng, 60, 500), log_uniform(rng, 1200, 9000), -2)
            * decay(time, log_uniform(rng, 0.012, 0.08))
        )
    if manner in DYING and rng.random() < 0.3:
        # A finger's or a hammer's thump in the body.
        body_hz = log_uniform(rng, 50, 220)
        thump = np.sin(2 * np.pi * body_hz * time) * decay(time, log_uniform(rng, 0.05, 0.3))
        out += log_uniform(rng, 0.1, 1.0) * loud * thump
    fade = min(int(0.02 * RATE), size)
    out[size - fade :] *= np.linspace(1, 0, fade)
    return out


Note = tuple[float, float, list[float]]
"""When it begins, how long it has, and its pitches in Hz."""


def _free(rng: np.random.Generator, seconds: float, role: str, step_s: float) -> list[Note]:
    """Return notes that come as they come."""
    root, position = _root(rng, role), float(rng.uniform(0, 0.3))
    notes: list[Note] = []
    while position < seconds:
        gap = step_s * int(rng.choice([2, 4, 8, 16] if role == "chords" else [1, 2, 2, 4, 8]))
        pitch = root * float(rng.choice(SCALE))
        pitches = [pitch * float(rng.choice(SCALE)) for _ in range(3)]
        if rng.random() > REST_ODDS:
            notes.append((position, gap, pitches if role == "chords" else [pitch]))
        position += gap
    return notes


def riff(rng: np.random.Generator, seconds: float, role: str, step_s: float) -> list[Note]:
    """Return notes in the same rhythm bar after bar, over chords that come again."""
    every = int(rng.choice([4, 8, 16] if role == "chords" and rng.random() < 0.5 else [1, 2, 2, 4]))
    steps = range(int(rng.choice([0, 0, every // 2])), BAR, every)
    rhythm = [step for step in steps if rng.random() < rng.uniform(0.7, 1.0)]
    changes = _root(rng, role) * rng.choice(SCALE, int(rng.choice([1, 2, 4, 4])))
    held = rng.uniform(0.3, 1.05)
    tune = rng.choice(SCALE, BAR) if role in ("lead", "arpeggio") or rng.random() < 0.3 else None
    shape = (1.0, float(2.0 ** (rng.choice([3, 4]) / 12)), float(2.0 ** (7 / 12)))
    notes: list[Note] = []
    for bar in range(int(seconds / (BAR * step_s)) + 1):
        pitch = float(changes[bar % len(changes)])
        for step in rhythm:
            time_s = (bar * BAR + step) * step_s
            pitch_hz = pitch if tune is None else pitch * float(tune[step])
            chord = [pitch_hz * k for k in shape] if role == "chords" else [pitch_hz]
            if time_s < seconds and rng.random() < 0.95:
                notes.append((time_s, every * step_s * held, chord))
    return notes


def _root(rng: np.random.Generator, role: str) -> float:
    return {"bass": log_uniform(rng, 32, 70), "chords": log_uniform(rng, 80, 260)}.get(
        role, log_uniform(rng, 130, 500)
    )


def part(rng: np.random.Generator, seconds: float, role: str, step_s: float) -> Sound:
    """Return one instrument's part: bass, chords, arpeggio, lead or speech."""
    out = np.zeros(int(seconds * RATE) + RATE * 3)
    manner = str(rng.choice(["plucked", "plucked", "struck", "struck", "held", "sung"]))
    timbre = int(rng.integers(2**31))
    strummed = int(rng.uniform(0.0, 0.02) * RATE) if rng.random() < 0.4 else 0
    if role == "speech":
        return _levelled(_speech(rng, out), seconds)
    notes = (riff if rng.random() < RIFF_ODDS else _free)(rng, seconds, role, step_s)
    made: dict[tuple[float, float], NDArray[np.float64]] = {}
    for begin_s, gap, pitches in notes:
        first = max(int((begin_s + rng.normal(0, 0.004)) * RATE), 0)
        loudness = rng.uniform(0.5, 1.0)
        for index, pitch in enumerate(pitches):
            # Every note of a part sounds of the same instrument.
            key = (round(pitch, 3), round(gap, 4))
            if key not in made:
                note_rng = np.random.default_rng(timbre)
                made[key] = note(note_rng, pitch, min(max(gap * 1.1, 0.08), 2.5), manner)
            sound, late = made[key], first + index * strummed
            out[late : late + len(sound)] += loudness * sound[: max(len(out) - late, 0)]
    return _levelled(out, seconds)


def _speech(rng: np.random.Generator, out: NDArray[np.float64]) -> NDArray[np.float64]:
    position = float(rng.uniform(0, 0.3))
    while position * RATE < len(out):
        size = rng.uniform(0.05, 0.3)
        if rng.random() < 0.6:
            sound = note(rng, log_uniform(rng, 80, 300), size, "sung")
        else:
            count = int(size * RATE)
            sound = coloured(rng, count, log_uniform(rng, 1500, 5000), 14000, 0) * np.hanning(count)
        first = int(position * RATE)
        out[first : first + len(sound)] += rng.uniform(0.5, 1.0) * sound[: len(out) - first]
        position += size + (rng.uniform(0, 0.5) if rng.random() < 0.3 else 0)
    return out


def _levelled(out: NDArray[np.float64], seconds: float) -> Sound:
    out = out[: int(seconds * RATE)]
    return np.asarray(out / (np.sqrt(np.mean(out**2)) + 1e-9), np.float32)


def backing(rng: np.random.Generator, seconds: float, step_s: float) -> Sound:
    """Return one to four parts together, RMS about 1."""
    total = np.zeros(int(seconds * RATE), np.float32)
    for _, sound in _parts(rng, seconds, step_s):
        total += sound
    return np.asarray(total / (np.sqrt(np.mean(total**2)) + 1e-9), np.float32)


def wide_backing(rng: np.random.Generator, seconds: float, step_s: float) -> Sound:
    """Return parts as ``backing`` does, each in its place, shape (n, 2), RMS about 1."""
    total = np.zeros((int(seconds * RATE), 2), np.float32)
    for role, sound in _parts(rng, seconds, step_s):
        centred = rng.random() < CENTRED_ODDS.get(role, 0.35)
        sides = placed(0.0 if centred else float(rng.uniform(-1.0, 1.0)))
        if not centred and rng.random() < DOUBLED_ODDS:
            # Played twice, or a chorus: the other side has the same a little later.
            late = int(log_uniform(rng, 0.003, 0.03) * RATE)
            again = sound[: len(sound) - late] * np.float32(rng.uniform(0.4, 1.0))
            total[late:] += again[:, None] * sides[::-1]
        total += sound[:, None] * sides
    return np.asarray(total / (np.sqrt(np.mean(total**2)) + 1e-9), np.float32)


def placed(pan: float) -> NDArray[np.float32]:
    """Return the gains of left and right for a place from −1, left, to 1, right."""
    return np.array([min(1.0 - pan, 1.0), min(1.0 + pan, 1.0)], np.float32)


def _parts(rng: np.random.Generator, seconds: float, step_s: float) -> Iterator[tuple[str, Sound]]:
    roles = [str(r) for r in rng.choice(ROLES, int(rng.integers(1, 5)), replace=False)]
    for usual, odds in (("bass", 0.8), ("chords", 0.5)):
        if usual not in roles and rng.random() < odds:
            roles.append(usual)
    for role in roles:
        notes = part(rng, seconds, role, step_s)
        yield role, notes * np.float32(10 ** (rng.uniform(-6, 3) / 20))
