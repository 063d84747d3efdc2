"""Scenes: a made-up kit playing, alone or under a backing, in a room; with what was played when.

Conventions
-----------
``labelled(seed)`` is the same for the same seed. Candidates within ``NEAR_S`` of a stroke carry its
kind; a candidate near nothing carries none.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import fftconvolve

from emblar.core.analysis.classify.model import KINDS
from emblar.core.analysis.classify.patches import level_db
from emblar.core.analysis.classify.tonality import tonality
from emblar.core.analysis.onsets.detection import find_candidates
from emblar.core.analysis.signal.audio import Audio, one_channel, side
from emblar.core.analysis.signal.band_spans import flatness
from emblar.core.analysis.signal.band_spectrogram import frames_of
from training.backings import backing, placed, wide_backing
from training.modelled import model_drum
from training.sounds import RATE, Maker, Sound, cross_stick, drum, log_uniform, metal

SECONDS = 9.0
SONG_SECONDS = 18.0
LONG_SECONDS = 24.0
LOOPS = (16, 16, 32)
KEPT_IN_LOOP = 0.9
ADDED_TO_LOOP = 0.06
NEAR_S = 0.022
BAR = 16
TIME_ODDS = 0.5
FORCES = (0.35, 0.65, 1.0)
SILENT_ODDS = 0.07
MODELLED_ODDS = 0.15
MIXES = 4
LONG = 2
GROOVES = 3
BEHIND_DB = (-12.0, 8.0)
HEAVY_DB = (-8.0, 12.0)
"""How loud the backing is, RMS re the drums; and where drums are mostly the fainter."""
SPREAD_ODDS = 0.85
CENTRED_ODDS = {"kick": 0.6, "snare": 0.5}
"""How often a kit is heard in stereo at all, and these in its middle."""
STEPS = {
    "hat": [0.85, 0.35, 0.85, 0.35],
    "cymbal": [0.25, 0.1, 0.2, 0.1],
    "snare": [0.12, 0.1, 0.2, 0.12],
    "kick": [0.5, 0.15, 0.3, 0.15],
}


def pattern(rng: np.random.Generator, steps: int, toms: int) -> list[tuple[int, str, float]]:
    """Return strokes as (step, drum, force), in time or strewn over the bars."""
    return (_time if rng.random() < TIME_ODDS else _loose)(rng, steps, toms)


def _time(rng: np.random.Generator, steps: int, toms: int) -> list[tuple[int, str, float]]:
    """Return bars as they are mostly played: a steady hand, a backbeat, kicks around it, fills."""
    rows: dict[tuple[int, str], float] = {}
    hand = str(rng.choice(["hat", "hat", "cymbal"]))
    every, accent = int(rng.choice([1, 2, 2, 4])), rng.uniform(0.4, 1.0)
    backs = [(4, 12), (8,), (4, 12), (4, 10)][int(rng.integers(4))]
    kicks = [0, *np.nonzero(rng.random(BAR) < rng.uniform(0.05, 0.3))[0].tolist()]
    ghosts = rng.uniform(0.0, 0.15) if rng.random() < 0.4 else 0.0
    fill_odds, crash_odds = rng.uniform(0.05, 0.6), rng.uniform(0.1, 0.9)
    for start in range(0, steps, BAR):
        filled = int(rng.choice([4, 8, 12, 16])) if rng.random() < fill_odds else 0
        for step in range(BAR - filled):
            force = rng.uniform(0.7, 0.95)
            if step % every == 0:
                rows[start + step, hand] = force * (1.0 if step % 4 == 0 else accent)
            if step in backs:
                rows[start + step, "snare"] = rng.uniform(0.75, 1.0)
            elif rng.random() < ghosts:
                rows[start + step, "snare"] = rng.uniform(0.25, 0.45)
            if step in kicks and rng.random() < 0.95:
                rows[start + step, "kick"] = rng.uniform(0.65, 1.0)
        fill_kind = "snare" if rng.random() < 0.2 else "tom"
        for step in range(BAR - filled, BAR):
            if rng.random() < 0.65:
                # Mostly from high to low.
                place = (step - BAR + filled) / max(filled, 1) + rng.normal(0, 0.15)
                tom = int(np.clip(place * toms, 0, toms - 1))
                rows[start + step, fill_kind if fill_kind == "snare" else f"tom-{tom}"] = (
                    rng.uniform(0.4, 1.0)
                )
            if step % 4 == 0 and rng.random() < 0.4:
                rows[start + step, "kick"] = rng.uniform(0.65, 1.0)
        if filled and rng.random() < crash_odds:
            rows[start + BAR, "cymbal"] = rng.uniform(0.7, 1.0)
    return [(step, kind, force) for (step, kind), force in rows.items() if step < steps]


def _loose(rng: np.random.Generator, steps: int, toms: int) -> list[tuple[int, str, float]]:
    """Return strokes strewn over the bars, each kind where it likes to be."""
    busy = {k: rng.uniform(0.2, 1.3) for k in (*STEPS, "tom")}
    result = []
    tom_bars = rng.random(steps // 16 + 1) < 0.45
    double = rng.random() < 0.12
    for step in range(steps):
        for kind, odds in STEPS.items():
            p = odds[step % 4] * busy[kind]
            if kind == "snare" and step % 8 == 4:
                p = 0.8
            if kind == "kick" and double:
                p = 0.8
            if tom_bars[step // 16] and kind in ("hat", "snare"):
                p *= 0.4
            if rng.random() < p:
                result.append((step, kind, rng.uniform(0.2, 1.0)))
        if tom_bars[step // 16] and rng.random() < 0.45 * busy["tom"]:
            result.append((step, f"tom-{int(rng.integers(toms))}", rng.uniform(0.3, 1.0)))
    return result


def _looped(rng: np.random.Generator, steps: int, toms: int) -> list[tuple[int, str, float]]:
    """Return a pattern that comes again, now and then with a stroke less or more, and its fills."""
    size = int(rng.choice(LOOPS))
    loop = [row for row in pattern(rng, size, toms) if not row[1].startswith("tom")]
    result = [
        (start + step, kind, force * rng.uniform(0.85, 1.15))
        for start in range(0, steps, size)
        for step, kind, force in loop
        if rng.random() < KEPT_IN_LOOP
    ]
    more = [
        row
        for row in pattern(rng, steps, toms)
        if row[1].startswith("tom") or rng.random() < ADDED_TO_LOOP
    ]
    once = {(step, kind): force for step, kind, force in [*more, *result] if step < steps}
    return [(step, kind, min(force, 1.0)) for (step, kind), force in once.items()]


def _room(rng: np.random.Generator, dry: Sound) -> Sound:
    """Return a sound in a room, which answers each channel otherwise."""
    t60 = log_uniform(rng, 0.15, 2.2)
    time = np.arange(int(t60 * RATE)) / RATE
    response = rng.standard_normal((*dry.shape[1:], len(time))).T
    response *= np.exp(-6.9 * time / t60).reshape(-1, *[1] * (dry.ndim - 1))
    response[: int(rng.uniform(0.002, 0.03) * RATE)] = 0
    wet = fftconvolve(dry, response.astype(np.float32), axes=0)[: len(dry)]
    ratio = np.sqrt(np.mean(dry**2) / (np.mean(wet**2) + 1e-12))
    return np.asarray(dry + wet * ratio * 10 ** (rng.uniform(-28, -4) / 20), np.float32)


Drawn = Callable[[np.random.Generator, int, int], list[tuple[int, str, float]]]


@dataclass(frozen=True, slots=True)
class Band:
    """A made-up kit, rendered soft, medium and hard, with how loud each instrument is."""

    layers: dict[str, list[Sound]]
    gains: dict[str, float]


def band(rng: np.random.Generator, *, modelled_odds: float = 0.0) -> Band:
    """Draw a kit of one to four toms, of the drum model with some odds."""
    toms = int(rng.integers(1, 5))
    modelled = modelled_odds > 0.0 and rng.random() < modelled_odds
    maker = model_drum if modelled else drum
    makers = {f"tom-{i}": maker(rng, "tom")[0] for i in range(toms)}
    makers |= {k: maker(rng, k)[0] for k in ("kick", "snare")}
    makers |= {k: metal(rng, k) for k in ("hat", "cymbal")}
    if rng.random() < 0.2:
        makers["stick"] = cross_stick(rng)
    return rendered(rng, makers)


def rendered(rng: np.random.Generator, makers: dict[str, Maker]) -> Band:
    """Return a kit of these instruments, and draw how loud each is."""
    gains = {
        k: 10 ** (rng.uniform(-7, 3) / 20) * (0.4 if k in ("hat", "cymbal") else 1) for k in makers
    }
    return Band({k: [m(f) for f in FORCES] for k, m in makers.items()}, gains)


def perform(
    rng: np.random.Generator,
    band: Band,
    step_s: float,
    seconds: float = SECONDS,
    drawn: Drawn = pattern,
    sides: dict[str, Sound] | None = None,
) -> tuple[Sound, list[tuple[float, str]]]:
    """Return a performance of a drawn pattern and its strokes, in stereo where ``sides`` says how.

    ``sides`` are the gains of left and right of each instrument.
    """
    out = np.zeros((int((seconds + 2) * RATE), *([2] if sides else [])), np.float32)
    steps = int(seconds / step_s)
    toms = sum(k.startswith("tom") for k in band.layers)
    rows = drawn(rng, steps, toms) if rng.random() > SILENT_ODDS else []
    if "stick" in band.layers:
        rows += [(int(s), "stick", 0.8) for s in rng.integers(0, steps, 8)]
    lead = rng.uniform(0.02, 0.3)
    events = []
    for step, kind, force in sorted(rows):
        scatter = float(np.clip(rng.normal(0, 0.005), -0.012, 0.012))
        time = max(lead + step * step_s + scatter, 0.0)
        layer = band.layers[kind][min(int(force * len(FORCES)), len(FORCES) - 1)]
        sound = layer * np.float32(band.gains[kind] * (0.6 + 0.5 * force))
        first = int(time * RATE)
        stop = min(first + len(sound), len(out))
        piece = sound[: stop - first]
        out[first:stop] += piece[:, None] * sides[kind] if sides else piece
        if kind != "stick":
            events.append((time, kind))
    out = out[: int(seconds * RATE)]
    return (_room(rng, out) if rng.random() < 0.5 else out), events


def finished(rng: np.random.Generator, sound: Sound) -> NDArray[np.float64]:
    """Return a sound with drive and noise floor, peak about 1."""
    out = sound / (np.abs(sound).max() + 1e-9)
    if rng.random() < 0.35:
        drive = rng.uniform(1, 6)
        out = np.tanh(drive * out) / np.tanh(drive)
    noise = 10 ** (rng.uniform(-90, -45) / 20)
    return np.asarray(out + noise * rng.standard_normal(out.shape), np.float64)


def under(
    rng: np.random.Generator, drums: Sound, behind: Sound, behind_db: tuple[float, float]
) -> NDArray[np.float64]:
    """Return drums under a backing of a level drawn in dB re theirs, begun somewhere in it."""
    level = (np.sqrt(np.mean(drums**2)) + 1e-3) * 10 ** (rng.uniform(*behind_db) / 20)
    turned = np.roll(behind, int(rng.integers(len(behind))), axis=0)
    return finished(rng, drums + turned * np.float32(level))


def lone(rng: np.random.Generator, sound: Sound) -> NDArray[np.float64]:
    """Return one stroke with some silence around it, perhaps in a room."""
    before = int(rng.choice([0, 0, rng.uniform(0, 0.1)]) * RATE)
    out = np.pad(sound, (before, int(rng.uniform(0.05, 0.6) * RATE)))
    return finished(rng, _room(rng, out) if rng.random() < 0.3 else out)


def labels_of(times: NDArray[np.float64], events: list[tuple[float, str]]) -> NDArray[np.bool_]:
    """Return which kinds each candidate carries; ``tom-0``, ``tom-1``, … are toms."""
    labels = np.zeros((len(times), len(KINDS)), bool)
    for time, voice in events:
        kind = KINDS.index(voice.split("-", maxsplit=1)[0])
        if len(times) and np.abs(times - time).min() < NEAR_S:
            labels[int(np.argmin(np.abs(times - time))), kind] = True
    return labels


Rows = NDArray[np.float16]
Scene = tuple[list[NDArray[np.float64]], list[tuple[float, str]]]
"""What is heard, the middle before the side, and the strokes in it."""


@dataclass(frozen=True, slots=True)
class Found:
    """The scenes of one drawn kit and their candidates, one scene after another.

    Attributes
    ----------
    level_db
        Band levels of all frames, shape (frames, BANDS).
    flat_db
        Flatness around each candidate, shape (candidates, FLAT_AT × FLAT_BANDS).
    tone
        What the partials say, shape (candidates, tones.SIZE).
    labels
        Shape (candidates, KINDS).
    times_s
        From the start of the candidate's own scene.
    lengths, sizes
        Frames and candidates of each scene.
    """

    level_db: Rows
    flat_db: Rows
    tone: Rows
    labels: NDArray[np.bool_]
    times_s: NDArray[np.float32]
    lengths: list[int]
    sizes: list[int]


def labelled(seed: int) -> Found:
    """Return all the scenes of one drawn kit, some under a backing, and its lone strokes."""
    rng = np.random.default_rng([7, seed])
    kit, step_s = band(rng, modelled_odds=MODELLED_ODDS), 15.0 / rng.uniform(70, 190)
    scenes = []
    behind = backing(rng, SECONDS, step_s) if seed % 3 else None
    for _ in range(2):
        drums, events = perform(rng, kit, step_s)
        scenes.append(([finished(rng, drums)], events))
        if behind is not None:
            level = (np.sqrt(np.mean(drums**2)) + 1e-3) * 10 ** (rng.uniform(*BEHIND_DB) / 20)
            scenes.append(([finished(rng, drums + behind * np.float32(level))], events))
    for kind, layers in kit.layers.items():
        for layer in layers:
            sound = lone(rng, layer)
            start = max(int(np.argmax(np.abs(sound) > 0.1)) - 30, 0) / RATE
            scenes.append(([sound], [] if kind == "stick" else [(start, kind)]))
    return _gathered(scenes)


def labelled_mixes(seed: int) -> Found:
    """Return scenes of one drawn kit under two backings, as ``labelled`` does."""
    return _under_backings(np.random.default_rng([8, seed]), MIXES, SECONDS, pattern)


def labelled_heavy(seed: int) -> Found:
    """Return scenes as ``labelled_mixes`` does, under louder backings."""
    return _under_backings(np.random.default_rng([12, seed]), MIXES, SECONDS, pattern, HEAVY_DB)


def labelled_long(seed: int) -> Found:
    """Return longer scenes of one drawn kit as ``labelled_mixes`` does, in loops or not.

    Two kits of three are mostly fainter than their backing.
    """
    behind_db = HEAVY_DB if seed % 3 else BEHIND_DB
    drawn = _looped if seed % 2 else pattern
    return _under_backings(np.random.default_rng([19, seed]), LONG, LONG_SECONDS, drawn, behind_db)


def labelled_grooves(seed: int) -> Found:
    """Return longer scenes that come in loops of one drawn kit alone."""
    rng = np.random.default_rng([10, seed])
    kit, step_s = band(rng, modelled_odds=MODELLED_ODDS), 15.0 / rng.uniform(70, 190)
    scenes = []
    for _ in range(GROOVES):
        drums, events = perform(rng, kit, step_s, SONG_SECONDS, _looped)
        scenes.append(([finished(rng, drums)], events))
    return _gathered(scenes)


def labelled_wide(seed: int) -> Found:
    """Return scenes of one drawn kit in stereo mixes: the middle of each, then its side."""
    rng = np.random.default_rng([11, seed])
    kit, step_s = band(rng), 15.0 / rng.uniform(70, 190)
    scenes: list[Scene] = []
    spread = rng.uniform(0.0, 0.8) if rng.random() < SPREAD_ODDS else 0.0
    behind = wide_backing(rng, SECONDS, step_s)
    for _ in range(MIXES):
        sides = {
            k: placed(
                0.0 if rng.random() < CENTRED_ODDS.get(k, 0.2) else rng.uniform(-1, 1) * spread
            )
            for k in kit.layers
        }
        drums, events = perform(rng, kit, step_s, SECONDS, pattern, sides)
        audio = Audio(under(rng, drums, behind, BEHIND_DB), RATE)
        side_rows = side(audio)
        if side_rows is not None:
            scenes.append(([one_channel(audio), side_rows], events))
    return _gathered(scenes)


def _under_backings(
    rng: np.random.Generator,
    count: int,
    seconds: float,
    drawn: Drawn,
    behind_db: tuple[float, float] = BEHIND_DB,
) -> Found:
    kit, step_s = band(rng), 15.0 / rng.uniform(70, 190)
    scenes = []
    for _ in range(2):
        own_step = step_s * rng.choice([1.0, 1.0, rng.uniform(0.8, 1.25)])
        behind = backing(rng, seconds, own_step)
        for _ in range(count):
            drums, events = perform(rng, kit, step_s, seconds, drawn)
            scenes.append(([under(rng, drums, behind, behind_db)], events))
    return _gathered(scenes)


def _gathered(scenes: list[Scene]) -> Found:
    """Return scenes and their candidates, which are those of the first of its channels."""
    levels, flat, tone, labels, times_s = [], [], [], [], []
    for (first, *others), events in scenes:
        chosen, times = find_candidates(first)
        for frames in (chosen, *map(frames_of, others)):
            levels.append(level_db(frames.power).astype(np.float16))
            flat.append(flatness(frames, times).astype(np.float16))
            tone.append(tonality(frames, times).astype(np.float16))
            labels.append(labels_of(times, events))
            times_s.append(times.astype(np.float32))
    return Found(
        np.concatenate(levels),
        np.concatenate(flat),
        np.concatenate(tone),
        np.concatenate(labels),
        np.concatenate(times_s),
        [len(level) for level in levels],
        [len(times) for times in times_s],
    )
