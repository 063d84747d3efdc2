"""Grooves on a kit, alone or in a mix, in a room, through a codec: the recordings of ``real``."""

import io
from pathlib import Path

import mido
import numpy as np
import soundfile
from scipy.signal import fftconvolve

from bench.material import FONT_FOLDERS, RATE, Array, Kit, Recording, onset_sample, play

GROOVES = (
    {"hat": "x.o.x.o.x.o.x.o.", "snare": "....X.......X...", "kick": "X.....x.x......."},
    {"hat": "xoxoxoxoxoxoxoxo", "snare": "....X..o.o..X...", "kick": "X..x......x....."},
    {"cymbal": "x..xx..xx..xx..x", "snare": "....o.......o..o", "kick": "X.......X......."},
    {"hat": "x...x...x...x...", "snare": "........X.......", "kick": "X....x....x....."},
    {"cymbal": "x...x...x...x...", "snare": "....X.......X...", "kick": "X.xxX.x.X.xxX.x."},
    {"hat": "x...x...x...x...", "tom": "3..3..2.3..3..1.", "kick": "X.......X......."},
)
FILLS = (
    {"snare": "X.x.............", "tom": "....1.1.2.2.3.3.", "kick": "X..............."},
    {
        "hat": "x.o.x.o.........",
        "snare": "....X...xx......",
        "tom": "..........1122.3",
        "kick": "X.......",
    },
    {"tom": "1...2...3...3...", "kick": "..x...x...x...x."},
    {"snare": "xxxx............", "tom": "....111.22..3.3.", "kick": "X...X...X...X..."},
)
PLACES = ((64, 64, 64, 64), (64, 24, 104, 64), (64, 104, 12, 40), (60, 0, 127, 90))
"""Where bass, keys, guitar and strings stand, from 0, left, to 127, right."""
FORCE = {"X": 1.0, "x": 0.75, "o": 0.35}


def _bar(rng: np.random.Generator, patterns: tuple[dict[str, str], ...]) -> dict[str, str]:
    return patterns[int(rng.integers(len(patterns)))]


def groove_events(
    kit: Kit, rng: np.random.Generator, seconds: float
) -> list[tuple[float, str, float]]:
    """Return strokes as (s, voice, force): two grooves in turn, a fill every other bar."""
    toms = sorted(v for v in kit.drums if v.startswith("tom"))
    sixteenth = 15.0 / float(rng.uniform(84, 150))
    chosen = [_bar(rng, GROOVES), _bar(rng, GROOVES)]
    events, start, bar = [], 0.25, 0
    while start < seconds - 2.0:
        pattern = _bar(rng, FILLS) if bar % 2 == 1 else chosen[(bar // 4) % 2]
        if bar % 4 == 0:
            events.append((start, "cymbal", 0.9))
        for voice, marks in pattern.items():
            for step, mark in enumerate(marks):
                if mark == "." or (voice == "cymbal" and bar % 4 == 0 and step == 0):
                    continue
                name, force = voice, FORCE.get(mark, 0.85)
                if voice == "tom":
                    name = toms[min(int(mark) - 1, len(toms) - 1)]
                scatter = float(np.clip(rng.normal(0, 0.004), -0.01, 0.01))
                force *= float(rng.uniform(0.85, 1.1))
                events.append((start + step * sixteenth + scatter, name, force))
        start += 16 * sixteenth
        bar += 1
    return sorted(events)


def groove(kit: Kit, seed: int, seconds: float = 24.0) -> Recording:
    """Return a groove on a kit; a new stroke on a drum cuts its last one short."""
    rng = np.random.default_rng(seed)
    events = groove_events(kit, rng, seconds)
    out = np.zeros((int((seconds + 2.0) * RATE), 2))
    pans = {v: rng.uniform(-0.5, 0.5) * (v not in ("kick", "snare")) for v in kit.drums}
    for voice, drum in kit.drums.items():
        members = [e for e in events if e[1] == voice]
        gain = (0.35 if voice in ("hat", "cymbal") else 1.0) * 10 ** (rng.uniform(-4, 2) / 20)
        loudest = max(float(np.abs(x).max()) for x in drum.layers)
        for index, (time, _, force) in enumerate(members):
            position = min(int(force * len(drum.layers)), len(drum.layers) - 1)
            sample = drum.layers[position][max(onset_sample(drum.layers[position]) - 30, 0) :]
            size = len(sample)
            if index + 1 < len(members):
                size = min(size, int((members[index + 1][0] - time + 0.03) * RATE))
            piece = sample[:size].copy()
            fade = min(int(0.03 * RATE), size)
            piece[size - fade :] *= np.linspace(1, 0, fade)[:, None]
            piece *= gain * force / max(np.abs(sample).max(), 0.3 * loudest)
            first = int(time * RATE) - 30
            last = min(first + size, len(out))
            side = np.array([1 - max(pans[voice], 0), 1 + min(pans[voice], 0)])
            out[first:last] += piece[: last - first] * side
    out *= 0.8 / np.abs(out).max()
    return Recording(kit, out, tuple((t, v) for t, v, _ in events))


def backing(seed: int, seconds: float) -> Array:
    """Return bass, keys, guitar and strings over a chord progression, played by fluidsynth."""
    rng = np.random.default_rng(seed + 900)
    midi, track = mido.MidiFile(ticks_per_beat=480), mido.MidiTrack()
    midi.tracks.append(track)
    # Bass, keys, guitar, strings.
    for channel, (first, last) in enumerate(((32, 38), (0, 6), (24, 31), (48, 52))):
        program = int(rng.integers(first, last))
        track.append(mido.Message("program_change", channel=channel, program=program))
        place = PLACES[seed % len(PLACES)][channel]
        track.append(mido.Message("control_change", channel=channel, control=10, value=place))
    roots = rng.permutation([33, 36, 38, 40, 41, 43])[:4]
    notes: list[tuple[float, float, int, int, int]] = []
    beat = 60.0 / float(rng.uniform(84, 150))
    for bar in range(int(seconds / (4 * beat)) + 1):
        root, start = int(roots[bar % 4]), bar * 4 * beat
        third = 4 if rng.random() < 0.5 else 3
        notes += [
            (start + k * beat / 2, beat / 2.2, 0, root - 5 + 5 * int(rng.random() < 0.2), 100)
            for k in range(8)
            if rng.random() < 0.8
        ]
        for interval in (0, third, 7):
            notes.append((start, 3.9 * beat, 3, root + 24 + interval, 70))
            notes += [(start + k * beat, 0.8 * beat, 1, root + 24 + interval, 80) for k in range(4)]
            notes += [
                (start + (k + 0.5) * beat, 0.4 * beat, 2, root + 12 + interval, 85)
                for k in range(4)
                if rng.random() < 0.7
            ]
    moves = sorted(
        [(t, 1, c, n, v) for t, _, c, n, v in notes]
        + [(t + d, 0, c, n, 0) for t, d, c, n, _ in notes]
    )
    current = 0.0
    for time, on, channel, note, velocity in moves:
        kind, ticks = "note_on" if on else "note_off", round((time - current) * 960)
        current += ticks / 960
        track.append(mido.Message(kind, channel=channel, note=note, velocity=velocity, time=ticks))
    result = play(_backing_font(), midi)[: int(seconds * RATE)]
    return np.pad(result, ((0, max(int(seconds * RATE) - len(result), 0)), (0, 0)))


def _backing_font() -> Path:
    # The smallest general font; larger ones come after it.
    return min(FONT_FOLDERS.glob("*GM*.sf2"), key=lambda f: f.stat().st_size)


def mixed(recording: Recording, drums_db: float, seed: int) -> Recording:
    """Return a recording under a backing, the drums ``drums_db`` above it in RMS."""
    rest = backing(seed, len(recording.samples) / RATE)[: len(recording.samples)]
    rest = np.pad(rest, ((0, len(recording.samples) - len(rest)), (0, 0)))
    ratio = np.sqrt(np.mean(recording.samples**2) / max(float(np.mean(rest**2)), 1e-12))
    out = recording.samples + rest * ratio * 10.0 ** (-drums_db / 20.0)
    return Recording(recording.kit, 0.9 * out / np.abs(out).max(), recording.events)


def in_room(samples: Array, seed: int, *, t60_s: float = 1.2, wet_db: float = -12.0) -> Array:
    """Return samples in a decaying diffuse room."""
    rng = np.random.default_rng(seed)
    time = np.arange(int(t60_s * RATE)) / RATE
    wet = np.empty_like(samples)
    for channel in range(2):
        response = rng.standard_normal(len(time)) * np.exp(-6.9 * time / t60_s)
        response[: int(0.012 * RATE)] = 0.0
        wet[:, channel] = fftconvolve(samples[:, channel], response)[: len(samples)]
    wet *= 10.0 ** (wet_db / 20.0) * np.sqrt(np.mean(samples**2) / np.mean(wet**2))
    return samples + wet


def coded(samples: Array, container: str, subtype: str) -> bytes:
    """Return samples as a file's bytes."""
    out = io.BytesIO()
    soundfile.write(out, samples, RATE, format=container, subtype=subtype)
    return out.getvalue()
