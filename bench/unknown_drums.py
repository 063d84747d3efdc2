"""Drums for the closed loop that the planner's model does not know.

A drum of this world starts from the model's modes and cards, as a real drum is roughly what a model
says, and then goes its own way by as much as practice allows: every quantity is off, and so is what
a change does to it. What sounds is made of partials with two slopes, bands of noise and a room, by
code that shares nothing with ``emblar.core.synthesis``.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.acoustics.forward import Mode, predict
from emblar.core.catalogue import SHIPPED, USUAL_STRIKER
from emblar.core.drum import Setup
from emblar.core.matching.moves import drum_of
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.predicted import predicted_card
from emblar.core.quantities import Measured

Sound = NDArray[np.float64]
PITCH_CENTS = 60.0
SUSTAIN = (0.6, 1.6)
BEND = (0.3, 1.5)
DAMPING = (0.5, 2.0)
NOISE_DB = 3.0
CHANGE = (0.6, 1.6)
OVERTONE_DB = 3.0
OVERTONE_CENTS = 30.0
ROOM_DB = (-34.0, -20.0)
ROOM_T60_S = (0.25, 0.6)
STICK_DB = -9.0
"""A stroke's noise under the note on an average drum."""
WIRES_DB = -6.0
QUIET_DB = -40.0


@dataclass(frozen=True, slots=True)
class UnknownDrum:
    """How one drum differs from the model.

    Parameters
    ----------
    pitch, sustain, bend
        Factors on what the model says.
    damping
        Factor on what a damper adds to a mode's losses.
    change
        Factor on what other sticks, force and wires do to the noises.
    noise_db, wires_db
        How much louder stick and wires are than on an average drum.
    overtone_db, overtone_cents
        How far each of the higher modes lies from the model.
    late
        Share of each partial that rings twice as long.
    room_db, room_t60_s
        The room around it.
    """

    pitch: float
    sustain: float
    bend: float
    damping: float
    change: float
    noise_db: float
    wires_db: float
    overtone_db: tuple[float, ...]
    overtone_cents: tuple[float, ...]
    late: float
    room_db: float
    room_t60_s: float


def _between(rng: np.random.Generator, span: tuple[float, float]) -> float:
    """Draw a factor evenly in its logarithm."""
    return float(np.exp(rng.uniform(*np.log(span))))


def unknown_drum(rng: np.random.Generator) -> UnknownDrum:
    """Draw a drum."""
    return UnknownDrum(
        2.0 ** (float(rng.normal(0.0, PITCH_CENTS)) / 1200.0),
        _between(rng, SUSTAIN),
        _between(rng, BEND),
        _between(rng, DAMPING),
        _between(rng, CHANGE),
        float(rng.normal(0.0, NOISE_DB)),
        float(rng.normal(0.0, NOISE_DB)),
        tuple(rng.normal(0.0, OVERTONE_DB, 40)),
        tuple(rng.normal(0.0, OVERTONE_CENTS, 40)),
        float(rng.uniform(0.0, 0.15)),
        float(rng.uniform(*ROOM_DB)),
        float(rng.uniform(*ROOM_T60_S)),
    )


def in_another_room(drum: UnknownDrum, rng: np.random.Generator) -> UnknownDrum:
    """Return a drum like another one in a room of its own."""
    return replace(
        drum, room_db=float(rng.uniform(*ROOM_DB)), room_t60_s=float(rng.uniform(*ROOM_T60_S))
    )


def strokes(
    drum: UnknownDrum, owned: OwnedDrum, setup: Setup, *, rate: int, count: int, seed: int
) -> Sound:
    """Return strokes on a drum as it is set up, and the silence around them.

    Parameters
    ----------
    drum
        How it differs from the model.
    owned, setup
        The drum and what is on it.
    rate
        Sample rate, Hz.
    count
        How many strokes.
    seed
        Of the player and the noise.
    """
    rng = np.random.default_rng(seed)
    plain = replace(setup, dampers=())
    bare = predict(drum_of(SHIPPED, owned, plain), setup.batter_hz, setup.reso_hz)
    worn = predict(drum_of(SHIPPED, owned, setup), setup.batter_hz, setup.reso_hz)
    usual = replace(plain, striker=USUAL_STRIKER[owned.kind], force=1.0, wires="medium")
    average = predicted_card(
        predict(drum_of(SHIPPED, owned, usual), setup.batter_hz, setup.reso_hz), owned.kind
    )
    card = predicted_card(worn, owned.kind)
    size = round(1.8 * rate)
    out = 1e-4 * rng.standard_normal(count * size + rate // 2)
    bend = drum.bend * worn.bend_cents.value
    stick_db = STICK_DB + drum.noise_db + drum.change * _apart(card, average, "attack")
    wires_db = WIRES_DB + drum.wires_db + drum.change * _apart(card, average, "wires")
    pitch_hz = worn.drum_pitch.value
    for i in range(count):
        force = float(np.exp(rng.normal(0.0, 0.1)))
        time = np.arange(size) / rate
        sound = _modes(drum, bare.modes, worn.modes, pitch_hz, time, bend * force**2)
        sound /= np.abs(sound).max()
        sound += _noise(rng, time, (1500.0, 9000.0), stick_db, 0.03)
        if owned.kind == "snare" and setup.wires != "off":
            sound += _noise(rng, time, (2000.0, 11000.0), wires_db, 0.22)
        start = 4000 + i * size
        part = out[start : start + size]
        part += 0.4 * force * sound[: len(part)]
    return _in_room(rng, out, drum, rate)


def _apart(card: Mapping[str, Measured], average: Mapping[str, Measured], name: str) -> float:
    if name not in card or name not in average:
        return 0.0
    return card[name].value - average[name].value


def _modes(
    drum: UnknownDrum,
    bare: tuple[Mode, ...],
    worn: tuple[Mode, ...],
    pitch_hz: float,
    time: Sound,
    bend_cents: float,
) -> Sound:
    """Return the partials: frequencies from the drum with its dampers, losses of both."""
    out = np.zeros(len(time))
    step = time[1]
    for i, mode in enumerate(worn):
        if mode.level_db < QUIET_DB:
            continue
        without = min(bare, key=lambda m: abs(np.log(m.frequency_hz / mode.frequency_hz)))
        alone, added = 1.0 / without.t60_s, max(1.0 / mode.t60_s - 1.0 / without.t60_s, 0.0)
        t60 = 1.0 / (alone / drum.sustain + drum.damping * added)
        is_note = abs(mode.frequency_hz / pitch_hz - 1.0) < 0.01
        off = 0.0 if is_note else drum.overtone_cents[i % 40]
        level_db = mode.level_db + (0.0 if is_note else drum.overtone_db[i % 40])
        hz = mode.frequency_hz * drum.pitch * 2.0 ** (off / 1200.0)
        fall = np.exp(-13.8 / t60 * time)
        sharp = hz * 2.0 ** (bend_cents * fall / 1200.0)
        shape = (1.0 - drum.late) * np.exp(-6.91 / t60 * time)
        shape += drum.late * np.exp(-3.45 / t60 * time)
        out += 10.0 ** (level_db / 20.0) * shape * np.sin(2.0 * np.pi * np.cumsum(sharp) * step)
    return out


def _noise(
    rng: np.random.Generator, time: Sound, band_hz: tuple[float, float], db: float, t60_s: float
) -> Sound:
    """Return a burst of noise in a band, cut out of its spectrum."""
    spectrum = np.fft.rfft(rng.standard_normal(len(time)) * np.exp(-6.91 / t60_s * time))
    hz = np.fft.rfftfreq(len(time), time[1])
    octaves = np.maximum(np.log2(band_hz[0] / np.maximum(hz, 1.0)), 0.0)
    octaves += np.maximum(np.log2(np.maximum(hz, 1.0) / band_hz[1]), 0.0)
    burst = np.fft.irfft(spectrum * 4.0**-octaves, len(time))
    return np.asarray(10.0 ** (db / 20.0) * burst / np.abs(burst).max())


def _in_room(rng: np.random.Generator, sound: Sound, drum: UnknownDrum, rate: int) -> Sound:
    """Return a sound with a diffuse tail behind it."""
    time = np.arange(round(drum.room_t60_s * rate)) / rate
    tail = rng.standard_normal(len(time)) * np.exp(-6.91 / drum.room_t60_s * time)
    tail[: round(0.004 * rate)] = 0.0
    tail *= 10.0 ** (drum.room_db / 20.0) / np.sqrt((tail**2).sum())
    size = 1 << (len(sound) + len(tail)).bit_length()
    wet = np.fft.irfft(np.fft.rfft(sound, size) * np.fft.rfft(tail, size), size)
    return np.asarray(sound + wet[: len(sound)])
